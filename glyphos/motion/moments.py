"""Moments that a frame should show: every closure, lip-to-teeth and vowel, and when it is shown."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from .bounds import SHOWN, Moment
from .channels import JAW, PART, WIDE
from .spline import Array, Grid, Ints, taps, where

LOOKS = np.linspace(0, 1, 9)  # where a moment is looked at for what it shows
EXTREME = 0.88  # of the widest gap between the lips
FINEST = 1e4  # moments are told apart by 0.1 ms, so that no rounding error decides


@dataclass(frozen=True)
class Moments:
    """In order: well shown within [low, high], somewhat within [wide_low, wide_high] (seconds)."""

    low: Array
    high: Array
    wide_low: Array
    wide_high: Array
    worth: Array

    @classmethod
    def joined(cls, parts: Iterable[list[Array]]) -> Moments:
        """Moments of several columns, in order."""
        columns = [np.concatenate([np.zeros(0), *column]) for column in zip(*parts, strict=True)]
        order = np.argsort(columns[0] + columns[1], kind="stable")
        return cls(*(c[order] for c in columns))

    @property
    def columns(self) -> list[Array]:
        """What there is of each, as `joined` takes it."""
        return [getattr(self, f.name) for f in fields(self)]

    @property
    def middle(self) -> Array:
        return (self.wide_low + self.wide_high) / 2


NONE = Moments(*(np.zeros(0) for _ in range(5)))


def found_on(asked: list[Moment], points: Array, grid: Grid, start: float, end: float) -> Moments:
    """The moments that were asked for with their middle in [start, end), each with the stretch in which the curve
    (control points) shows it: where all that is asked is met, or met as well as it ever is."""
    if not asked:
        return NONE
    columns = [np.concatenate(x) for x in zip(*asked, strict=True)]
    middle = (_told_apart(columns[2]) + _told_apart(columns[3])) / 2
    here = where((middle >= start) & (middle < end))
    low, high, wide_low, wide_high, worth, asks = (x[here] for x in columns)
    k = where((asks == asks).any(1))
    position = grid.position(wide_low[k, None] + (wide_high - wide_low)[k, None] * LOOKS)
    inside = (position[:, 0] >= 1) & (position[:, -1] < grid.count - 2)
    k, position = k[inside], position[inside]
    good = _shown(asks[k], points, position)
    some = good.any(1)
    k, good = k[some], good[some]
    a, b = _stretch(good)
    span = (wide_high - wide_low)[k]
    low[k], high[k] = wide_low[k] + LOOKS[a] * span, wide_low[k] + LOOKS[b] * span
    times = [_told_apart(x) for x in (low, np.maximum(low, high), wide_low, wide_high)]
    order = np.argsort(times[0] + times[1], kind="stable")
    return Moments(*(c[order] for c in (*times, worth)))


def _told_apart(times: Array) -> Array:
    """Times, no finer than moments are told apart by."""
    return np.asarray(np.rint(times * FINEST) / FINEST)


def _shown(asks: Array, points: Array, position: Array) -> NDArray[np.bool_]:
    """Where (moments, LOOKS) all that is asked is met, or within 0.01 of the best there is."""
    i = position.astype(np.intp)
    rows = points[list(SHOWN)]
    value = np.zeros((len(SHOWN), *position.shape))
    for offset, weight in zip((-1, 0, 1, 2), taps(position - i), strict=True):
        value += weight * rows[:, i + offset]
    ask = asks.T[:, :, None].copy()
    value = np.where(ask < 0, -value, value)  # at most: −0.19 of the jaw means 0.19
    wide = SHOWN.index(WIDE)  # but −0.3 of spreading means that
    ask[wide] = np.abs(ask[wide])
    most = value.max(2, keepdims=True)
    need = np.minimum(ask, most - 0.01)
    gap, opens = SHOWN.index(PART), ask[SHOWN.index(JAW)] > 0
    # A vowel is shown by what it comes to, which can be more than it asks.
    need[gap] = np.where(opens, np.maximum(need[gap], EXTREME * most[gap]), need[gap])
    return np.asarray(((value >= need) | (ask != ask)).all(0))


def _stretch(good: NDArray[np.bool_]) -> tuple[Ints, Ints]:
    """Of each row the good element nearest to the middle: first and last of its stretch."""
    number = np.arange(len(LOOKS))
    nearest = np.argmin(np.where(good, np.abs(LOOKS - 0.5), 9.0), 1)[:, None]
    before = np.where(good | (number > nearest), -1, number).max(1)  # the last that is not good
    after = np.where(good | (number < nearest), len(LOOKS), number).min(1)
    return before + 1, after - 1
