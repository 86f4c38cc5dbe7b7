"""A line on a head, handed over: read back by others' tools and libraries, equal within the stated error."""

from __future__ import annotations

import csv
import json
import shutil
import subprocess
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from functools import cache
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pygltflib
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.builtin import builtin
from glyphos.characters.dressing import Dress, Dressed
from glyphos.characters.models.container import read_container
from glyphos.characters.models.gltf import read_gltf
from glyphos.characters.models.opening import open_head
from glyphos.characters.posing import Poser
from glyphos.errors import SaveError
from glyphos.handoff.dressed import hand_over
from glyphos.handoff.handing import Handing
from glyphos.motion.curve import Motion
from glyphos.motion.fewest import eased, reduced
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from tests.characters.models import Made
from tests.characters.test_models import UP
from tests.examples import examples, some

TOOLS = Path(__file__).parents[2] / "tools"


@cache
def motion() -> Motion:
    return perform(Production.open(copy_demo()).line("01-mabel-beam").reading, fps=24)


@cache
def dress() -> tuple[Dressed, Dress]:
    dressed = Dressed(builtin("osric"))
    return dressed, dressed.wear(motion())


def animated(path: Path, *, whole: bool = False) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """Weights of the last animation by node: times and rows, the accessors decoded by the standard (glTF 2.0, 3.6).
    whole: whether pygltflib finds them, which takes it a second."""
    if whole:
        loader = pygltflib.GLTF2()
        gltf = (loader.load_json if path.suffix == ".gltf" else loader.load_binary)(str(path))
        chunk = gltf.binary_blob()
    else:
        held = read_container(path)
        gltf = json.loads(json.dumps(held.document), object_hook=lambda x: SimpleNamespace(**x))
        chunk = held.chunk
    blobs = {}

    def read(number: int) -> np.ndarray:
        accessor = gltf.accessors[number]
        view = gltf.bufferViews[accessor.bufferView]
        if view.buffer not in blobs:
            uri = getattr(gltf.buffers[view.buffer], "uri", None)
            blobs[view.buffer] = (path.parent / uri).read_bytes() if uri else chunk
        width = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[accessor.type]
        start = sum(getattr(x, "byteOffset", None) or 0 for x in (view, accessor))
        return np.frombuffer(blobs[view.buffer], np.float32, accessor.count * width, start)

    found = {}
    animation = gltf.animations[-1]
    for channel in animation.channels:
        sampler = animation.samplers[channel.sampler]
        times, values = read(sampler.input), read(sampler.output)
        found[gltf.nodes[channel.target.node].name] = times, values.reshape(len(times), -1)
    return found


class Files(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def hand(self, name: str, **more: object) -> Path:
        dressed, worn = dress()
        path = self.folder / name
        hand_over(worn, dressed, path, Handing(**{"name": path.stem, **more}))  # type: ignore[arg-type]
        return path

    def test_csv_has_every_channel_of_the_character_in_its_order(self) -> None:
        rows = list(csv.reader(self.hand("line.csv").read_text().splitlines()))
        self.assertEqual(tuple(rows[0]), ("frame", "seconds", *builtin("osric").channels))
        table = np.array(rows[1:], float)
        np.testing.assert_allclose(table[:, 2:], dress()[1].values, atol=1e-5)
        self.assertEqual(table[24, 1], 1.0)
        still = rows[0].index("blink_left")
        self.assertEqual(np.abs(table[:, still]).max(), 0.0)

    def test_json_keys_keep_the_stated_error_with_many_fewer_of_them(self) -> None:
        for error in some((0.005, 0.02), 1):
            document = json.loads(self.hand("line.json", error=error, first_frame=100).read_text())
            keys = values = 0
            for channel in document["channels"].values():
                frames, amounts = np.array(channel["keys"]).T
                self.assertEqual((frames[0], frames[-1]), (100, 100 + motion().frames - 1))
                between = np.interp(np.arange(motion().frames) + 100, frames, amounts)
                self.assertLessEqual(np.abs(between - channel["values"]).max(), error + 2e-5)
                keys, values = keys + len(frames), values + len(channel["values"])
            self.assertGreater(values, 6 * keys)

    def test_glb_is_the_own_file_with_an_animation_that_another_library_reads(self) -> None:
        path = self.hand("line.glb")
        before, after = read_container(builtin("osric").path), read_container(path)
        size = before.document["buffers"][0]["byteLength"]
        self.assertEqual(after.chunk[:size], before.chunk[:size])  # the rest byte for byte
        for part in ("nodes", "meshes", "materials", "scenes"):
            self.assertEqual(after.document[part], before.document[part])
        head, worn = builtin("osric"), dress()[1]
        for name, (times, rows) in animated(path, whole=True).items():
            order = after.item(
                "meshes", next(n for n in after.items("nodes") if n["name"] == name)["mesh"]
            )["extras"]["targetNames"]
            self.assertEqual(times[0], 0.0)
            frames = np.arange(worn.frames) / 24
            for k, target in enumerate(order):
                wanted = worn.values[:, head.channels.index(target)]
                self.assertLess(
                    np.abs(np.interp(frames, times, rows[:, k]) - wanted).max(), 0.0051, target
                )

    def test_gltf_leaves_the_model_in_a_file_of_its_own(self) -> None:
        path = self.hand("line.gltf")
        self.assertTrue((self.folder / "line-line.bin").is_file())
        self.assertEqual(read_gltf(path).targets, builtin("osric").targets)
        self.assertEqual(set(animated(path, whole=True)), set(animated(self.hand("same.glb"))))

    def test_rest_before_and_after_and_the_first_frame(self) -> None:
        rows = list(
            csv.reader(
                self.hand("line.csv", before=0.5, after=1.0, first_frame=1001)
                .read_text()
                .splitlines()
            )
        )
        table = np.array(rows[1:], float)
        self.assertEqual((table[0, 0], len(table)), (1001, motion().frames + 12 + 24))
        self.assertEqual(np.abs(table[:12, 2:]).max() + np.abs(table[-24:, 2:]).max(), 0.0)

    def test_endings_that_there_are_not_and_formats_that_do_not_fit(self) -> None:
        for name, words in (("x.fbx", "should end in"), ("x.vrma", "no VRM"), ("x.usda", "no USD")):
            with self.subTest(name), self.assertRaisesRegex(SaveError, words):
                self.hand(name)
            self.assertFalse((self.folder / name).exists())

    @unittest.skipUnless(shutil.which("node") and (TOOLS / "node_modules").is_dir(), "no Node")
    def test_khronos_validator_finds_no_fault(self) -> None:
        """gltf-validator of the Khronos Group, over what is written and over our own heads."""
        files = [str(self.hand(n)) for n in ("line.glb", "line.gltf")]
        files += [str(vrm_line(self.folder))]
        files += [str(builtin(n).path) for n in ("mabel", "pip")]  # the third is in the lines
        done = subprocess.run(
            ["node", str(TOOLS / "validate_gltf.js"), *files],
            capture_output=True,
            text=True,
            check=True,
        )
        for file, found in json.loads(done.stdout).items():
            self.assertEqual(
                (found["errors"], found["warnings"]), (0, 0), (file, found["messages"])
            )


def vrm_line(folder: Path) -> Path:
    """A VRM with two expressions, and a line on it."""
    made = Made()
    made.mesh({"Mouth A": UP, "Mouth U": -UP})
    bind = {"node": 0, "index": 0, "weight": 1.0}
    groups = {"preset": {"aa": {"morphTargetBinds": [bind]}, "ou": {"morphTargetBinds": [{**bind, "index": 1}]}},
              "custom": {"both": {"morphTargetBinds": [bind, {**bind, "index": 1, "weight": 0.5}]}}}  # fmt: skip
    made.document["extensions"] = {"VRMC_vrm": {"specVersion": "1.0", "expressions": groups}}
    head = read_gltf(made.save(folder / "face.vrm"))
    values = np.linspace(0, 1, 30)[:, None] * np.array([1.0, 0.5, 0.0])
    worn = Dress(Fraction(30), head.channels, ((0.0, 1.0),) * 3, values)
    dressed = Dressed(replace(head, rig=builtin("mabel").rig))
    hand_over(worn, dressed, folder / "line.vrma", Handing(name="line"))
    return folder / "line.vrma"


class Others(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_vrm_animation_slides_a_node_for_each_expression(self) -> None:
        """VRMC_vrm_animation 1.0: the x of a node's translation is the weight."""
        path = vrm_line(self.folder)
        extension = read_container(path).document["extensions"]["VRMC_vrm_animation"]
        self.assertEqual(extension["specVersion"], "1.0")
        self.assertEqual(
            (set(extension["expressions"]["preset"]), set(extension["expressions"]["custom"])),
            ({"aa", "ou"}, {"both"}),
        )
        times, rows = animated(path)["aa"]
        np.testing.assert_allclose(
            np.interp(np.arange(30) / 30, times, rows[:, 0]), np.linspace(0, 1, 30), atol=0.0051
        )

    def usd_head(self) -> Path:
        """A square with two blend shapes under a SkelRoot, made with usd-core."""
        from pxr import Usd, UsdGeom, UsdSkel, Vt

        path = self.folder / "face.usda"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        root = UsdSkel.Root.Define(stage, "/Face")
        stage.SetDefaultPrim(root.GetPrim())
        skeleton = UsdSkel.Skeleton.Define(stage, "/Face/Skel")
        mesh = UsdGeom.Mesh.Define(stage, "/Face/Skin")
        mesh.CreatePointsAttr([(-1, 0, -1), (1, 0, -1), (1, 0, 1), (-1, 0, 1)])
        mesh.CreateFaceVertexCountsAttr([4])
        mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
        binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
        binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
        binding.CreateBlendShapesAttr(Vt.TokenArray(["open", "wide"]))
        targets = []
        for name, offsets, index in (("open", [(0, 0, -1)], [0]), ("wide", [(1, 0, 0)] * 4, None)):
            shape = UsdSkel.BlendShape.Define(stage, f"/Face/Skin/{name}")
            shape.CreateOffsetsAttr(offsets)
            if index:
                shape.CreatePointIndicesAttr(index)
            targets.append(shape.GetPath())
        binding.CreateBlendShapeTargetsRel().SetTargets(targets)
        stage.Save()
        return path

    def test_usd_heads_are_read_with_their_shapes_and_their_up(self) -> None:
        head = open_head(self.usd_head())
        self.assertEqual((head.targets, head.vertices, head.triangles), (("open", "wide"), 4, 2))
        rest, opened = Poser(head).rest(), Poser(head).pose({"open": 1.0})[0]
        np.testing.assert_allclose(rest[2], [1, 1, 0], atol=1e-6)  # Z up becomes Y up
        np.testing.assert_allclose(opened[0] - rest[0], [0, -1, 0], atol=1e-6)

    def test_a_usd_layer_stands_over_the_own_file_and_usd_core_finds_no_fault(self) -> None:
        from pxr import Usd, UsdSkel, UsdValidation

        head = open_head(self.usd_head())
        values = np.linspace(0, 1, 25)[:, None] * np.array([1.0, 0.4])
        worn = Dress(Fraction(24), head.channels, ((0.0, 1.0),) * 2, values)
        path = self.folder / "shots" / "line.usda"
        path.parent.mkdir()
        hand_over(
            worn,
            Dressed(replace(head, rig=builtin("mabel").rig)),
            path,
            Handing(first_frame=101, name="line"),
        )
        stage = Usd.Stage.Open(str(path))
        self.assertEqual(
            (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()),
            (101, 125, 24),
        )
        skeleton = UsdSkel.Skeleton(stage.GetPrimAtPath("/Face/Skel"))
        query = UsdSkel.Cache().GetAnimQuery(
            UsdSkel.Animation(stage.GetPrimAtPath("/Face/Skel/glyphos_line"))
        )
        self.assertEqual(list(query.GetBlendShapeOrder()), ["open", "wide"])
        np.testing.assert_allclose(query.ComputeBlendShapeWeights(113), values[12], atol=1e-6)
        self.assertTrue(skeleton)
        context = UsdValidation.ValidationContext(
            UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        )
        faults = [f"{e.GetName()}: {e.GetMessage()}" for e in context.Validate(stage)]
        self.assertEqual([f for f in faults if "metersPerUnit" not in f], [])

    def test_bad_usd_is_one_sentence(self) -> None:
        from glyphos.errors import ModelError

        bad = self.folder / "bad.usda"
        for text in ("", "#usda 1.0\n(", "#usda 1.0\n", "not usd"):
            bad.write_text(text)
            with self.subTest(text), self.assertRaisesRegex(ModelError, r"bad\.usda.*\.$"):
                open_head(bad)
        with self.assertRaisesRegex(ModelError, "no model that Glyphos reads"):
            open_head(self.folder / "head.obj")
        good = self.usd_head().read_text()
        for there, instead in (
            ("offsets = [(0, 0, -1)]", "offsets = 5"),
            ("vector3f[] offsets", "strange[] offsets"),
            ("point3f[] points", "strange[] points"),
            ("int[] faceVertexCounts = [4]", "int[] faceVertexCounts = [9]"),
            ("int[] pointIndices = [0]", "int[] pointIndices = [7]"),
        ):
            self.assertIn(there.split(" = ")[0], good)
            bad.write_text(good.replace(there, instead))
            with self.subTest(instead), self.assertRaisesRegex(ModelError, r"bad\.usda.*\.$"):
                open_head(bad)

    def test_places_of_a_usd_that_are_no_numbers_are_zero(self) -> None:
        path = self.usd_head()
        path.write_text(path.read_text().replace("(0, 0, -1)", "(0, nan, inf)"))
        self.assertTrue(np.isfinite(Poser(open_head(path)).pose({"open": 1.0})[0]).all())


class Reduction(unittest.TestCase):
    @examples(75)
    @given(st.lists(st.floats(-1, 1), min_size=1, max_size=80), st.floats(0, 0.2))
    def test_no_frame_is_farther_off_than_stated(self, values: list[float], error: float) -> None:
        curve = np.array(values)
        keys = reduced(curve, 2.0, error)
        self.assertLessEqual(
            np.abs(keys.at(np.arange(len(curve))) - curve).max(), 2 * error + 1e-12
        )
        self.assertEqual((keys.frames[0], keys.frames[-1]), (0, len(curve) - 1))

    @examples(50)
    @given(st.lists(st.floats(-1, 1), min_size=1, max_size=60), st.floats(0.001, 0.2))
    def test_nor_with_eased_keys(self, values: list[float], error: float) -> None:
        curve = np.array(values)
        keys = eased(curve, 2.0, error)
        self.assertLessEqual(np.abs(keys.at(np.arange(len(curve))) - curve).max(), 2 * error + 1e-9)

    def test_eased_keys_agree_with_scipys_hermite_and_are_fewer(self) -> None:
        from scipy.interpolate import CubicHermiteSpline

        curve = np.sin(np.linspace(0, 9, 200)) * 0.5
        keys = eased(curve, 1.0)
        self.assertLess(2 * len(keys.frames), len(reduced(curve, 1.0).frames))
        a, b = keys.frames[:2]
        spline = CubicHermiteSpline([a, b], keys.values[:2], [keys.slope_out[0], keys.slope_in[1]])
        np.testing.assert_allclose(keys.at(np.arange(a, b)), spline(np.arange(a, b)), atol=1e-9)

    def test_a_straight_ramp_needs_two_keys(self) -> None:
        self.assertEqual(len(reduced(np.linspace(0, 1, 100), 1.0).frames), 2)


if __name__ == "__main__":
    unittest.main()
