"""Models that were compressed for the way: read as they were before, and handed over as they are."""

from __future__ import annotations

import base64
import json
import shutil
import subprocess
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import KDTree

from glyphos.characters.builtin import builtin, builtin_path
from glyphos.characters.dressing import Dress, Dressed
from glyphos.characters.head import Head
from glyphos.characters.models import compressed
from glyphos.characters.models.container import glb, read_container
from glyphos.characters.models.gltf import read_gltf
from glyphos.characters.models.opening import open_head
from glyphos.characters.posing import Poser
from glyphos.errors import ModelError
from glyphos.handoff.dressed import hand_over
from glyphos.handoff.handing import Handing
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from tests.characters.models import FACES, QUAD, Made
from tests.characters.test_models import UP, Folder
from tests.examples import examples, some

PACKER = Path(__file__).parents[2] / "tools" / "node_modules" / "gltfpack" / "cli.js"
DECODER = unittest.skipUnless(compressed.readable(), "no decoder, for want of a compiler")


def squeezed(folder: Path, **more: object) -> Path:
    """A square whose morph target and triangles are compressed by the reference encoder."""
    import meshoptimizer as encoder

    made = Made()
    made.mesh({"up": UP})
    views = made.document["bufferViews"]
    room = len(made.data)
    faces = FACES.astype(np.uint32)
    for k, (data, count, stride, mode) in enumerate(
        [
            (encoder.encode_vertex_buffer(QUAD, 4, 12), 4, 12, "ATTRIBUTES"),
            (encoder.encode_index_buffer(faces, 6, 4), 6, 2, "TRIANGLES"),
            (encoder.encode_vertex_buffer(UP, 4, 12), 4, 12, "ATTRIBUTES"),
        ]
    ):
        made.data.extend(b"\0" * (-len(made.data) % 4))
        said = {"buffer": 0, "byteOffset": len(made.data), "byteLength": len(data), "byteStride": stride, "count": count, "mode": mode}  # fmt: skip
        views[k]["extensions"] = {compressed.NAME: {**said, **(more if k == 2 else {})}}
        views[k].update(buffer=1)
        made.data.extend(bytes(data))
    path = folder / "square.glb"
    made.document["extensionsRequired"] = made.document["extensionsUsed"] = [compressed.NAME]
    empty = {"byteLength": room, "extensions": {compressed.NAME: {"fallback": True}}}
    made.document["buffers"] = [{"byteLength": len(made.data)}, empty]
    made.data[:room] = b"\xff" * room  # nothing may be read from where the plain arrays were
    path.write_bytes(glb(made.document, bytes(made.data)))
    return path


def moved(head: Head, channel: str) -> np.ndarray:
    return Poser(head).pose({channel: 1.0})[0]


@DECODER
class Compressed(Folder):
    def test_arrays_and_triangles_come_out_as_they_went_in(self) -> None:
        head = read_gltf(squeezed(self.folder))
        (piece,) = head.pieces
        np.testing.assert_array_equal(piece.positions, QUAD)
        np.testing.assert_array_equal(np.ravel(piece.faces), FACES)
        np.testing.assert_array_equal(moved(head, "up"), QUAD + UP)

    def test_what_the_extension_does_not_have_is_refused_in_a_sentence(self) -> None:
        for more in ({"mode": "SOMEHOW"}, {"filter": "QUATERNION"}, {"count": 10**9}, {"count": "4"},
                     {"byteStride": 6}, {"byteStride": 512}, {"byteLength": 10**6}, {"mode": "TRIANGLES"},
                     {"filter": ["NONE"]}):  # fmt: skip
            with self.subTest(more):
                self.refused(squeezed(self.folder, **more), "damaged")

    def test_without_the_decoder_the_extension_is_named(self) -> None:
        path = squeezed(self.folder)
        with mock.patch.object(compressed, "readable", return_value=False):
            self.refused(path, "EXT_meshopt_compression")

    def test_a_line_is_added_whichever_buffer_holds_the_bytes(self) -> None:
        """The place of the unpacked arrays may come first, and the compressed ones after it."""
        packed = read_container(squeezed(self.folder))
        document = packed.document
        text = base64.b64encode(packed.chunk).decode()
        first, second = document["buffers"]
        first.update(
            uri="data:application/octet-stream;base64," + text, byteLength=len(packed.chunk)
        )
        document["buffers"] = [second, first]
        for view in document["bufferViews"]:
            view["buffer"] = 0
            view["extensions"][compressed.NAME]["buffer"] = 1
        path = self.folder / "square.gltf"
        path.write_text(json.dumps(document))
        head = read_gltf(path)
        rows = np.linspace(0, 1, 10)[:, None]
        dress = Dress(Fraction(24), head.channels, ((0.0, 1.0),), rows)
        dressed = Dressed(replace(head, rig=builtin("mabel").rig))
        for name in ("line.glb", "line.gltf"):
            out = self.folder / "out" / name
            out.parent.mkdir(exist_ok=True)
            hand_over(dress, dressed, out, Handing(name="line"))
            np.testing.assert_array_equal(moved(read_gltf(out), "up"), QUAD + UP)
            written = read_container(out)
            for view in written.items("bufferViews"):
                self.assertTrue(written.item("buffers", view["buffer"])["byteLength"])

    @given(st.data())
    @examples(50)
    def test_damaged_bytes_are_a_sentence_or_another_face(self, data: st.DataObject) -> None:
        path = squeezed(self.folder)
        start = read_container(path).item("bufferViews", 0)["extensions"][compressed.NAME]
        body = bytearray(path.read_bytes())
        first = body.rindex(b"BIN\0") + 4 + start["byteOffset"]
        for _ in range(data.draw(st.integers(1, 6))):
            body[data.draw(st.integers(first, len(body) - 1))] = data.draw(st.integers(0, 255))
        path.write_bytes(bytes(body))
        try:
            read_gltf(path)
        except ModelError as error:
            self.assertTrue(str(error).endswith("."))


@DECODER
@unittest.skipUnless(shutil.which("node") and PACKER.is_file(), "no Node")
class PackedByAnother(Folder):
    """gltfpack, the packer of the extension's own authors, over our Osric."""

    def packed(self, name: str, *how: str) -> Path:
        path = self.folder / name
        subprocess.run(
            ["node", str(PACKER), *how, "-kn", "-km", "-i", str(builtin_path("osric")), "-o", str(path)],
            check=True, capture_output=True,
        )  # fmt: skip
        return path

    def test_every_way_of_packing_gives_the_same_face(self) -> None:
        """Its points lie where they were, to the 14 bits of a place that the packer keeps."""
        whole = builtin("osric")
        rest, open_mouth = (moved(whole, c) for c in ("tongue_out", "jaw_open"))
        size = float(np.ptp(rest, axis=0).max())
        for name, how in some((("b.gltf", ("-cc",)), ("d.glb", ("-cc", "-vpf")), ("c.glb", ("-cf",)), ("a.glb", ("-c",))), 2):  # fmt: skip
            with self.subTest(name=name):
                head = open_head(self.packed(name, *how))
                for channel, points in (("tongue_out", rest), ("jaw_open", open_mouth)):
                    far, _ = KDTree(points).query(moved(head, channel))
                    self.assertLess(far.max() / size, 2e-4)

    def test_a_line_is_added_and_the_packed_arrays_stay(self) -> None:
        motion = perform(Production.open(copy_demo()).line("01-mabel-beam").reading, fps=6)
        for name, how in some((("a.glb", ("-cc",)), ("b.gltf", ("-cf",))), 1):
            with self.subTest(name=name):
                model = self.packed(name, *how)
                dressed = Dressed(open_head(model))
                dress = dressed.wear(motion)
                out = self.folder / ("line-" + name.replace("gltf", "glb"))
                hand_over(dress, dressed, out, Handing(name="line"))
                again = read_gltf(out)
                self.assertEqual(again.targets, dressed.head.targets)
                for channel in ("jaw_open", "tongue_out"):
                    np.testing.assert_array_equal(
                        moved(again, channel), moved(dressed.head, channel)
                    )
                self.assertEqual(len(read_container(out).items("animations")), 1)
                before, after = read_container(model), read_container(out)
                if name == "a.glb":
                    self.assertTrue(after.chunk.startswith(before.chunk.rstrip(b"\0")))


if __name__ == "__main__":
    unittest.main()
