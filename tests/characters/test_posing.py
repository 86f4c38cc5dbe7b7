"""Posing heads: how normals are carried, and targets that are kept for a whole stretch."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from glyphos.characters.head import Shape
from glyphos.characters.posing import Poser, of_normals, played
from tests.characters.remade import own


class Normals(unittest.TestCase):
    def test_they_are_carried_by_the_inverse(self) -> None:
        """NumPy's inverse, whatever the matrix turns, stretches or mirrors; no longer than before."""
        rng = np.random.default_rng(4)
        for matrix in (*rng.normal(size=(60, 4, 4)), np.diag([2.0, -1, 0.5, 1]), 1e-3 * np.eye(4)):
            wanted = np.linalg.inv(matrix[:3, :3])
            made = of_normals(matrix)
            longest = np.linalg.norm(wanted, axis=0).max()
            np.testing.assert_allclose(made, wanted / longest, atol=1e-12)
        np.testing.assert_array_equal(of_normals(np.diag([1.0, 1, 0, 1])), np.eye(3))


class Spread(unittest.TestCase):
    def test_a_target_moves_what_its_file_says_however_it_is_kept(self) -> None:
        head = own("pip")
        rng = np.random.default_rng(5)
        piece = head.pieces[0]
        n = len(piece.positions)
        kinds = {
            "all": None,
            "thick": np.sort(rng.choice(n // 2, n // 4, replace=False)) + 7,
            "thin": np.sort(rng.choice(n, 9, replace=False)),
            "backward": np.arange(40, 10, -1),
            "none": np.zeros(0, int),
        }
        shapes = {}
        for name, where in kinds.items():
            count = n if where is None else len(where)
            delta, normal = rng.normal(size=(2, count, 3)).astype("f4")
            shapes[name] = Shape(where, delta, normal)
        head = replace(
            head, pieces=(replace(piece, shapes=shapes),), targets=tuple(kinds), rig=None
        )
        poser = Poser(head)
        still, straight = poser.pose({})
        carried = poser.worlds({})[piece.node]
        for name, where in kinds.items():
            for _ in range(2):  # kept by the second time
                points, normals = poser.pose({name: 0.7})
            moved = np.zeros((n, 3), np.float32)
            turned = moved.copy()
            at = slice(None) if where is None else where
            moved[at], turned[at] = 0.7 * shapes[name].delta, 0.7 * shapes[name].normal
            np.testing.assert_allclose(points - still, moved @ carried[:3, :3].T, atol=1e-5)
            np.testing.assert_allclose(
                normals - straight, turned @ of_normals(carried), atol=1e-5, err_msg=name
            )

    def test_pieces_on_one_node_go_together_and_others_by_themselves(self) -> None:
        head = own("mabel")
        poser = Poser(head)
        points, _ = poser.pose(*played(head, {"gaze_left_yaw": 20.0, "head_yaw": 15.0}))
        rest = poser.rest()
        worlds = poser.worlds(played(head, {"gaze_left_yaw": 20.0, "head_yaw": 15.0})[1])
        still = poser.worlds({})
        for k, piece in enumerate(head.pieces):
            own_part = slice(poser.first[k], poser.first[k + 1])
            way = worlds[piece.node] @ np.linalg.inv(still[piece.node])
            wanted = rest[own_part] @ way[:3, :3].T + way[:3, 3]
            np.testing.assert_allclose(points[own_part], wanted, atol=1e-5, err_msg=piece.name)


if __name__ == "__main__":
    unittest.main()
