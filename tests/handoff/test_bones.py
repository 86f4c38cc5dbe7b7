"""Lines on characters of bones and poses."""

from __future__ import annotations

import json
import struct
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from glyphos.characters.builtin import builtin
from glyphos.characters.dressing import Dress, Dressed
from glyphos.characters.models.container import read_container
from glyphos.characters.models.gltf import read_gltf
from glyphos.characters.models.opening import open_head
from glyphos.characters.posing import Poser
from glyphos.errors import SaveError
from glyphos.handoff.dressed import hand_over
from glyphos.handoff.handing import Handing
from tests.characters.models import Made
from tests.characters.test_models import UP
from tests.handoff.test_characters import animated


class BonesAndPoses(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def rigged(self, animated: bool = False) -> Path:
        made = Made()
        primitive = made.mesh()
        primitive["attributes"]["JOINTS_0"] = made.add(
            np.array([[0, 0, 0, 0], [1, 0, 0, 0], [0, 0, 0, 0], [0, 0, 0, 0]], np.uint8)
        )
        primitive["attributes"]["WEIGHTS_0"] = made.add(
            np.tile(np.array([1, 0, 0, 0], np.float32), (4, 1))
        )
        made.document["nodes"][0]["skin"] = 0
        made.document["nodes"] += [
            {"name": "Head", "children": [2]},
            {"name": "C_Jaw_jnt", "translation": [0, 0, -1]},
        ]
        inverse = np.tile(np.eye(4, dtype=np.float32), (2, 1, 1))
        inverse[1, 3, 2] = 1
        made.document["skins"] = [
            {"joints": [1, 2], "inverseBindMatrices": made.add(inverse.reshape(2, 16))}
        ]
        if animated:
            half = np.sqrt(0.5)
            times = made.add(np.array([0, 1 / 24, 2 / 24], np.float32), min=[0], max=[2 / 24])
            turns = made.add(np.array([[0, 0, 0, 1], [half, 0, 0, half], [0, 0, 0, 1]], np.float32))
            made.document["animations"] = [
                {
                    "samplers": [{"input": times, "output": turns}],
                    "channels": [{"sampler": 0, "target": {"node": 2, "path": "rotation"}}],
                }
            ]
        return made.save(self.folder / "rigged.glb")

    def test_a_jaw_bone_is_a_channel_that_opens_downwards(self) -> None:
        head = open_head(self.rigged())
        self.assertEqual(head.channels, ("C_Jaw_jnt (bone)",))
        where, delta = Poser(head).moved("C_Jaw_jnt (bone)")
        self.assertEqual(where.tolist(), [1])
        self.assertLess(delta[0, 1], -0.1)

    def test_a_list_of_poses_makes_channels_of_frames(self) -> None:
        model = self.rigged(animated=True)
        listing = self.folder / "rigged.poses"
        listing.write_text("# poses\nneutral 0\nopen mouth 1\n")
        head = open_head(model)
        self.assertEqual(head.channels, ("neutral", "open mouth"))
        half = Poser(head).pose({"open mouth": 1.0})[0]
        np.testing.assert_allclose(half[1], [1, -1, -2], atol=1e-5)  # 90 degrees about x
        self.assertGreater(np.abs(half[1] - Poser(head).rest()[1]).max(), 0.3)
        for text, words in (("open\n", "Line 1"), ("", "no pose"), ("wide 99\n", "after the end")):
            listing.write_text(text)
            with self.subTest(text), self.assertRaisesRegex(Exception, words):
                open_head(model)

    def test_notes_beside_a_model_are_no_poses(self) -> None:
        model = self.rigged(animated=True)
        model.with_suffix(".txt").write_text("Remember to shave him.\n")
        self.assertEqual(open_head(model).channels, ("C_Jaw_jnt (bone)",))

    def test_bones_that_are_turned_and_shifted_are_written_as_both(self) -> None:
        head = open_head(self.rigged())
        jaw = head.node("C_Jaw_jnt")
        both = {"open": {jaw: ((0.3, 0.0, 0.0), (0.0, -0.2, 0.1))}}
        values = np.linspace(0, 1, 12)[:, None]
        worn = Dress(Fraction(24), ("open",), ((0.0, 1.0),), values)
        path = self.folder / "line.glb"
        dressed = Dressed(replace(head, turned=both, rig=builtin("mabel").rig))
        hand_over(worn, dressed, path, Handing(error=0.0, name="line"))
        document = read_container(path).document
        channels = document["animations"][0]["channels"]
        self.assertEqual({c["target"]["path"] for c in channels}, {"rotation", "translation"})
        _, moved = animated(path)["C_Jaw_jnt"]  # the last of them: where it is
        np.testing.assert_allclose(moved[-1], [0.0, -0.2, -0.9], atol=1e-5)

    def test_time_before_zero_is_refused_where_the_format_has_none(self) -> None:
        head = open_head(self.rigged())
        worn = Dress(Fraction(24), head.channels, ((0.0, 1.0),), np.zeros((3, 1)))
        dressed = Dressed(replace(head, rig=builtin("mabel").rig))
        for name in ("x.glb", "x.gltf"):
            with self.subTest(name), self.assertRaisesRegex(SaveError, "no time before 0"):
                hand_over(worn, dressed, self.folder / name, Handing(first_frame=-10))
        hand_over(worn, dressed, self.folder / "x.csv", Handing(first_frame=-10))
        self.assertIn("\n-10,0.000000", (self.folder / "x.csv").read_text())

    def test_files_of_a_model_come_along_under_their_own_names(self) -> None:
        model = self.folder / "model"
        (model / "textures").mkdir(parents=True)
        made = Made()
        made.mesh({"up": UP})
        made.document["images"] = [{"uri": "textures/skin%20one.png"}]
        made.document["buffers"] = [{"byteLength": len(made.data), "uri": "points%20of%20it.bin"}]
        (model / "points of it.bin").write_bytes(bytes(made.data))
        (model / "textures" / "skin one.png").write_bytes(b"picture")
        (model / "face.gltf").write_text(json.dumps(made.document))
        head = read_gltf(model / "face.gltf")
        worn = Dress(Fraction(24), head.channels, ((0.0, 1.0),), np.linspace(0, 1, 5)[:, None])
        out = self.folder / "out"
        out.mkdir()
        dressed = Dressed(replace(head, rig=builtin("mabel").rig))
        hand_over(worn, dressed, out / "line.gltf", Handing(name="line"))
        self.assertEqual((out / "textures" / "skin one.png").read_bytes(), b"picture")
        again = read_gltf(out / "line.gltf")
        self.assertEqual((again.images, again.said), ((b"picture",), ()))
        hand_over(worn, dressed, out / "line.glb", Handing(name="line"))
        packed = read_container(out / "line.glb").document
        self.assertEqual(len(packed["buffers"]), 1)
        self.assertEqual(read_gltf(out / "line.glb").images, (b"picture",))

    def test_a_turned_bone_is_written_as_a_turn(self) -> None:
        head = open_head(self.rigged())
        values = np.linspace(0, 1, 12)[:, None]
        worn = Dress(Fraction(24), head.channels, ((0.0, 1.0),), values)
        path = self.folder / "line.glb"
        hand_over(
            worn, Dressed(replace(head, rig=builtin("mabel").rig)), path, Handing(name="line")
        )
        times, rows = animated(path)["C_Jaw_jnt"]
        self.assertAlmostEqual(float(2 * np.degrees(np.arccos(abs(rows[-1, 3])))), 22.0, places=3)
        self.assertEqual(struct.calcsize("f"), 4)
        self.assertAlmostEqual(float(times[-1]), 11 / 24, places=5)


if __name__ == "__main__":
    unittest.main()
