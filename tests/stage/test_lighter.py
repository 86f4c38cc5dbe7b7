"""Fewer triangles: how far off they are, at rest and in poses; distances are measured by SciPy and trimesh."""

from __future__ import annotations

import sys
import unittest
from collections.abc import Callable
from dataclasses import replace
from importlib.util import find_spec
from typing import Any
from unittest import mock

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from glyphos.characters.builtin import builtin
from glyphos.characters.posing import Poser, played
from glyphos.stage import surfaces
from glyphos.stage.groups import groups_of
from glyphos.stage.lighter import SEEN, lighter, looked_at
from glyphos.stage.renderer import Shot, Stage
from tests.examples import some

POSES = (
    {},
    {"jaw_open": 0.8, "lips_part": 0.6},
    {"lips_round": 1.0},
    {"lip_corner_up_left": 1.0, "blink_left": 1.0},
)


@unittest.skipUnless(find_spec("meshoptimizer"), "meshoptimizer is not installed")
class Lighter(unittest.TestCase):
    def test_it_is_near_the_whole_surface_at_rest_and_in_poses(self) -> None:
        import trimesh

        for name in some(("mabel", "osric", "pip"), 1):
            head = builtin(name)
            poser = Poser(head)
            rest, normals = poser.pose({})
            size = float(np.ptp(rest, axis=0).max())
            seen = looked_at(poser, rest, normals, surfaces.still(head, rest, normals))
            for group in groups_of(head, poser.first):
                made = lighter(group.faces, rest, seen)
                if len(group.faces) < SEEN.few:
                    self.assertIs(made, group.faces)
                    continue
                self.assertLessEqual(set(made.ravel().tolist()), set(group.faces.ravel().tolist()))
                self.assertLess(len(made), 0.45 * len(group.faces))
                for pose in POSES:
                    points, _ = poser.pose(*played(head, pose))
                    surface = trimesh.Trimesh(points, made, process=False)
                    samples, _ = trimesh.sample.sample_surface(surface, 30_000, seed=1)
                    used = points[np.unique(group.faces)]
                    away = (
                        cKDTree(np.concatenate([samples, points[np.unique(made)]])).query(used)[0]
                        / size
                    )
                    self.assertLess(np.percentile(away, 99), 0.01, (name, pose))
                    self.assertLess(away.max(), 0.03, (name, pose))

    def test_it_looks_nearly_the_same(self) -> None:
        stage = Stage()
        for name in ("mabel", "pip"):
            head = builtin(name)
            weights, turns = played(head, {"jaw_open": 0.5, "lips_part": 0.5, "gaze_yaw": 10.0})
            a, b = (
                stage.draw([Shot(head, weights, turns)], (240, 300), light=light)[..., :3].astype(
                    int
                )
                for light in (False, True)
            )
            off = np.abs(a - b).max(-1)
            self.assertGreater((off > 0).mean(), 0.02)  # it is another one
            self.assertLess(off.mean(), 3.2)
            self.assertLess((off > 60).mean(), 0.012)

    def test_fewer_still_throw_a_shadow_that_falls_where_it_did(self) -> None:
        for name in some(("osric", "mabel", "pip"), 1):
            stage, head = Stage(), builtin(name)
            self.addCleanup(stage.close)
            shot = Shot(head, *played(head, {"jaw_open": 0.5, "lips_part": 0.5, "head_yaw": 15.0}))
            fewer = stage.draw([shot], (240, 300), light=True)[..., :3].astype(int)
            held = stage._load(head)
            cast = [p for p in held.parts if p.group.casting]
            seen, casting = (
                sum(len(g.faces) for g in groups if g)
                for groups in ([p.light for p in cast], [p.casting for p in cast])
            )
            self.assertLess(casting, 0.6 * seen)
            none = self.drawn(stage, held, shot, lambda part: part.group.faces[:0])
            same = self.drawn(stage, held, shot, lambda part: part.light.faces)
            self.assertGreater((np.abs(none - same).max(-1) > 12).mean(), 0.02)  # there is one
            off = np.abs(fewer - same).max(-1)
            self.assertGreater(off.max(), 0)
            self.assertLess((off > 24).mean(), 0.005, name)
            self.assertLess(off.mean(), 1.0, name)

    def drawn(
        self, stage: Stage, held: Any, shot: Shot, casting: Callable[[Any], Any]
    ) -> NDArray[np.int64]:
        """Its picture with the shadow of other triangles."""
        held.shadows.clear()
        for part in held.parts:
            part.casting = replace(part.casting, faces=casting(part))
        return stage.draw([shot], (240, 300), light=True)[..., :3].astype(int)

    def test_where_colours_meet_triangles_stay_small(self) -> None:
        """On a flat sheet of two colours nothing but colour tells what has to stay."""
        n = 70
        y, x = np.mgrid[0:n, 0:n].reshape(2, -1).astype(np.float32)
        rest = np.stack([x, y, 0 * x], 1) / n
        corner = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).ravel()
        sheet = np.concatenate(
            [np.stack([corner, corner + 1, corner + n], 1), np.stack([corner + 1, corner + n + 1, corner + n], 1)]
        ).astype(np.uint32)  # fmt: skip
        light = (np.hypot(x - n / 2, y - n / 2) < n / 4).astype(np.float32)
        looks = np.zeros((n * n, 7), np.float32)
        looks[:, :3] = light[:, None]
        poser = mock.Mock(head=mock.Mock(pieces=[]))
        made = lighter(
            sheet, rest, looked_at(poser, rest, np.tile(np.float32([0, 0, 1]), (n * n, 1)), looks)
        )
        self.assertLess(len(made), 0.5 * len(sheet))

        def mixed(faces: np.ndarray) -> float:
            """The area of triangles that reach from one colour into the other."""
            both = np.ptp(light[faces], axis=1) > 0
            a, b, c = (rest[faces[both, k], :2] for k in range(3))
            return float(
                np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]).sum()
            )

        self.assertLess(mixed(made), 2 * mixed(sheet))

    def test_without_the_package_they_stay(self) -> None:
        head = builtin("pip")
        poser = Poser(head)
        rest, normals = poser.pose({})
        group = max(groups_of(head, poser.first), key=lambda g: len(g.faces))
        with mock.patch.dict(sys.modules, {"meshoptimizer": None}):
            self.assertIs(lighter(group.faces, rest, normals), group.faces)


if __name__ == "__main__":
    unittest.main()
