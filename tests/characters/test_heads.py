"""The heads that ship: measured on their meshes, over the demo's own lines."""

from __future__ import annotations

import tempfile
import unittest
from functools import cache
from pathlib import Path

import numpy as np

from glyphos.characters.builtin import builtin
from glyphos.characters.channels import face_channels
from glyphos.characters.models.gltf import read_gltf
from glyphos.characters.poses import POSES, SOUNDS
from glyphos.characters.posing import Poser
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from tests.examples import FUZZ
from tools.heads.build import build
from tools.heads.lips import BACK, FRONT, N
from tools.heads.measure import crossings, in_teeth, teeth_of
from tools.heads.writing import write

NAMES = ("mabel", "osric", "pip")
INNER = np.arange(1, N // 2)


@cache
def poser(name: str) -> Poser:
    return Poser(builtin(name))


def lips(name: str, values: dict[str, float]) -> np.ndarray:
    """The lip rings (8, N, 3) of a pose, in the head's own space (turns of the head taken out)."""
    values = {k: v for k, v in values.items() if not k.startswith(("head", "gaze"))}
    posed = poser(name)
    which = next(k for k, p in enumerate(posed.head.pieces) if p.name in ("skin", "mouth"))
    first = posed.first[which]
    return posed.play(values)[0][first : first + 8 * N].reshape(8, N, 3).astype(float)


def gap(rings: np.ndarray) -> float:
    return float((rings[FRONT, INNER, 1] - rings[FRONT, N - INNER, 1]).max())


def width(rings: np.ndarray) -> float:
    return float(rings[FRONT, 0, 0] - rings[FRONT, N // 2, 0])


@cache
def demo_frames() -> tuple[list[dict[str, float]], list[dict[str, float]]]:
    """Frames of the demo's lines: those with lips shut, and every fifth of the others."""
    shut, others = [], []
    for line in Production.open(copy_demo()).lines:
        if line.reading is None:
            continue
        motion = perform(line.reading, line.delivery, fps=24)
        for k, row in enumerate(motion.values):
            values = dict(zip(motion.names, row.tolist(), strict=True))
            if values["lips_part"] <= 0 and values["lip_to_teeth"] < 0.05:  # not on its way there
                shut.append(values)
            elif k % 5 == 0:
                others.append(values)
    thinner = 1 if FUZZ else 16
    return shut[::thinner], others[::thinner]


class OwnHeads(unittest.TestCase):
    def test_every_channel_moves_something_on_each_of_them(self) -> None:
        for name in NAMES:
            rest = poser(name).rest()
            for channel in face_channels().values():
                for value in {channel.low, channel.high} - {0.0}:
                    moved = np.abs(poser(name).play({channel.name: value})[0] - rest).max()
                    self.assertGreater(moved, 2e-4, (name, channel.name, value))

    def test_lips_meet_at_every_closure_of_the_demo_and_never_cross(self) -> None:
        shut, others = demo_frames()
        self.assertGreater(len(shut), 20)
        for name in NAMES:
            rest = width(lips(name, {}))
            for values in shut:
                rings = lips(name, values)
                apart = np.linalg.norm(
                    rings[[BACK, FRONT]][:, INNER] - rings[[BACK, FRONT]][:, N - INNER], axis=2
                )
                self.assertLess(apart.max(), 0.005 * rest, (name, values))
            for values in others:
                rings = lips(name, values)
                low = (rings[FRONT, INNER, 1] - rings[FRONT, N - INNER, 1]).min()
                self.assertGreater(low, -0.001 * rest, (name, values))
                self.assertEqual(crossings(rings), 0, (name, values))

    def test_no_lip_goes_through_a_tooth_in_the_demo(self) -> None:
        for name in NAMES:
            character, solids = teeth_of(name)
            for values in (*demo_frames()[0][::3], *demo_frames()[1]):
                rings = lips(name, values).reshape(-1, 3) * 10
                deep = in_teeth(rings, character, solids, values)
                self.assertLess(deep, 0.004, (name, values))  # 0.4 mm

    def test_an_open_vowel_opens_and_an_o_is_narrow(self) -> None:
        for name in NAMES:
            rest = width(lips(name, {}))
            closed = max(gap(lips(name, SOUNDS["m"])), 0.005 * rest)
            self.assertGreater(gap(lips(name, SOUNDS["ɑ"])), 12 * closed, name)
            self.assertLess(width(lips(name, SOUNDS["o"])), 0.75 * rest, name)

    def test_sides_are_the_characters_own(self) -> None:
        for name in NAMES:
            rest = poser(name).rest()
            for side, sign in (("left", 1), ("right", -1)):
                moved = poser(name).play({f"lip_corner_up_{side}": 1.0})[0] - rest
                there = np.abs(moved).max(1) > 1e-3
                self.assertGreater(sign * float(rest[there, 0].mean()), 0.01, (name, side))

    def test_a_blink_meets_whatever_the_lids_do(self) -> None:
        for name in ("mabel", "osric"):
            for values in (
                {},
                {"lid_raise_left": 1.0},
                {"gaze_pitch": 20.0},
                {"gaze_pitch": -22.0},
            ):
                points, first = (
                    poser(name).play({**values, "blink_left": 1.0})[0],
                    poser(name).first,
                )
                rows = {}
                for k, piece in enumerate(poser(name).head.pieces):
                    if piece.name in ("lid_upper_left", "lid_lower_left"):
                        rows[piece.name] = points[first[k] + 25 : first[k] + 50, 1]
                low = (rows["lid_upper_left"] - rows["lid_lower_left"])[3:-3].max()
                self.assertLess(low, 0.0, (name, values))

    def test_the_generator_gives_what_ships(self) -> None:
        made = Path(self.enterContext(tempfile.TemporaryDirectory())) / "pip.glb"
        write(*build("pip", light=False), made)
        new, old = read_gltf(made), builtin("pip")
        self.assertEqual(new.targets, old.targets)
        for a, b in zip(new.pieces, old.pieces, strict=True):
            self.assertEqual((a.name, set(a.shapes)), (b.name, set(b.shapes)))
            np.testing.assert_allclose(a.positions, b.positions, atol=1e-4)

    def test_drivers_take_curves_as_they_take_numbers(self) -> None:
        rig = builtin("mabel").rig
        assert rig is not None
        names = set().union(*POSES.values())
        curves = {n: np.array([p.get(n, 0.0) for p in POSES.values()]) for n in names}
        many = rig.weights(curves)
        for k, pose in enumerate(POSES.values()):
            for target, weight in rig.weights(pose).items():
                self.assertAlmostEqual(
                    float(weight), float(np.broadcast_to(many[target], len(POSES))[k])
                )
            for target in many.keys() - rig.weights(pose).keys():
                self.assertAlmostEqual(float(np.broadcast_to(many[target], len(POSES))[k]), 0.0)
