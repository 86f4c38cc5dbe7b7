"""Masks closed and opened by a disk, against SciPy's morphology with the disk itself."""

from __future__ import annotations

import unittest

import numpy as np
from scipy import ndimage

from glyphos.characters.drawings.rounding import closed, opened


def disk(radius: float) -> np.ndarray:
    r = int(np.ceil(radius))
    y, x = np.mgrid[-r : r + 1, -r : r + 1]
    return np.asarray(x * x + y * y <= radius * radius + 0.5)


class Rounding(unittest.TestCase):
    def test_every_pixel_is_the_reference_s_up_to_the_rim(self) -> None:
        draws = np.random.default_rng(4)
        for radius in (1.0, 1.7, 3.3, 7.2, 12.0):
            for soft in (0.0, 2.5):
                shape = draws.integers(5, 120, 2)
                mask = ndimage.gaussian_filter(draws.standard_normal(shape), soft) > 0.02
                with self.subTest((radius, soft)):
                    np.testing.assert_array_equal(
                        closed(mask, radius), ndimage.binary_closing(mask, disk(radius))
                    )
                    np.testing.assert_array_equal(
                        opened(mask, radius), ndimage.binary_opening(mask, disk(radius))
                    )

    def test_nothing_and_everything(self) -> None:
        for mask in (np.zeros((9, 7), bool), np.ones((9, 7), bool)):
            for ours, theirs in (
                (closed, ndimage.binary_closing),
                (opened, ndimage.binary_opening),
            ):
                np.testing.assert_array_equal(ours(mask, 2.0), theirs(mask, disk(2.0)))


if __name__ == "__main__":
    unittest.main()
