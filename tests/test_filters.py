"""Filters against those of SciPy, a general reference library."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.ndimage import gaussian_filter1d, median_filter

from glyphos.filters import ABOVE_50, FROM_60_TO_900, gaussian, passed, running_median

NAMES = {"edge": "nearest", "symmetric": "reflect", "constant": "constant"}


class Filters(unittest.TestCase):
    def setUp(self) -> None:
        self.draws = np.random.default_rng(8)

    def test_a_gaussian_is_the_reference_s_at_every_width_and_end(self) -> None:
        for count in (1, 2, 9, 400):
            values = self.draws.standard_normal(count)
            for sigma in (0.001, 0.3, 4.2, 18.0):
                for ours, theirs in NAMES.items():
                    with self.subTest((count, sigma, ours)):
                        np.testing.assert_allclose(
                            gaussian(values, sigma, ours),  # type: ignore[arg-type]
                            gaussian_filter1d(values, sigma, mode=theirs),
                            atol=1e-12,
                        )
        self.assertEqual(len(gaussian(np.zeros(0), 3.0)), 0)

    def test_a_running_median_is_the_reference_s(self) -> None:
        for count in (1, 30, 25_000):  # fewer than are looked at, and more than at once
            values = self.draws.standard_normal(count)
            np.testing.assert_array_equal(
                running_median(values, 61), median_filter(values, 61, mode="nearest")
            )

    def test_what_is_passed_there_and_back_is_the_reference_s(self) -> None:
        from scipy.signal import butter, sosfiltfilt

        for sections, designed, beyond in (
            (ABOVE_50, butter(2, 50, "high", fs=16_000, output="sos"), 9),
            (FROM_60_TO_900, butter(2, [60, 900], "band", fs=4_000, output="sos"), 27),
        ):
            np.testing.assert_allclose(sections, designed, rtol=1e-12)
            for count in (32, 5_000):
                x = self.draws.standard_normal(count) + 3.0
                np.testing.assert_allclose(
                    passed(sections, x, beyond), sosfiltfilt(designed, x, padlen=beyond), atol=1e-9
                )


if __name__ == "__main__":
    unittest.main()
