"""The bounded smoothing problem against a general solver, and what no order of work may change."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import lsq_linear

from glyphos.motion import compiled
from glyphos.motion.channels import COUNT
from glyphos.motion.smooth import (
    SMALL,
    Problem,
    runs,
    smooth,
    smooth_compiled,
    smooth_plainly,
    union,
)
from glyphos.motion.spline import Grid, H, Spline, taps
from tests.examples import examples


def problem(seed: int, count: int = 60, rows: int = 2, *, bounded: bool = True) -> Problem:
    chance = np.random.default_rng(seed)
    weight = np.where(
        chance.random((rows, count)) < 0.3, chance.uniform(1, 60, (rows, count)), 0.05
    )
    wanted = weight * chance.uniform(-0.2, 1.2, (rows, count))
    low, high = np.full((rows, count), -9.0), np.full((rows, count), 9.0)
    if bounded:
        low, high = np.zeros((rows, count)), np.ones((rows, count))
        some = chance.random((rows, count)) < 0.1
        high[some] = 0.4
    fixed = np.zeros((rows, count), bool)
    fixed[:, 25:28] = True
    step = np.full((rows, count), 1e9)
    return Problem(weight, wanted, low, high, step, fixed, np.zeros((rows, count)),
                   chance.uniform(0.03, 0.06, rows))  # fmt: skip


def by_least_squares(p: Problem, row: int) -> np.ndarray:
    """The same by SciPy's bounded least squares (Branch, Coleman & Li 1999)."""
    count = p.weight.shape[1]
    free = ~p.fixed[row]
    free[:2] = free[-2:] = False
    bend = np.zeros((count - 2, count))
    for k in range(count - 2):
        bend[k, k : k + 3] = (1, -2, 1)
    root = np.sqrt(p.weight[row])
    stiff = np.sqrt((p.tau[row] / H) ** 4)
    matrix = np.vstack((np.diag(root), stiff * bend))[:, free]
    right = np.concatenate((p.wanted[row] / root, np.zeros(count - 2)))
    found = lsq_linear(
        matrix, right, (p.low[row, free], p.high[row, free]), tol=1e-13, method="bvls"
    )
    values = np.zeros(count)
    values[free] = found.x
    return values


WAYS = (smooth_plainly, smooth_compiled) if compiled.there_is() else (smooth_plainly,)


class Smoothing(unittest.TestCase):
    @examples(25)
    @given(st.integers(0, 10_000), st.booleans())
    def test_a_general_solver_finds_the_same_curve(self, seed: int, bounded: bool) -> None:
        want = problem(seed, bounded=bounded)
        expected = [by_least_squares(want, row) for row in range(2)]
        for way in WAYS:
            np.testing.assert_allclose(way(problem(seed, bounded=bounded)), expected, atol=2e-3)

    @unittest.skipUnless(compiled.there_is(), "nothing was compiled when this was installed")
    @examples(25)
    @given(st.integers(0, 10_000), st.sampled_from((60, 700, SMALL // 2 + 300)), st.booleans())
    def test_compiled_or_not_the_curves_are_the_same(
        self, seed: int, count: int, stepped: bool
    ) -> None:
        def made() -> Problem:
            p = problem(seed, count)
            p.step[:, :-1] = 0.15 if stepped else 1e9
            p.fixed[:, 40::97] = True  # points that stand alone among those to be found
            p.known[:] = 0.2
            return p

        np.testing.assert_allclose(
            smooth_compiled(made()), smooth_plainly(made()), atol=4e-3
        )  # each within 2e-3 of the best

    @examples(25)
    @given(st.integers(0, 10_000), st.floats(0.05, 0.3))
    def test_no_step_is_longer_than_it_may_be(self, seed: int, most: float) -> None:
        for way in WAYS:
            p = problem(seed)
            p.step[:, :-1] = most
            self.assertLess(np.abs(np.diff(way(p), axis=1)).max(), most + 2e-3)

    def test_what_is_known_stays_and_bends_what_is_beside_it(self) -> None:
        p = problem(3)
        p.known[:, :2], p.known[:, -2:] = 0.5, 0.25
        p.known[:, 25:28] = 0.75
        made = smooth(p)
        np.testing.assert_array_equal(made[:, 25:28], 0.75)
        np.testing.assert_array_equal(made[:, :2], 0.5)
        self.assertLess(np.abs(np.diff(made, axis=1)).max(), 0.4)

    def test_channels_are_solved_alike_alone_and_together(self) -> None:
        both = smooth(problem(8, count=400))
        again = problem(8, count=400)
        parts = [
            getattr(again, n)
            for n in ("weight", "wanted", "low", "high", "step", "fixed", "known", "tau")
        ]
        alone = [smooth(Problem(*(x[k : k + 1] for x in parts)))[0] for k in range(2)]  # type: ignore[arg-type]
        np.testing.assert_allclose(both, alone, atol=1e-4)

    @examples(30)
    @given(st.lists(st.tuples(st.integers(0, 60), st.integers(1, 9)), min_size=1, max_size=12))
    def test_ranges_join(self, ranges: list[tuple[int, int]]) -> None:
        start = np.array([a for a, _ in ranges], np.intp)
        end = np.array([a + n for a, n in ranges], np.intp)
        expected = sorted({k for a, n in ranges for k in range(a, a + n)})
        self.assertEqual(union(start, end).tolist(), expected)
        begin, length = runs(np.diff(np.array(expected)) > 1)
        self.assertEqual(int(length.sum()), len(expected))
        self.assertEqual(begin[0], 0)


class Splines(unittest.TestCase):
    def test_weights_sum_to_one_and_follow_a_straight_line(self) -> None:
        u = np.linspace(0, 1, 7)
        np.testing.assert_allclose(sum(taps(u)), 1.0)
        line = Spline(0, np.tile(np.arange(40.0), (COUNT, 1)))
        times = np.linspace(2 * H, 36 * H, 50)
        np.testing.assert_allclose(line.at(times)[:, 0], times / H)

    def test_spans_have_the_points_nearest_to_them(self) -> None:
        grid = Grid(100, 50)
        i, j = grid.spans(np.array([0.9, 0.816]), np.array([0.9, 0.88]))
        self.assertEqual((j - i).tolist(), [3, 9])
        self.assertTrue(np.all(np.abs((grid.first + (i + j - 1) / 2) * H - [0.9, 0.848]) <= H))
