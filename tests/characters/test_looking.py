"""Eyes and heads of foreign models turn the way a channel says, whichever way they look."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np

from glyphos.characters.builtin import builtin
from glyphos.characters.head import Array, Head
from glyphos.characters.models.opening import open_head
from glyphos.characters.posing import Poser, turns_of
from tests.characters.models import QUAD, Made

TIPPED = [
    0.0,
    0.3826834,
    0.0,
    0.9238795,
]  # an eighth of a turn, so that bones have axes of their own


class Looking(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def model(self, eyes: tuple[str, str] = ("Eye_L", "eyeRight"), *, front: float = 1.0) -> Made:
        """A square each for face and eyes; what lies before an eye is its third point."""
        made = Made()
        made.mesh({"up": np.full((4, 3), 0.1, np.float32)})
        points = QUAD.copy()
        points[2] = (0, 0, front)
        accessor = made.add(points, min=points.min(0).tolist(), max=points.max(0).tolist())
        face = made.document["meshes"][0]["primitives"][0]
        made.document["meshes"].append(
            {"primitives": [{"attributes": {"POSITION": accessor}, "indices": face["indices"]}]}
        )
        made.document["nodes"] += [
            {"name": "Head", "rotation": TIPPED, "children": [0, 2, 3, 4]},
            {"name": eyes[0], "mesh": 1, "translation": [1, 1, 0]},
            {"name": eyes[1], "mesh": 1, "translation": [-1, 1, 0]},
            {"name": "eyebrow_L"},
        ]
        made.document["scenes"] = [{"nodes": [1]}]
        return made

    def front(self, head: Head, **values: float) -> Array:
        """Where what lies before the eyes goes, beside rest."""
        poser = Poser(head)
        moved = poser.pose({}, turns_of(head, values))[0] - poser.rest()
        return moved[6], moved[10]  # type: ignore[return-value]

    def test_eyes_found_by_name_turn_to_their_own_right_and_up(self) -> None:
        """As on our own heads, whose rig says how (`gaze_yaw`: positive to their own right)."""
        made = self.model()
        made.document["nodes"][1].pop("rotation")
        head = open_head(made.save(self.folder / "eyes.glb"))
        self.assertEqual(
            [head.nodes[k].name for k, _, _ in head.turns["gaze_yaw"]], ["Eye_L", "eyeRight"]
        )
        self.assertIn("Eye_L and eyeRight turn with the gaze", head.said)
        for moved in self.front(head, gaze_yaw=30.0):
            np.testing.assert_allclose(moved, [-0.5, 0, np.cos(np.pi / 6) - 1], atol=1e-6)
        for moved in self.front(head, gaze_pitch=30.0):
            np.testing.assert_allclose(moved, [0, 0.5, np.cos(np.pi / 6) - 1], atol=1e-6)
        ours = builtin("mabel")
        (eye,) = [k for k, n in enumerate(ours.nodes) if n.name == "eye_left"]
        for channel in ("gaze_yaw", "gaze_pitch"):
            turned = turns_of(ours, {channel: 10.0})[eye][:3, :3] @ (0, 0, 1)
            theirs = turns_of(head, {channel: 10.0})[2][:3, :3] @ (0, 0, 1)
            np.testing.assert_allclose(turned, theirs, atol=1e-9)

    def test_bones_with_axes_of_their_own_turn_about_those_of_the_world(self) -> None:
        head = open_head(self.model().save(self.folder / "tipped.glb"))
        for moved in self.front(head, gaze_pitch=20.0):
            self.assertGreater(moved[1], 0.2)
        poser = Poser(head)
        nod = poser.pose({}, turns_of(head, {"head_pitch": 90.0}))[0] - poser.rest()
        self.assertGreater(np.ptp(nod[:, 1]), 1.0)  # the whole head, eyes and all

    def test_humanoid_bones_of_a_vrm_come_first_and_those_of_0_look_backwards(self) -> None:
        """VRM 0.x models look along −Z, those of 1.0 along +Z (VRM 1.0, humanoid)."""
        bones = {"leftEye": 2, "rightEye": 3, "head": 1}
        for version, front in (("1", 1.0), ("0", -1.0)):
            made = self.model(("a", "b"), front=front)
            made.document["nodes"][1].pop("rotation")
            made.document["extensions"] = (
                {"VRMC_vrm": {"humanoid": {"humanBones": {k: {"node": n} for k, n in bones.items()}}}}
                if version == "1" else
                {"VRM": {"humanoid": {"humanBones": [{"bone": k, "node": n} for k, n in bones.items()]}}}
            )  # fmt: skip
            head = open_head(made.save(self.folder / f"of{version}.vrm"))
            with self.subTest(version):
                self.assertEqual({k for k, _, _ in head.turns["gaze_yaw"]}, {2, 3})
                for moved in self.front(head, gaze_yaw=30.0):
                    self.assertAlmostEqual(float(moved[0]), -0.5 * front, places=5)
                for moved in self.front(head, gaze_pitch=30.0):
                    self.assertAlmostEqual(float(moved[1]), 0.5, places=5)

    def test_eyes_made_in_one_place_with_the_head_turn_about_their_own_middles(self) -> None:
        """As where every part of a head has its origin between the feet."""
        made = self.model()
        for node in made.document["nodes"][2:4]:
            far = node.pop("translation")
            node["matrix"] = [*np.eye(4).ravel()[:12].tolist(), 0, 0, 0, 1]
            node["mesh"] = len(made.document["meshes"])
            points = (QUAD * 0.2 + np.array([far[0], 17, 0.5])).astype(np.float32)
            accessor = made.add(points, min=points.min(0).tolist(), max=points.max(0).tolist())
            indices = made.document["meshes"][0]["primitives"][0]["indices"]
            made.document["meshes"].append(
                {"primitives": [{"attributes": {"POSITION": accessor}, "indices": indices}]}
            )
        made.document["nodes"][1].pop("rotation")
        head = open_head(made.save(self.folder / "far.glb"))
        poser = Poser(head)
        rest, turned = poser.rest(), poser.pose({}, turns_of(head, {"gaze_yaw": 40.0}))[0]
        for eye in (slice(4, 8), slice(8, 12)):
            np.testing.assert_allclose(turned[eye].mean(0), rest[eye].mean(0), atol=1e-5)
            self.assertGreater(np.abs(turned[eye] - rest[eye]).max(), 0.04)

    def test_a_head_that_would_leave_its_face_behind_stays(self) -> None:
        for children in ([0], [2, 3, 4]):  # without its eyes, without its skin
            made = self.model()
            made.document["nodes"][1]["children"] = children
            made.document["scenes"] = [{"nodes": [k for k in range(5) if k not in children]}]
            head = open_head(made.save(self.folder / "apart.glb"))
            self.assertNotIn("head_yaw", head.turns)
            self.assertIn("gaze_yaw", head.turns)

    def test_what_is_named_alike_but_holds_nothing_or_is_no_eye_stays(self) -> None:
        made = self.model(("eyelid_L", "EyeTarget"))
        made.document["nodes"] += [{"name": "eye_R_goal"}]
        made.document["nodes"][1].update(name="skull")
        head = open_head(made.save(self.folder / "none.glb"))
        self.assertEqual(dict(head.turns), {})


if __name__ == "__main__":
    unittest.main()
