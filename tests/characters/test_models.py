"""Reading models: against other libraries, by hand-made files, and what bad ones are told."""

from __future__ import annotations

import json
import random
import tempfile
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pygltflib
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.builtin import builtin, builtin_path
from glyphos.characters.models.container import Container, read_container
from glyphos.characters.models.gltf import read_gltf
from glyphos.characters.posing import Poser, face_normals, rotation
from glyphos.errors import ModelError
from tests.characters.models import FACES, QUAD, Made, cut, skinned
from tests.examples import examples

UP = np.array([[0, 1, 0], [0, 1, 0], [0, 0, 0], [0, 0, 0]], np.float32)


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def refused(self, path: Path, words: str) -> None:
        """One sentence that says what is wrong, and names the file."""
        with self.assertRaisesRegex(ModelError, words) as caught:
            read_gltf(path)
        text = str(caught.exception)
        self.assertTrue(text.endswith(".") and "\n" not in text and "Traceback" not in text, text)


def rounded(points: np.ndarray) -> set[tuple[int, ...]]:
    return {tuple(p) for p in np.rint(points * 1000).astype(int).tolist()}


class AgainstOthers(Folder):
    def test_our_heads_are_read_as_pygltflib_reads_them(self) -> None:
        """pygltflib: another reader of glTF; its raw bytes are decoded here by the standard."""
        other = pygltflib.GLTF2().load(str(builtin_path("osric")))
        blob, head = other.binary_blob(), builtin("osric")
        for node, piece in [(other.nodes[p.node], p) for p in head.pieces]:
            mesh = other.meshes[node.mesh]
            accessor = other.accessors[mesh.primitives[0].attributes.POSITION]
            view = other.bufferViews[accessor.bufferView]
            start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
            points = np.frombuffer(blob, np.float32, accessor.count * 3, start).reshape(-1, 3)
            np.testing.assert_array_equal(points, piece.positions)
            names = (mesh.extras or {}).get("targetNames", [])
            self.assertLessEqual(set(piece.shapes), set(names))

    def test_a_file_that_trimesh_wrote_is_read_with_its_hierarchy(self) -> None:
        """trimesh: a general library for meshes; a scaled, turned and moved box."""
        import trimesh

        box = trimesh.creation.box(extents=(1, 2, 3))
        turn = trimesh.transformations.rotation_matrix(0.7, [0, 1, 0], [1, 0, 0])
        turn[:3, :3] *= 2.5
        scene = trimesh.Scene()
        scene.add_geometry(box, transform=turn)
        path = self.folder / "box.glb"
        path.write_bytes(scene.export(file_type="glb"))
        points = Poser(read_gltf(path)).rest()
        wanted = trimesh.transform_points(box.vertices, turn)
        self.assertEqual(rounded(points), rounded(wanted))

    def test_normals_agree_with_trimesh(self) -> None:
        import trimesh

        ball = trimesh.creation.icosphere(3)
        ours = face_normals(ball.vertices.astype("f4"), ball.faces)
        self.assertGreater(float((ours * ball.vertices).sum(1).min()), 0.995)

    def test_a_turn_agrees_with_scipy(self) -> None:
        from scipy.spatial.transform import Rotation

        axis = np.array([0.3, -0.5, 0.8]) / np.linalg.norm([0.3, -0.5, 0.8])
        wanted = Rotation.from_rotvec(np.radians(37) * axis).as_matrix()
        np.testing.assert_allclose(rotation(tuple(axis), 37)[:3, :3], wanted, atol=1e-12)


class Reading(Folder):
    def quad(self, name: str = "quad.glb", **targets: np.ndarray) -> Path:
        made = Made()
        made.mesh(targets or {"up": UP})
        return made.save(self.folder / name)

    def test_targets_move_what_they_should(self) -> None:
        head = read_gltf(self.quad())
        self.assertEqual((head.targets, head.vertices, head.triangles), (("up",), 4, 2))
        np.testing.assert_allclose(Poser(head).pose({"up": 0.5})[0], QUAD + 0.5 * UP)

    def test_sparse_interleaved_and_quantised_arrays(self) -> None:
        made = Made()
        primitive = made.mesh()
        where = made.view(np.array([0, 1], np.uint8).tobytes())
        values = made.view(UP[:2].tobytes())
        sparse = {
            "count": 2,
            "indices": {"bufferView": where, "componentType": 5121},
            "values": {"bufferView": values},
        }
        made.document["accessors"].append(
            {"componentType": 5126, "count": 4, "type": "VEC3", "sparse": sparse}
        )
        primitive["targets"] = [{"POSITION": len(made.document["accessors"]) - 1}]
        rows = np.zeros(4, [("p", "<f4", 3), ("rest", "<f4", 2)])
        rows["p"] = QUAD
        accessor = made.document["accessors"][primitive["attributes"]["POSITION"]]
        accessor["bufferView"] = made.view(rows.tobytes(), byteStride=20)
        short = np.array([[0, 0, 32767, 0]] * 4, np.int16)
        view = made.view(short.tobytes(), byteStride=8)
        made.document["accessors"].append(
            {
                "bufferView": view,
                "componentType": 5122,
                "count": 4,
                "type": "VEC3",
                "normalized": True,
            }
        )
        primitive["attributes"]["NORMAL"] = len(made.document["accessors"]) - 1
        made.document["extensionsRequired"] = ["KHR_mesh_quantization"]
        head = read_gltf(made.save(self.folder / "packed.glb"))
        np.testing.assert_allclose(head.pieces[0].positions, QUAD)
        np.testing.assert_allclose(head.pieces[0].normals, [[0, 0, 1]] * 4)
        np.testing.assert_allclose(Poser(head).pose({"target 0": 1.0})[0], QUAD + UP)
        self.assertIn("no names", head.said[0])

    def test_one_name_on_several_meshes_is_one_channel(self) -> None:
        made = Made()
        made.mesh({"open": UP, "wide": UP})
        made.mesh({"open": 2 * UP})
        head = read_gltf(made.save(self.folder / "two.glb"))
        self.assertEqual(head.targets, ("open", "wide"))
        moved = Poser(head).pose({"open": 1.0})[0]
        np.testing.assert_allclose(moved, np.concatenate([QUAD + UP, QUAD + 2 * UP]))

    def test_bones_carry_what_they_hold(self) -> None:
        made = skinned()
        head = read_gltf(made.save(self.folder / "skin.glb"))
        poser = Poser(head)
        np.testing.assert_allclose(poser.rest(), QUAD, atol=1e-6)
        turned = poser.pose({}, {head.node("jaw"): rotation((0, 0, 1), 90)})[0]
        np.testing.assert_allclose(turned[1], [2, 0, 0], atol=1e-6)  # (1, −1) about (1, 0)
        np.testing.assert_allclose(turned[2], [0.5, 0.5, 0], atol=1e-6)  # half of each
        np.testing.assert_allclose(turned[0], QUAD[0], atol=1e-6)

    def test_vrm_expressions_are_channels(self) -> None:
        """VRM 1.0 `expressions` and 0.x `blendShapeMaster`, as their specifications write them."""
        for version in ("1", "0"):
            made = Made()
            made.mesh({"Face.M_A": UP, "Face.M_Up": 2 * UP})
            if version == "1":
                bind = {"node": 0, "index": 0, "weight": 1.0}
                groups = {"preset": {"aa": {"morphTargetBinds": [bind]}, "blink": {}},
                          "custom": {"both": {"morphTargetBinds": [bind, {**bind, "index": 1, "weight": 0.5}]}}}  # fmt: skip
                made.document["extensions"] = {
                    "VRMC_vrm": {"specVersion": "1.0", "expressions": groups}
                }
            else:
                bind = {"mesh": 0, "index": 0, "weight": 100}
                groups = [{"presetName": "a", "name": "A", "binds": [bind]},
                          {"presetName": "unknown", "name": "both", "binds": [bind, {**bind, "index": 1, "weight": 50}]}]  # fmt: skip
                made.document["extensions"] = {
                    "VRM": {"blendShapeMaster": {"blendShapeGroups": groups}}
                }
            head = read_gltf(made.save(self.folder / "face.vrm"))
            self.assertEqual(head.channels, ("aa", "both"))
            np.testing.assert_allclose(Poser(head).pose({"both": 1.0})[0], QUAD + 2 * UP)

    def test_textures_in_the_file_and_beside_it_and_missing_ones_are_told(self) -> None:
        made = Made()
        primitive = made.mesh({"up": UP})
        primitive["material"] = 0
        made.document["images"] = [{"uri": "skin.png"}]
        made.document["textures"] = [{"source": 0}]
        made.document["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]
        path = made.save(self.folder / "textured.glb")
        head = read_gltf(path)
        self.assertEqual(head.images, (b"",))
        self.assertIn("skin.png beside it", head.said[0])
        (self.folder / "skin.png").write_bytes(b"picture")
        self.assertEqual(read_gltf(path).images, (b"picture",))

    def test_a_document_with_its_buffer_beside_it_or_written_into_it(self) -> None:
        import base64

        made = Made()
        made.mesh({"up": UP})
        made.document["buffers"] = [{"byteLength": len(made.data), "uri": "points%20of%20it.bin"}]
        path = self.folder / "plain.gltf"
        path.write_text(json.dumps(made.document))
        self.refused(path, "points of it.bin beside it")
        (self.folder / "points of it.bin").write_bytes(bytes(made.data))
        self.assertEqual(read_gltf(path).targets, ("up",))
        text = base64.b64encode(bytes(made.data)).decode()
        made.document["buffers"][0]["uri"] = "data:application/octet-stream;base64," + text
        path.write_text(json.dumps(made.document))
        self.assertEqual(read_gltf(path).targets, ("up",))


class Bad(Folder):
    def made(self, change: Callable[[Made], object]) -> Path:
        made = Made()
        made.mesh({"up": UP})
        change(made)
        return made.save(self.folder / "bad.glb")

    def test_each_fault_is_one_sentence(self) -> None:
        def buffers(uri: str) -> Callable[[Made], object]:
            return lambda m: (
                m.document["bufferViews"].__setitem__(0, {"buffer": 1, "byteLength": 4})
                or m.document.update(buffers=[{"byteLength": 1}, {"byteLength": 4, "uri": uri}])
            )

        for words, change in (
            ("no mesh", lambda m: m.document["nodes"].__setitem__(0, {})),
            ("in a circle", lambda m: m.document["nodes"].append({"children": [1]})),
            ("in a circle", lambda m: m.document["nodes"].extend([{"children": [2]}, {"children": [1]}])),
            ("number 7 of its accessors", lambda m: m.document["meshes"][0]["primitives"][0].update(indices=7)),
            ("outside its buffer", lambda m: m.document["accessors"][0].update(byteOffset=10_000)),
            ("more than a head can have", lambda m: m.document["accessors"][0].update(count=10**9)),
            ("unknown kind", lambda m: m.document["accessors"][0].update(componentType=9)),
            ("corner that is not there", lambda m: m.document["accessors"][1].update(bufferView=0, componentType=5123)),
            ("KHR_draco_mesh_compression", lambda m: m.document.update(extensionsRequired=["KHR_draco_mesh_compression"])),
            ("no number", lambda m: m.document["nodes"][0].update(translation=["x", 0, 0])),
            ("has no points", lambda m: m.document["meshes"][0]["primitives"][0].update(attributes={})),
            ("another number of points", lambda m: m.document["accessors"][2].update(count=3)),
            ("its accessors are no list", lambda m: m.document.update(accessors={"0": 1})),
            ("its accessors are no list", lambda m: m.document["accessors"].__setitem__(1, "first")),
            ("not glTF 2.0", lambda m: m.document.update(asset={"version": "1.0"})),
        ):  # fmt: skip
            with self.subTest(words):
                self.refused(self.made(change), words)

    def test_to_find_one_entry_the_others_are_not_looked_at(self) -> None:
        class Long(list):  # type: ignore[type-arg]
            def __iter__(self) -> Iterator[object]:
                raise AssertionError("All of them were looked at.")

        container = Container(Path("x.glb"), {"accessors": Long([{"count": 1}, {"count": 2}])}, b"")
        self.assertEqual(container.item("accessors", 1)["count"], 2)

    def test_paths_that_lead_out_of_the_folder_are_not_opened(self) -> None:
        for uri in ("../secret.bin", "/etc/passwd", "https://example.org/a.bin", "a/../../b.bin"):
            made = Made()
            made.mesh({"up": UP})
            made.document["buffers"] = [{"byteLength": 4, "uri": uri}]
            path = self.folder / "out.gltf"
            path.write_text(json.dumps(made.document))
            self.refused(path, "outside its folder")

    def test_files_that_are_none(self) -> None:
        whole = self.made(lambda m: None)
        for data, words in (
            (b"", "not a glTF file"), (b"{", "not a glTF file"), (b"[]", "not a glTF file"),
            (b"\x89PNG\r\n", "not a glTF file"), (b"glTF", "cut off"), (whole.read_bytes()[:200], "cut off"),
            (b"[" * 100_000, "not a glTF file"),
        ):  # fmt: skip
            path = self.folder / "none.glb"
            path.write_bytes(data)
            self.refused(path, words)
        self.refused(self.folder / "nowhere.glb", "no file")
        big = self.folder / "big.glb"
        with big.open("wb") as file:
            file.truncate(2 << 30)
        self.refused(big, "2.1 GB")

    @examples(60)
    @given(st.integers(0, 2**32 - 1))
    def test_whatever_is_changed_in_a_file_it_is_read_or_refused(self, seed: int) -> None:
        dice = random.Random(seed)
        data = bytearray(SMALL.read_bytes())
        if dice.random() < 0.5:
            for _ in range(dice.randint(1, 12)):
                data[dice.randrange(len(data))] = dice.randrange(256)
        else:
            document = json.loads(json.dumps(read_container(SMALL).document))
            for _ in range(dice.randint(1, 4)):
                _spoil(document, dice)
            made = Made()
            made.document, made.data = document, bytearray(read_container(SMALL).chunk)
            data = bytearray(made.save(Path(tempfile.mkdtemp()) / "x.glb").read_bytes())
        path = self.folder / "fuzzed.glb"
        path.write_bytes(data)
        try:
            head = read_gltf(path)
            Poser(head).pose(dict.fromkeys(head.channels, 0.5))
        except ModelError as error:
            self.assertTrue(str(error).endswith("."), error)


def _spoil(value: object, dice: random.Random) -> None:
    """Change one thing somewhere in a document."""
    while True:
        keys = list(value) if isinstance(value, dict) else list(range(len(value)))  # type: ignore[arg-type]
        if not keys:
            return
        key = dice.choice(keys)
        inner = value[key]  # type: ignore[index]
        if isinstance(inner, dict | list) and inner and dice.random() < 0.85:
            value = inner
            continue
        value[key] = dice.choice(
            [None, -1, 0, 3, 10**9, 1.5, "x", [], {}, [1, "a"], True, float(2**40)]
        )  # type: ignore[index]
        return


def _small() -> Path:
    made = Made()
    primitive = made.mesh({"up": UP, "down": -UP})
    primitive["attributes"]["JOINTS_0"] = made.add(np.zeros((4, 4), np.uint8))
    primitive["attributes"]["WEIGHTS_0"] = made.add(np.ones((4, 4), np.float32))
    primitive["attributes"]["TEXCOORD_0"] = made.add(np.zeros((4, 2), np.float32))
    primitive["attributes"]["COLOR_0"] = made.add(np.full((4, 4), 200, np.uint8), normalized=True)
    primitive["material"] = 0
    made.document["materials"] = [{"name": "m", "alphaMode": "MASK"}]
    made.document["nodes"][0]["skin"] = 0
    made.document["nodes"].append({"name": "bone", "rotation": [0, 0, 0, 1], "scale": [1, 1, 1]})
    made.document["skins"] = [{"joints": [1]}]
    bind = {"node": 0, "index": 0, "weight": 1.0}
    made.document["extensions"] = {
        "VRMC_vrm": {"expressions": {"preset": {"aa": {"morphTargetBinds": [bind]}}}}
    }
    return made.save(Path(tempfile.mkdtemp()) / "small.glb")


SMALL = _small()
assert len(FACES) == 6 and cut is not None

if __name__ == "__main__":
    unittest.main()
