"""What is drawn at once, in what order, and what is left out because it is turned away."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from glyphos.characters.builtin import builtin
from glyphos.characters.posing import Poser, played
from glyphos.stage.groups import PLACES, computed, facing, groups_of, ordered, projected
from glyphos.stage.renderer import Shot, Stage
from glyphos.stage.views import VIEWS
from tests.characters.remade import own


def in_turn(faces: np.ndarray) -> set[tuple[int, ...]]:
    """Triangles whatever corner they begin with; which way round they go counts."""
    corners = (faces.argmin(axis=1)[:, None] + np.arange(3)) % 3
    return set(map(tuple, np.take_along_axis(faces, corners, axis=1).tolist()))


class Order(unittest.TestCase):
    def test_the_same_triangles_in_an_order_that_computes_less(self) -> None:
        n = 60
        corner = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).ravel()
        grid = np.concatenate(
            [np.stack([corner, corner + 1, corner + n], 1), np.stack([corner + 1, corner + n + 1, corner + n], 1)]
        ).astype(np.uint32)  # fmt: skip
        shuffled = np.random.default_rng(1).permutation(grid)
        better = ordered(shuffled)
        self.assertEqual(in_turn(better), in_turn(grid))
        self.assertLess(computed(better), 0.5 * computed(shuffled))
        self.assertLess(computed(better), 1.1 * n * n)
        self.assertIs(ordered(better), better)  # what is good is left alone
        self.assertEqual(len(ordered(grid[:0])), 0)

    def test_what_is_computed_is_counted_as_a_driver_with_so_many_places_would(self) -> None:
        faces = np.random.default_rng(2).integers(0, 900, (400, 3)).astype(np.uint32)
        kept: dict[int, int] = {}
        count = 0
        for v in faces.ravel().tolist():
            count += kept.get(v % PLACES) != v
            kept[v % PLACES] = v
        self.assertEqual(computed(faces), count)

    def test_pieces_of_one_look_are_one_group_and_nothing_is_lost(self) -> None:
        head = builtin("mabel")
        poser = Poser(head)
        groups = groups_of(head, poser.first)
        self.assertLess(len(groups), len(head.pieces) / 3)
        self.assertEqual(in_turn(np.concatenate([g.faces for g in groups])), in_turn(poser.faces))
        skin, glass = (next(k for k, p in enumerate(head.pieces) if p.name == n) for n in ("skin", "spectacles"))  # fmt: skip
        of = {k: next(g for g in groups if poser.first[k] in g.faces) for k in (skin, glass)}
        self.assertTrue(of[skin].outside and of[skin].casting)
        self.assertFalse(of[glass].outside or of[glass].casting)

    def test_another_look_is_another_group(self) -> None:
        head = builtin("mabel")
        hair = next(k for k, p in enumerate(head.pieces) if p.name == "hair")
        before = len(groups_of(head, Poser(head).first))
        for change in ({"two_sided": True}, {"see_through": True}, {"cut": 0.5}, {"rough": 0.1}):
            pieces = list(head.pieces)
            pieces[hair] = replace(pieces[hair], material=replace(pieces[hair].material, **change))
            other = groups_of(replace(head, pieces=tuple(pieces)), Poser(head).first)
            self.assertGreaterEqual(len(other), before, change)
            own_group = next(g for g in other if Poser(head).first[hair] in g.faces)
            self.assertNotIn(Poser(head).first[0], own_group.faces, change)


class TurnedAway(unittest.TestCase):
    def test_the_side_that_is_seen_goes_counter_clockwise(self) -> None:
        """OpenGL 4.6 core, 14.6.1: the sign of the area on the screen."""
        points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)
        head = builtin("pip")
        group = groups_of(head, Poser(head).first)[0]
        for faces, seen in (([[0, 1, 2]], 1), ([[0, 2, 1]], 0)):
            one = replace(group, faces=np.array(faces, np.uint32))
            places = projected(points, np.eye(4))
            assert places is not None
            self.assertEqual(len(facing(places, one)), seen)

    def test_behind_the_eye_nothing_is_left_out(self) -> None:
        behind = np.diag([1.0, 1.0, 1.0, 0.0])
        behind[3, 2] = 1.0  # w is z
        points = np.array([[0, 0, 1], [1, 0, 1], [0, 1, -1]], np.float32)
        self.assertIsNone(projected(points, behind))
        self.assertIsNotNone(projected(np.abs(points), behind))

    def test_pictures_are_the_same_as_those_of_all_triangles(self) -> None:
        """The processor leaves out what the driver would; a mirror and a wire keep what they need."""
        stage = Stage()
        self.addCleanup(stage.close)
        head = own("osric")
        pose = played(head, {"jaw_open": 0.7, "lips_part": 0.6, "head_yaw": 25.0})
        for more in ({}, {"mirror": True}, {"wire": True}, {"through": True}, {"camera": VIEWS["side"]}):  # fmt: skip
            pictures = []
            for stage.on_chip in (False, True):
                shot = Shot(head, *pose, **more)  # type: ignore[arg-type]
                pictures.append(stage.draw([shot], (200, 200)).astype(int))
            apart = np.abs(pictures[0] - pictures[1]).max(axis=2)
            self.assertLess((apart > 8).mean(), 0.002, more)
            self.assertGreater(np.ptp(pictures[0]), 100)

    def test_the_shadow_follows_what_moves_far_and_is_kept_for_what_does_not(self) -> None:
        stage = Stage()
        self.addCleanup(stage.close)
        head = own("mabel")
        cast: list[int] = []
        kept = stage._deep

        def draw(**values: float) -> None:
            held = stage._load(head)
            before = held.shadows[False].at if held.shadows else None
            stage.draw([Shot(head, *played(head, values))], (64, 64))
            cast.append(held.shadows[False].at is not before)

        draw()
        draw(jaw_open=0.001)
        draw(head_yaw=0.02)
        draw(head_yaw=25.0)
        self.assertEqual(cast, [True, False, False, True])
        self.assertIs(stage._deep, kept)


if __name__ == "__main__":
    unittest.main()
