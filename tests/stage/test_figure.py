"""What the graphics chip poses is what `Poser` measures, on our heads and on skinned ones."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Mapping
from pathlib import Path

import moderngl
import numpy as np

from glyphos.characters.builtin import builtin
from glyphos.characters.head import Head
from glyphos.characters.models.gltf import read_gltf
from glyphos.characters.posing import Poser, Turns, played, rotation
from glyphos.stage import figure
from glyphos.stage.figure import Figure, pose_program
from tests.characters.models import QUAD, skinned
from tests.examples import FUZZ


class Figures(unittest.TestCase):
    gl: moderngl.Context

    @classmethod
    def setUpClass(cls) -> None:
        cls.gl = moderngl.create_context(standalone=True, backend="egl", require=330)  # type: ignore[arg-type]

    @classmethod
    def tearDownClass(cls) -> None:
        cls.gl.release()

    def figure(self, head: Head) -> Figure:
        made = Figure(self.gl, pose_program(self.gl), Poser(head))
        self.addCleanup(made.release)
        return made

    def assert_as_measured(
        self, made: Figure, weights: Mapping[str, float], turns: Turns | None = None
    ) -> None:
        made.pose(weights, turns)
        points, normals = made.posed()
        wanted, bent = made.poser.pose(weights, turns)
        size = float(np.ptp(wanted, 0).max())
        np.testing.assert_allclose(points, wanted, atol=2e-6 * size)
        np.testing.assert_allclose(normals, bent, atol=2e-5)

    def test_our_heads_in_random_poses(self) -> None:
        rng = np.random.default_rng(7)
        for name in ("mabel", "osric", "pip"):
            head = builtin(name)
            made = self.figure(head)
            self.assert_as_measured(made, {})
            for _ in range(FUZZ or 6):
                some = rng.choice(sorted(head.rig.split), 12)  # type: ignore[union-attr]
                values = {str(c): float(rng.uniform(-0.2, 1.0)) for c in some}
                values |= {"head_yaw": rng.uniform(-30, 30), "head_roll": rng.uniform(-9, 9)}
                self.assert_as_measured(made, *played(head, values))

    def test_every_target_alone_and_all_at_once(self) -> None:
        head = builtin("pip")
        made = self.figure(head)
        for target in head.targets[::5]:
            self.assert_as_measured(made, {target: 0.7})
        self.assert_as_measured(made, dict.fromkeys(head.targets, 0.11))

    def test_bones_carry_what_targets_move(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        targets = {"up": np.full((4, 3), 0.3, np.float32), "in": -0.5 * QUAD}
        head = read_gltf(skinned(targets).save(folder / "skin.glb"))
        made = self.figure(head)
        bone = next(k for k, n in enumerate(head.nodes) if n.name == "jaw")
        for degrees in (0.0, 25.0, -70.0):
            turns = {bone: rotation((1.0, 0.2, 0.0), degrees)}
            self.assert_as_measured(made, dict.fromkeys(head.targets, 0.4), turns)
        self.assert_as_measured(made, {})  # turned back

    def test_a_texture_that_is_full_keeps_what_is_in_use(self) -> None:
        head = builtin("osric")
        with self.subTest("it grows"):
            made = self.figure(head)
            for target in head.targets:
                made.pose({target: 0.5})
            self.assert_as_measured(made, {head.targets[0]: 0.5, head.targets[-1]: 0.3})
        before = figure.MOST_ROWS
        self.addCleanup(setattr, figure, "MOST_ROWS", before)
        figure.MOST_ROWS = figure.FIRST_ROWS
        made = self.figure(head)
        for k in range(0, len(head.targets) - 2, 3):
            self.assert_as_measured(made, dict.fromkeys(head.targets[k : k + 3], 0.5))

    def test_more_than_the_chip_holds_at_once_is_posed_all_the_same(self) -> None:
        self.addCleanup(setattr, figure, "MOST_ROWS", figure.MOST_ROWS)
        figure.MOST_ROWS = 2
        head = builtin("pip")
        self.assert_as_measured(self.figure(head), dict.fromkeys(head.targets, 0.2))


if __name__ == "__main__":
    unittest.main()
