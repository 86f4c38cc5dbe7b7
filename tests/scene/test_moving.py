"""Recorded motions of bodies: placed, looped and laid into faces; bones of skins that have their names."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import msgspec
import numpy as np
from scipy.spatial.transform import Rotation

from glyphos.characters.bones import driven, matched, open_body, plain
from glyphos.characters.bvh import read_body
from glyphos.characters.models.opening import open_head
from glyphos.characters.posing import Poser
from glyphos.errors import DocumentError
from glyphos.production.copying import save_copy
from glyphos.production.kinds import scene_key
from glyphos.production.scenes import motion_brought_in
from glyphos.scene.documents import Lane, Move, Scene, check_scene
from glyphos.scene.moving import EASE, SEAM, laid, lay
from tests.characters.models import QUAD, Made
from tests.scene.scenes import demo, filming

FPS = 24.0
JOINT = "{{\nOFFSET 0 0 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n{}\n}}\n"


def bvh(rows: list[list[float]], *, step: float = 1 / 24) -> bytes:
    """Hips, neck and head; three numbers (z, x, y, degrees) for each on a row."""
    inner = JOINT.format("End Site\n{\nOFFSET 0 1 0\n}")
    neck = JOINT.format("JOINT Head\n" + inner)
    text = "HIERARCHY\nROOT Hips\n" + JOINT.format("JOINT a:Neck_01\n" + neck)
    lines = "\n".join(" ".join(str(v) for v in row) for row in rows)
    return f"{text}MOTION\nFrames: {len(rows)}\nFrame Time: {step}\n{lines}\n".encode()


def turning(frames: int = 48, yaw: float = 20.0) -> bytes:
    """A head that turns evenly about the vertical."""
    return bvh([[0] * 6 + [0, 0, yaw * k / (frames - 1)] for k in range(frames)])


class Placing(unittest.TestCase):
    def test_it_lasts_as_long_as_it_is_or_until_the_next(self) -> None:
        own = laid(Move("a", 1.0), 2.0, 10.0, 240, FPS)
        self.assertEqual((own.first, own.frames.stop), (24, 72))
        np.testing.assert_allclose(own.phases, np.arange(48) / 24)
        self.assertEqual(
            len(laid(Move("a", 1.0, cut=0.5, length=0.5), 2.0, 10, 240, FPS).phases), 12
        )
        self.assertEqual(len(laid(Move("a", 1.0), 2.0, 1.5, 240, FPS).phases), 12)
        self.assertEqual(len(laid(Move("a", 1.0, loop=True), 2.0, 10.0, 240, FPS).phases), 216)
        self.assertEqual(len(laid(Move("a", 99.0), 2.0, 10.0, 240, FPS).phases), 0)

    def test_a_loop_goes_over_into_its_beginning(self) -> None:
        own = laid(Move("a", loop=True), 2.0, 20.0, 480, FPS)
        curves = {"head_yaw": np.zeros(480)}
        times = np.arange(49) / 24
        lay(curves, own, times, {"head_yaw": 10 * times})  # it ends far from where it began
        inside = curves["head_yaw"][24:456]
        jump = 10 * 2.0
        self.assertLess(np.abs(np.diff(inside)).max(), 1.5 * jump / (SEAM * FPS))
        self.assertGreater(inside.max(), 15)

    def test_in_place_of_the_heads_own_or_added_to_it_with_soft_ends(self) -> None:
        times, still = np.arange(49) / 24, {"head_yaw": np.full(49, 10.0)}
        for instead, share, wanted in ((True, 1.0, 10.0), (False, 1.0, 15.0), (True, 0.5, 7.5)):
            curves = {"head_yaw": np.full(120, 5.0), "head_roll": np.zeros(120)}
            lay(
                curves,
                laid(Move("a", 1.0, share=share, instead=instead), 2.0, 5, 120, FPS),
                times,
                still,
            )
            with self.subTest(instead=instead, share=share):
                self.assertAlmostEqual(curves["head_yaw"][48], wanted)
                np.testing.assert_array_equal(curves["head_yaw"][[0, 23, 73]], 5.0)
                self.assertLess(np.abs(np.diff(curves["head_yaw"])).max(), 2.0 * 10 / (EASE * FPS))

    def test_what_cannot_be_is_one_sentence(self) -> None:
        for move, said in (
            (Move(""), "outside"),
            (Move("/x.bvh"), "outside"),
            (Move("a", share=3), "share that cannot"),
        ):
            with self.subTest(said), self.assertRaisesRegex(DocumentError, said):
                check_scene(Scene("s", lanes=(Lane("A", moves=(move,)),)))
        with self.assertRaisesRegex(DocumentError, "does not speak"):
            check_scene(Scene("s", lanes=(Lane("bed", speaks=False, moves=(Move("a.bvh"),)),)))


class Bones(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def head(self):  # type: ignore[no-untyped-def]
        """A square that hangs on a tipped neck and a head, with bones of those names."""
        made = Made()
        face = made.mesh({"up": np.full((4, 3), 0.1, np.float32)})
        face["attributes"]["JOINTS_0"] = made.add(
            np.tile(np.array([[1, 0, 0, 0]], np.uint8), (4, 1))
        )
        face["attributes"]["WEIGHTS_0"] = made.add(
            np.tile(np.array([[1, 0, 0, 0]], np.float32), (4, 1))
        )
        tipped = Rotation.from_euler("y", 45, degrees=True)
        made.document["nodes"] += [
            {"name": "Neck 01", "rotation": tipped.as_quat().tolist(), "children": [2]},
            {"name": "HEAD", "translation": [0, 0.5, 0]},
        ]
        world = [np.eye(4), np.eye(4)]
        world[0][:3, :3] = tipped.as_matrix()
        world[1][:3, :3], world[1][1, 3] = tipped.as_matrix(), 0.5
        inverse = np.stack([np.linalg.inv(w).T for w in world]).astype(np.float32)
        made.document["skins"] = [
            {"joints": [1, 2], "inverseBindMatrices": made.add(inverse.reshape(2, 16))}
        ]
        made.document["nodes"][0]["skin"] = 0
        made.document["scenes"] = [{"nodes": [0, 1]}]
        return open_head(made.save(self.folder / "head.glb"))

    def test_names_are_compared_without_what_programs_add(self) -> None:
        self.assertEqual(plain("rig|a:Neck_01"), "neck01")
        head, body = self.head(), read_body(turning(), "a.bvh")
        self.assertEqual(matched(head, body), {1: "a:Neck_01", 2: "Head"})
        self.assertEqual(matched(open_head("mabel"), body), {})  # no skin: all goes to its channels

    def test_a_bone_turns_in_the_world_as_the_joint_does(self) -> None:
        """Whatever axes it has: the square turns as the two joints together, by SciPy's own rotations."""
        rows = [[0.0] * 9, [0, 0, 0, 0, 30, 0, 0, 0, 40]]  # the neck nods, the head turns
        head, body = self.head(), read_body(bvh(rows), "a.bvh")
        ends = np.array([0.0, 1 / 24])
        turns = driven(head, body, matched(head, body), ends, ends, np.ones(2), np.ones(2))
        matrices = {}
        for node, own in turns.items():
            matrices[node] = np.eye(4)
            matrices[node][:3, :3] = own[1]
            np.testing.assert_allclose(own[0], np.eye(3), atol=1e-9)
        posed = Poser(head).pose({}, matrices)[0]
        nod = Rotation.from_euler("x", 30, degrees=True)
        turn = Rotation.from_euler("y", 40, degrees=True)
        pivot = np.array([0, 0.5, 0])
        wanted = nod.apply(turn.apply(QUAD - pivot) + pivot)
        np.testing.assert_allclose(posed, wanted, atol=1e-5)
        half = driven(head, body, {2: "Head"}, ends, ends, np.ones(2), np.full(2, 0.5))[2][1]
        self.assertAlmostEqual(np.degrees(Rotation.from_matrix(half).magnitude()), 20, places=4)

    def test_a_scene_is_moved_by_it_and_takes_it_along(self) -> None:
        source = self.folder / "turn.bvh"
        source.write_bytes(turning())
        production = demo()
        file = motion_brought_in(production.folder, source)
        with self.assertRaisesRegex(DocumentError, "choose a BVH"):
            motion_brought_in(production.folder, self.folder / "x.csv")
        plainly = filming()
        lane = plainly.scene.lanes[0]
        moved = msgspec.structs.replace(lane, moves=(Move(file, 0.5, loop=True),))
        scene = msgspec.structs.replace(plainly.scene, lanes=(moved, *plainly.scene.lanes[1:]))
        film = filming(scene=scene)
        yaw = film.faces[lane.name].channel("head_yaw")
        self.assertAlmostEqual(float(yaw[12 + 24]), -20 * 24 / 47, delta=0.5)  # to its own left
        np.testing.assert_array_equal(yaw[:12], plainly.faces[lane.name].channel("head_yaw")[:12])
        copy = save_copy(
            production.changed({scene_key("s"): msgspec.structs.replace(scene, slug="s")}),
            self.folder / "c",
        )
        self.assertTrue((copy / file).is_file())

    def test_bones_take_the_place_of_channels(self) -> None:
        from glyphos.handoff.bodies import bones_of, moving

        path = self.folder / "turn.bvh"
        path.write_bytes(turning())
        scene = Scene("s", lanes=(Lane("A", moves=(Move("turn.bvh"),)),))
        (own,) = moving(scene, "A", self.folder, self.head(), 48, FPS)
        self.assertFalse(np.any(own.recorded.curves["head_yaw"]))
        turned = bones_of([own], 48)
        self.assertEqual(set(turned), {1, 2})
        self.assertGreater(Rotation.from_matrix(turned[2][30]).magnitude(), 0.1)
        self.assertIs(open_body(path), open_body(path))
        with self.assertRaisesRegex(DocumentError, "is not there"):
            open_body(self.folder / "no.bvh")


if __name__ == "__main__":
    unittest.main()
