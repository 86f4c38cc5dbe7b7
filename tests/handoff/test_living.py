"""A living face handed over: heads and eyes turn in the files, as another library reads them."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from glyphos.characters.builtin import builtin
from glyphos.characters.bvh import read_bvh
from glyphos.characters.dressing import Dress, Dressed
from glyphos.characters.models.container import read_container
from glyphos.characters.models.gltf import read_gltf
from glyphos.errors import DocumentError
from glyphos.handoff.bvh import to_bvh
from glyphos.handoff.dressed import hand_over
from glyphos.handoff.handing import Handing
from glyphos.motion.delivery import Delivery
from glyphos.motion.layers import Layer, compose
from glyphos.motion.life.living import live
from glyphos.motion.perform import perform
from tests.characters.models import Made
from tests.characters.test_models import UP
from tests.handoff.test_characters import animated
from tests.voice.test_voice import line, voice


class Case(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        speech = perform(line(0)[1], fps=24)
        self.motion = compose(speech, line(0)[1], Delivery(), life=live(voice(0), None, "x"))


class Turned(Case):
    def test_head_and_eyes_of_a_glb_turn_as_far_as_the_motion_says(self) -> None:
        """The size of each turn, by SciPy's rotations, within the stated error of a quaternion."""
        dressed = Dressed(builtin("mabel"))
        dress = dressed.wear(self.motion)
        path = self.folder / "line.glb"
        hand_over(dress, dressed, path, Handing(name="line", error=0.001))
        found = animated(path)
        seconds = np.arange(self.motion.frames) / 24
        names = {
            n
            for channel, (nodes, _) in dressed.head.rig.turns.items()
            if channel.startswith("head")
            for n in nodes
        }
        head = next(n for n in found if n in names)
        times, turns = found[head]
        own = np.stack([np.interp(seconds, times, turns[:, k]) for k in range(4)], 1)
        rest = Rotation.from_matrix(dressed.head.nodes[dressed.head.node(head)].matrix[:3, :3])
        turned = (rest.inv() * Rotation.from_quat(own)).magnitude()
        yaw, pitch, roll = (
            np.radians(self.motion.channel(f"head_{a}")) for a in ("yaw", "pitch", "roll")
        )
        np.testing.assert_allclose(
            np.degrees(turned), np.degrees(np.sqrt(yaw**2 + pitch**2 + roll**2)), atol=0.6
        )
        eyes = [n for n in found if "eye" in n.lower() and found[n][1].shape[1] == 4]
        self.assertEqual(len(eyes), 2)

    def test_rest_around_a_line_looks_straight_ahead(self) -> None:
        dressed = Dressed(builtin("pip"))
        path = self.folder / "line.glb"
        hand_over(
            dressed.wear(self.motion), dressed, path, Handing(name="line", before=0.5, after=0.5)
        )
        for times, turns in animated(path).values():
            if turns.shape[1] == 4:
                self.assertGreater(abs(turns[0] @ turns[-1]), 1 - 1e-6)
                self.assertAlmostEqual(float(times[-1]), (self.motion.frames + 23) / 24, places=4)

    def test_speech_alone_turns_nothing(self) -> None:
        dressed = Dressed(builtin("mabel"))
        path = self.folder / "line.glb"
        hand_over(dressed.wear(perform(line(0)[1], fps=24)), dressed, path, Handing(name="line"))
        self.assertTrue(all(rows.shape[1] != 4 for _, rows in animated(path).values()))

    def test_a_vrm_animation_turns_its_head_and_tells_where_it_looks(self) -> None:
        """VRMC_vrm_animation 1.0: the bone `head` turns, a node's turn is where the eyes look."""
        made = Made()
        made.mesh({"Mouth A": UP})
        bind = {"node": 0, "index": 0, "weight": 1.0}
        groups = {"preset": {"aa": {"morphTargetBinds": [bind]}}}
        made.document["extensions"] = {"VRMC_vrm": {"specVersion": "1.0", "expressions": groups}}
        head = read_gltf(made.save(self.folder / "face.vrm"))
        wave = np.linspace(0, 20, 30)
        dress = Dress(Fraction(30), head.channels, ((0.0, 1.0),) * len(head.channels), np.zeros((30, len(head.channels))),
                      turns={"head_yaw": wave, "gaze_pitch": -wave})  # fmt: skip
        dressed = Dressed(replace(head, rig=builtin("mabel").rig))
        hand_over(dress, dressed, self.folder / "line.vrma", Handing(name="line"))
        extension = read_container(self.folder / "line.vrma").document["extensions"][
            "VRMC_vrm_animation"
        ]
        self.assertIn("lookAt", extension)
        found = animated(self.folder / "line.vrma")
        turn = Rotation.from_quat(found["head"][1][-1]).as_rotvec(degrees=True)
        np.testing.assert_allclose(turn, (0, -20, 0), atol=0.01)  # to its own right, about −Y
        look = Rotation.from_quat(found["lookAt"][1][-1]).as_rotvec(degrees=True)
        np.testing.assert_allclose(look, (20, 0, 0), atol=0.01)  # down


class Bvh(Case):
    def test_the_head_is_written_and_read_again(self) -> None:
        for joint in (b"Head", b"mixed:Head_01"):
            layer, said = read_bvh(
                to_bvh(self.motion).replace(b"ROOT Head", b"ROOT " + joint), "a.bvh"
            )
            for name in ("head_yaw", "head_pitch", "head_roll"):
                own = self.motion.channel(name)
                np.testing.assert_allclose(layer.curves[name], own - own[0], atol=0.5)
            self.assertIn(joint.decode(), said[0])

    def test_a_head_on_a_body_turns_with_it(self) -> None:
        """Hips that turn by 10 degrees and a head by 20 more: 30 in the world, by SciPy's rotations."""
        text = (
            "HIERARCHY ROOT Hips { OFFSET 0 0 0 CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation "
            "JOINT Head { OFFSET 0 9 0 CHANNELS 3 Zrotation Xrotation Yrotation End Site { OFFSET 0 1 0 } } } "
            "MOTION Frames: 2 Frame Time: 0.04 0 0 0 0 0 0 0 0 0  1 2 3 0 0 10 0 0 20"
        )
        layer, _ = read_bvh(text.encode(), "a.bvh")
        np.testing.assert_allclose(layer.curves["head_yaw"], (0, -30), atol=1e-6)
        np.testing.assert_allclose(layer.times, (0, 0.04))
        for wrong, said in (
            (text.replace("HIERARCHY", "x"), "should begin"), (text.replace("MOTION", ""), "should begin"),
            (text.replace(" } } }", " } }"), "brackets"), (text.replace("0 0 20", "0 0"), "does not have 2 rows"),
            (text.replace("0 0 20", "0 0 x"), "no number"), (text.replace("0.04", "0.0.4"), "no number"), (text.replace("Frames: 2", "Frames"), "no motion"),
        ):  # fmt: skip
            with self.assertRaisesRegex(DocumentError, said):
                read_bvh(wrong.encode(), "a.bvh")

    def test_a_recorded_head_takes_the_place_of_a_drawn_one(self) -> None:
        clip = Layer(
            np.array([0.0, 1.0, 2.0]), {"head_yaw": np.array([0.0, 30.0, 0.0])}, replaces=True
        )
        speech = perform(line(0)[1], fps=24)
        made = compose(
            speech, line(0)[1], Delivery(), life=live(voice(0), None, "x"), layers=[clip]
        )
        self.assertAlmostEqual(float(made.channel("head_yaw")[24]), 30.0, delta=0.01)
        np.testing.assert_allclose(
            made.channel("head_yaw")[60:], self.motion.channel("head_yaw")[60:]
        )


if __name__ == "__main__":
    unittest.main()
