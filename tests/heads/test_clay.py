"""The generator's arithmetic: distance fields, nets, smooth spreading, small mesh tools."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from glyphos.characters.posing import face_normals
from tools.heads.clay import (
    Clay,
    Spread,
    cone,
    cotan,
    egg,
    face_out,
    grid_faces,
    join,
    lathe,
    normals,
    outward,
    smin,
    smooth,
    spline,
    tube,
    uv_ball,
)
from tools.heads.rig import turn

POINTS = np.random.default_rng(1).normal(size=(200, 3))


class Fields(unittest.TestCase):
    def test_an_egg_with_equal_radii_is_a_sphere(self) -> None:
        found = egg(POINTS, (0.1, 0.2, -0.3), (0.7, 0.7, 0.7))
        wanted = np.linalg.norm(POINTS - [0.1, 0.2, -0.3], axis=1) - 0.7
        np.testing.assert_allclose(found, wanted, atol=1e-12)

    def test_a_cone_with_equal_radii_is_a_capsule(self) -> None:
        """Distance to a segment, computed by sampling it."""
        a, b = np.array([-0.5, 0.0, 0.2]), np.array([0.4, 0.6, 0.0])
        along = a + np.linspace(0, 1, 4001)[:, None] * (b - a)
        wanted = np.linalg.norm(POINTS[:, None] - along[None], axis=2).min(1) - 0.15
        np.testing.assert_allclose(cone(POINTS, a, b, 0.15, 0.15), wanted, atol=1e-4)

    @settings(max_examples=100, deadline=None)
    @given(st.floats(-2, 2), st.floats(-2, 2), st.floats(0.01, 1))
    def test_a_soft_union_is_under_the_sharp_one_by_a_quarter_at_most(
        self, a: float, b: float, k: float
    ) -> None:
        found = float(smin(np.array(a), np.array(b), k))
        self.assertLessEqual(found, min(a, b) + 1e-12)
        self.assertGreaterEqual(found, min(a, b) - k / 4 - 1e-12)

    def test_points_cling_to_the_surface_and_shots_end_on_it(self) -> None:
        clay = Clay([("egg", (0, 0, 0), (0.8, 0.8, 0.8), 0.1)], 0.0)
        near = POINTS / np.linalg.norm(POINTS, axis=1, keepdims=True)
        np.testing.assert_allclose(np.linalg.norm(clay.cling(near * 0.9), axis=1), 0.8, atol=1e-3)
        np.testing.assert_allclose(
            np.linalg.norm(clay.shoot(np.zeros_like(near), near), axis=1), 0.8, atol=2e-3
        )
        self.assertAlmostEqual(float(clay.front_z(np.zeros(1), np.zeros(1))[0]), 0.8, places=2)

    def test_both_halves_of_clay_are_alike_but_for_the_hand(self) -> None:
        clay = Clay([("egg", (0.4, 0.1, 0.0), (0.5, 0.6, 0.5), 0.1)], 0.0)
        np.testing.assert_allclose(clay(POINTS), clay(POINTS * [-1, 1, 1]), atol=1e-12)

    def test_a_carved_hole_is_outside(self) -> None:
        clay = Clay(
            [("egg", (0, 0, 0), (0.8, 0.8, 0.8), 0.1), ("carve", (0, 0, 0.8), 0.3, 0.01)], 0.0
        )
        self.assertGreater(float(clay(np.array([[0, 0, 0.7]]))[0]), 0)
        self.assertLess(float(clay(np.array([[0, 0.5, 0.0]]))[0]), 0)


class Meshes(unittest.TestCase):
    def test_bodies_are_closed_and_face_outwards(self) -> None:
        """Volume, by trimesh, is positive and near the formula's."""
        import trimesh

        ball, faces = uv_ball((0.2, 0, 0), 0.5, 40, 60)
        made = trimesh.Trimesh(ball, faces, process=False)
        self.assertAlmostEqual(made.volume, 4 / 3 * np.pi * 0.125, delta=0.01)
        pipe, faces = tube(np.linspace((0, 0, 0), (0, 1, 0), 20), 0.2, 48)
        made = trimesh.Trimesh(pipe, faces, process=True)
        self.assertTrue(made.is_watertight)
        self.assertAlmostEqual(made.volume, np.pi * 0.04, delta=0.02)
        self.assertTrue(outward(pipe, faces))
        np.testing.assert_array_equal(face_out(pipe, faces[:, ::-1]), faces)

    def test_a_lathe_turns_about_any_axis(self) -> None:
        for axis, index in (("x", 0), ("y", 1), ("z", 2)):
            v, _ = lathe([(0.5, -1.0), (0.5, 1.0)], 24, axis)
            self.assertAlmostEqual(float(np.ptp(v[:, index])), 2.0)
            others = [k for k in range(3) if k != index]
            np.testing.assert_allclose(np.linalg.norm(v[:, others], axis=1), 0.5, atol=1e-9)

    def test_grids_have_two_triangles_a_cell(self) -> None:
        self.assertEqual(len(grid_faces(4, 6)), 2 * 3 * 6)
        self.assertEqual(len(grid_faces(4, 6, wrap=False)), 2 * 3 * 5)

    def test_normals_are_those_of_the_application(self) -> None:
        import trimesh

        ball = trimesh.creation.icosphere(3)
        np.testing.assert_allclose(
            normals(ball.vertices, ball.faces),
            face_normals(ball.vertices.astype("f4"), ball.faces),
            atol=1e-5,
        )

    def test_pieces_are_joined_with_their_colours(self) -> None:
        v, f, c = join(
            [
                (POINTS[:3], np.array([[0, 1, 2]]), (1, 0, 0)),
                (POINTS[3:6], np.array([[0, 1, 2]]), (0, 1, 0)),
            ]
        )
        self.assertEqual(
            (len(v), f.tolist(), c[4].tolist()), (6, [[0, 1, 2], [3, 4, 5]], [0, 1, 0])
        )

    def test_a_spline_passes_its_points_and_a_step_is_smooth(self) -> None:
        path = spline([(0, 0, 0), (1, 1, 0), (2, 0, 0)], 21)
        self.assertLess(float(np.linalg.norm(path - [1, 1, 0], axis=1).min()), 0.1)
        self.assertEqual(
            (
                smooth(np.array(-1.0), 0, 1),
                smooth(np.array(2.0), 0, 1),
                smooth(np.array(0.5), 0, 1),
            ),
            (0.0, 1.0, 0.5),
        )

    def test_turning_agrees_with_scipy(self) -> None:
        axis = np.array([1.0, 2, -1]) / np.sqrt(6)
        about = np.array([0, 1, 0])
        wanted = Rotation.from_rotvec(np.radians(33) * axis).apply(POINTS - about) + about
        np.testing.assert_allclose(turn(POINTS, axis, 33, (0, 1, 0)), wanted, atol=1e-12)


class Spreading(unittest.TestCase):
    def setUp(self) -> None:
        import trimesh

        self.ball = trimesh.creation.icosphere(3)
        self.laplace, self.area = cotan(self.ball.vertices, self.ball.faces)

    def test_the_laplacian_of_a_constant_is_nothing_and_areas_sum_to_the_sphere(self) -> None:
        self.assertLess(float(np.abs(self.laplace @ np.ones(len(self.area))).max()), 1e-9)
        self.assertAlmostEqual(float(self.area.sum()), self.ball.area, places=6)

    def test_the_laplacian_is_that_of_the_sphere(self) -> None:
        """The Laplace–Beltrami operator on a sphere: coordinates are eigenfunctions with value 2."""
        x = self.ball.vertices[:, 0]
        found = (self.laplace @ x) / self.area
        self.assertLess(float(np.abs(found - 2 * x).mean()), 0.05)

    def test_what_is_prescribed_stays_and_the_rest_bends_smoothly(self) -> None:
        y = self.ball.vertices[:, 1]
        fixed = np.abs(y) > 0.6
        moved = np.zeros((len(y), 3))
        moved[y > 0.6, 1] = 0.3
        made = Spread(self.laplace, self.area, fixed)(moved)
        np.testing.assert_allclose(made[fixed], moved[fixed])
        free = made[~fixed, 1]
        self.assertTrue((free > -0.1).all() and (free < 0.4).all())
        middle = np.abs(y[~fixed]) < 0.1
        self.assertAlmostEqual(float(free[middle].mean()), 0.15, delta=0.03)


if __name__ == "__main__":
    unittest.main()
