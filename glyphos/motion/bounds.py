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
# Teeth first; elsewhere no high bound is below rest
LOWERED = np.array([TEETH, *np.flatnonzero(LOW < 0)])
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

    def at_least(
        self, channel: int | Ints, start: Array, end: Array, value: Array | float, points: int = 3
    ) -> None:
        """The channel (or one a stretch) is at least `value` from `start` to `end` (seconds), over as many points or
        more."""
        self._raised.append(_rows(channel, start, end, value, points))

    def at_most(
        self, channel: int | Ints, start: Array, end: Array, value: Array | float, points: int = 3
    ) -> None:
        """The channel is at most `value` from `start` to `end`."""
        self._lowered.append(_rows(channel, start, end, value, points))

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
        worths = np.full(len(low), worth, float)
        self.moments.append((low, high, wide_low, wide_high, worths, asks))

    def grant(self) -> None:
        """Make bounds of what was asked so far: all at once, since it is little of each."""
        raised = sum(a.shape[1] for a in self._raised)
        channel, start, end, value, least = np.concatenate(
            [np.zeros((5, 0)), *self._raised, *self._lowered], 1
        )
        self._raised.clear()
        self._lowered.clear()
        i, j = self.grid.spans(start, end, least.astype(np.intp))
        length = np.maximum(j - i, 0)
        after = np.cumsum(length)
        begin = channel.astype(np.intp) * self.grid.count + i - (after - length)
        points = np.repeat(begin, length) + np.arange(length.sum())
        values = np.repeat(value, length)
        k = int(after[raised - 1]) if raised else 0
        np.maximum.at(self.low.ravel(), points[:k], values[:k])
        np.minimum.at(self.high.ravel(), points[k:], values[k:])

    def within_reach(self) -> None:
        """What a smooth move cannot reach in the time it has is not asked.

        Closures and rest never give way; teeth on lip only to rest; what keeps a channel low
        yields to both; what raises it yields to all of these.
        """
        low, high, fixed = self.low, self.high, self.fixed
        teeth = np.array([TEETH])
        low[teeth] = np.minimum(low[teeth], ceiling(teeth, np.where(fixed[teeth], 0.0, 1.0)))
        rows = LOWERED
        needed = np.where(fixed[rows], 0.0, -2.0)
        needed[0] = np.maximum(needed[0], low[TEETH])
        high[rows] = np.maximum(high[rows], -ceiling(rows, -needed))
        rows = np.flatnonzero((low > LOW[:, None]).any(1))
        most = np.where(fixed[rows], 0.0, high[rows])
        high[rows] = most
        low[rows] = np.minimum(low[rows], ceiling(rows, most))

    def steps(self) -> Array:
        """The most between each point and the next; less where a channel leaves a fixed stretch,
        so that it has no corner there."""
        step = np.repeat(STEP[:, None], self.grid.count, 1)
        leaving = np.nonzero(self.fixed[:, 1:] != self.fixed[:, :-1])
        step[leaving] = np.minimum(STEP, GENTLE * (TOP - LOW))[leaving[0]]
        step[:, -1] = 1e9
        return step


def _rows(
    channel: int | Ints, start: Array, end: Array, value: Array | float, points: int
) -> Array:
    rows = np.empty((5, len(start)))
    rows[0], rows[1], rows[2], rows[3], rows[4] = channel, start, end, value, points
    return rows


def ceiling(channels: Ints, most: Array) -> Array:
    """The highest curves of channels under `most` (channels, points) that a smooth move can follow."""
    slope = REACHED[channels][:, None] * np.arange(most.shape[1])
    x = np.minimum.accumulate(most - slope, 1) + 2 * slope
    return np.asarray(np.minimum.accumulate(x[:, ::-1], 1)[:, ::-1] - slope)


def covered(length: int, i: Ints, j: Ints) -> NDArray[np.bool_]:
    """Which of `length` points lie in one of the ranges [i, j)."""
    change = np.bincount(i, minlength=length + 1) - np.bincount(j, minlength=length + 1)
    return np.asarray(np.cumsum(change)[:length] > 0)
