"""Curves as uniform cubic B-splines, and the grid of time that their control points stand on.

A bound on control points bounds the curve at every rate, a bound on their differences bounds its
speed, and no rate finds a corner in it (de Boor, A Practical Guide to Splines, 1978).
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Ints = NDArray[np.intp]

H = 0.008  # seconds between control points; point i of the grid stands at i · H, in every line


@dataclass(frozen=True)
class Grid:
    """Points `first` to before `first + count` of the grid."""

    first: int
    count: int

    @property
    def start(self) -> float:
        return self.first * H

    @property
    def end(self) -> float:
        return (self.first + self.count) * H

    def position(self, seconds: Array) -> Array:
        """Times as positions between the points, counted from the first."""
        return np.asarray(seconds / H - self.first)

    def index(self, seconds: float) -> int:
        """The first point at or after a time; just outside if the time is."""
        at = ceil(seconds / H - 1e-9) - self.first
        return min(max(at, -2), self.count + 2)

    def spans(self, start: Array, end: Array, least: int | Ints = 3) -> tuple[Ints, Ints]:
        """Ranges of points [i, j) nearest to [start, end], of `least` points (or one number a range) or more."""
        i = np.rint(start / H).astype(np.intp) - self.first
        j = np.rint(end / H).astype(np.intp) - self.first + 1
        few = np.flatnonzero(j - i < least)
        if len(few):
            points = least if isinstance(least, int) else least[few]
            middle = (start[few] + end[few]) / 2 / H
            i[few] = np.rint(middle - (points - 1) / 2).astype(np.intp) - self.first
            j[few] = i[few] + points
        return between(i, 0, self.count), between(j, 0, self.count)


def between(x: Any, low: Any, high: Any) -> Any:
    """x, at least `low` and at most `high`: np.clip at a quarter of its cost for short arrays."""
    return np.minimum(np.maximum(x, low), high)


def where(flags: NDArray[np.bool_]) -> Ints:
    """Which of a row of flags are set: np.flatnonzero at a third of its cost for short arrays."""
    found: Ints = flags.nonzero()[0]
    return found


def taps(part: Array) -> tuple[Array, Array, Array, Array]:
    """Weights of the four control points around a position, `part` of a step after the second."""
    rest = 1 - part
    return (
        rest * rest * rest / 6,
        (3 * part * part * part - 6 * part * part + 4) / 6,
        (3 * rest * rest * rest - 6 * rest * rest + 4) / 6,
        part * part * part / 6,
    )


@dataclass(frozen=True)
class Spline:
    """Control points (channels, n) from point `first` of the grid on; at rest before and after."""

    first: int
    points: Array

    def at(self, times: Array) -> Array:
        """Values (times, channels)."""
        count = self.points.shape[1]
        position = between(times / H - self.first, 1.0, count - 2.000001)
        i = position.astype(np.intp)
        weights = taps(position - i)
        low, high = (int(i.min()) - 1, int(i.max()) + 3) if len(i) else (0, 4)
        rows = np.ascontiguousarray(self.points[:, low:high].T)  # only what is asked for
        i -= low
        values: Array = weights[0][:, None] * rows[i - 1]
        for k in (1, 2, 3):
            values += weights[k][:, None] * rows[i + k - 1]
        return values
