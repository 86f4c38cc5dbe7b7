"""What promises ask of the curves, collected: bounds on control points, and moments to show."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .channels import COUNT, JAW, LOW, PART, PRESS, ROUND, TEETH, TOP, WIDE, channels
from .spline import Array, Grid, H, Ints

SHOWN = (JAW, PART, WIDE, ROUND, PRESS, TEETH)  # decide whether a moment is well shown
SPEED = np.array([c.speed for c in channels()])
STEP = 0.93 * SPEED * H * (TOP - LOW)  # the most between neighbouring points
# Of the speed over a whole move: smooth moves peak at 1.5 times their mean.
SHARE = np.where(SPEED > 25, 1 / 1.35, 1 / 1.25)
REACHED = STEP * SHARE
OVER = 0.01  # of a range: what passes its ends by less is cut off, not solved anew
GENTLE = 0.17  # of a range: the most beside a fixed stretch
Moment = tuple[Array, Array, Array, Array, Array, Array]


class Bounds:
    """Bounds (channels, points) on a grid, fixed points among them, and moments to show."""

    def __init__(self, grid: Grid) -> None:
        self.grid = grid
        self.low = np.repeat(LOW[:, None] - OVER, grid.count, 1)
        self.high = np.repeat(TOP[:, None] + OVER, grid.count, 1)
        self.fixed = np.zeros((COUNT, grid.count), bool)
        self.moments: list[Moment] = []
        self._raised: list[Array] = []
        self._lowered: list[Array] = []

    def at_least(self, channel: int | Ints, i: Ints, j: Ints, value: Array | float) -> None:
        """The channel (or one a range) is at least `value` over ranges of points [i, j)."""
        self._raised.append(_rows(channel, i, j, value))

    def at_most(self, channel: int | Ints, i: Ints, j: Ints, value: Array | float) -> None:
        """The channel is at most `value` over ranges of points [i, j)."""
        self._lowered.append(_rows(channel, i, j, value))

    def rest(self, channels: int | slice, i: int, j: int) -> None:
        """Channels are 0 over points [i, j)."""
        self.fixed[channels, max(i, 0) : max(j, 0)] = True

    def show(
        self, low: Array, high: Array, worth: Array | float,
        wide: Sequence[Array] | None = None, asks: Array | None = None,
    ) -> None:  # fmt: skip
        """Moments to show: well within [low, high], somewhat within `wide`.

        asks (moments, SHOWN): what counts as shown, from which the hold is found on the curve: at
        least a positive share of the target, at most a negative one; NaN asks nothing.
        """
        wide_low, wide_high = (low, high) if wide is None else wide
        asks = np.full((len(low), len(SHOWN)), np.nan) if asks is None else asks
        worths = np.broadcast_to(np.asarray(worth, float), low.shape)
        self.moments.append((low, high, wide_low, wide_high, worths, asks))

    def grant(self) -> None:
        """Make bounds of what was asked so far."""
        for asked, into, most in (
            (self._raised, self.low, np.maximum), (self._lowered, self.high, np.minimum),
        ):  # fmt: skip
            if asked:
                most.at(into.ravel(), *self._points(asked))
                asked.clear()

    def _points(self, asked: list[Array]) -> tuple[Ints, Array]:
        channel, i, j, value = np.concatenate(asked, 1)
        length = np.maximum(j - i, 0).astype(np.intp)
        start = (channel * self.grid.count + i).astype(np.intp) - (np.cumsum(length) - length)
        return np.repeat(start, length) + np.arange(length.sum()), np.repeat(value, length)

    def within_reach(self) -> None:
        """What a smooth move cannot reach in the time it has is not asked.

        Closures and rest never give way; teeth on lip only to rest; what keeps a channel low
        yields to both; what raises it yields to all of these.
        """
        low, high, fixed = self.low, self.high, self.fixed
        low[TEETH] = np.minimum(low[TEETH], ceiling(TEETH, np.where(fixed[TEETH], 0.0, 1.0)))
        for c in (
            TEETH,
            *np.flatnonzero(LOW < 0).tolist(),
        ):  # elsewhere no high bound is below rest
            needed = np.where(fixed[c], 0.0, -2.0)
            if c == TEETH:
                needed = np.maximum(needed, low[c])
            high[c] = np.maximum(high[c], -ceiling(c, -needed))
        for c in np.flatnonzero((low > LOW[:, None]).any(1)).tolist():
            high[c, fixed[c]] = 0.0
            low[c] = np.minimum(low[c], ceiling(c, high[c]))

    def steps(self) -> Array:
        """The most between each point and the next; less where a channel leaves a fixed stretch,
        so that it has no corner there."""
        step = np.repeat(STEP[:, None], self.grid.count, 1)
        leaving = np.nonzero(self.fixed[:, 1:] != self.fixed[:, :-1])
        step[leaving] = np.minimum(STEP, GENTLE * (TOP - LOW))[leaving[0]]
        step[:, -1] = 1e9
        return step


def _rows(channel: int | Ints, i: Ints, j: Ints, value: Array | float) -> Array:
    rows = np.empty((4, len(i)))
    rows[0], rows[1], rows[2], rows[3] = channel, i, j, value
    return rows


def ceiling(channel: int, most: Array) -> Array:
    """The highest curve under `most` (points,) that a smooth move can follow."""
    slope = REACHED[channel] * np.arange(len(most))
    x = np.minimum.accumulate(most - slope) + 2 * slope
    return np.asarray(np.minimum.accumulate(x[::-1])[::-1] - slope)


def covered(length: int, i: Ints, j: Ints) -> NDArray[np.bool_]:
    """Which of `length` points lie in one of the ranges [i, j)."""
    change = np.bincount(i, minlength=length + 1) - np.bincount(j, minlength=length + 1)
    return np.asarray(np.cumsum(change)[:length] > 0)
