"""From curves to frames: extremes are put on frames, as animators do.

A frame shows its own time moved by at most half a frame. Which frame shows which moment is the
best there is (dynamic programming: Bellman 1957), closures and teeth on lip first.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from .channels import PART, TEETH
from .moments import Moments
from .promises import MUST
from .spline import Array, Ints, Spline, between, where

HALF = 0.5 + 1e-9
PLAIN = 150  # at so many frames a second every extreme shows anyway
SHUT, BITES = 0.03, 0.9

Path = tuple[int, float, float, "Path | None"]  # frame, moments from, to, path before


def expose(spline: Spline, moments: Moments, fps: float, first: int, count: int) -> Array:
    """Values (count, channels) of frames `first` and after, at `fps` frames a second."""
    times = _times(moments, fps, first, count)
    values = spline.at(times)
    _share(values, times, spline, moments, fps, first)
    return values


def _share(
    values: Array, times: Array, spline: Spline, moments: Moments, fps: float, first: int
) -> None:
    """Where a closure and teeth on lip want one frame, it shows both, each in its own channel."""
    must = moments.worth >= MUST
    low, high = moments.low[must], moments.high[must]
    frame = np.rint((low + high) / 2 * fps).astype(np.intp) - first
    inside = (frame >= 0) & (frame < len(times))
    low, high, frame = low[inside], high[inside], frame[inside]
    around = times[between(frame[:, None] + (-1, 0, 1), 0, len(times) - 1)]
    lost = ~((around >= low[:, None] - 1e-9) & (around <= high[:, None] + 1e-9)).any(1)
    if not lost.any():
        return
    frame = frame[lost]
    shown = spline.at(between((frame + first) / fps, low[lost], high[lost]))
    shut, bite = shown[:, PART] <= SHUT, shown[:, TEETH] >= BITES
    np.minimum.at(values[:, PART], frame[shut], shown[shut, PART])
    np.maximum.at(values[:, TEETH], frame[bite], shown[bite, TEETH])


def _times(moments: Moments, fps: float, first: int, count: int) -> Array:
    """When each frame is taken: its own time, moved by at most half a frame."""
    shift, taken = np.zeros(count), np.zeros(count, bool)
    if len(moments.low) and fps < PLAIN:
        want = _Wanted.of(moments, fps)
        near = where((want.last >= first) & (want.first < first + count))
        if len(near):
            for run in want.runs(near[0], near[-1]):
                for frame, moved in want.given(run):
                    if first <= frame < first + count:
                        taken[frame - first], shift[frame - first] = True, moved
    around = np.zeros(count)
    around[1:] += shift[:-1] * taken[:-1]
    around[:-1] += shift[1:] * taken[1:]
    shift = np.where(taken, shift, around / 2)
    return np.asarray((np.arange(first, first + count) + shift) / fps)


@dataclass(frozen=True)
class _Wanted:
    """Of each moment, in frames: its hold, its core, the frames that can show it, the best one."""

    low: Array
    high: Array
    wide_low: Array
    wide_high: Array
    worth: Array
    first: Ints
    last: Ints
    best: Ints

    @classmethod
    def of(cls, m: Moments, fps: float) -> _Wanted:
        low, high, wide_low, wide_high = (x * fps for x in (m.low, m.high, m.wide_low, m.wide_high))
        first = np.ceil(np.minimum(low, wide_low) - HALF).astype(np.intp)
        last = np.floor(np.maximum(high, wide_high) + HALF).astype(np.intp)
        best = np.rint((wide_low + wide_high) / 2)
        far = (
            between(best, low - 0.5, high + 0.5) != best
        )  # it cannot show it well: the nearest that can
        middle = between((wide_low + wide_high) / 2, low, high)
        best = np.where(far, np.rint(middle), best).astype(np.intp)
        keep = [np.maximum(x, 0) for x in (first, last, best)]
        return cls(low, high, wide_low, wide_high, m.worth, *keep)

    def runs(self, begin: int, end: int) -> list[list[int]]:
        """Moments that want frames of each other, run by run; all runs with one of begin to end."""
        reached = np.maximum.accumulate(self.last)
        ahead = np.minimum.accumulate(self.first[::-1])[::-1]
        starts = np.ones(len(reached), bool)
        starts[1:] = (self.first[1:] > reached[:-1]) & (ahead[1:] > reached[:-1])
        edges = np.append(where(starts), len(starts))
        first = int(np.searchsorted(edges, begin, side="right")) - 1
        last = int(np.searchsorted(edges, end, side="right"))
        return [list(range(a, b)) for a, b in pairwise(edges[first : last + 1].tolist())]

    def given(self, run: list[int]) -> list[tuple[int, float]]:
        """The frames that moments of a run get, and by how much each is moved."""
        if len(run) == 1:
            k = run[0]
            frame = int(self.best[k])
            moment = min(max(frame, float(self.low[k])), float(self.high[k]))
            return [(frame, min(max(moment - frame, -0.5), 0.5))]
        path = self._best_path(run)
        found = []
        while path:
            frame, low, high, path = path
            found.append((frame, min(max(frame, low), high) - frame))
        return found

    def _best_path(self, run: list[int]) -> Path | None:
        """A moment is worth all inside its hold, less outside (to half at the edges of its core).

        Moments share a frame if a time within half a frame of it lies in the holds of all.
        """
        states: dict[int, tuple[float, Path | None]] = {-1: (0.0, None)}  # by the last frame
        for k in run:
            low, high, worth = float(self.low[k]), float(self.high[k]), float(self.worth[k])
            choices = self._choices(k, low, high, worth)
            new = dict(states)
            for last, (gain, path) in states.items():
                if path and gain + worth > new[last][0] and max(low, path[1]) <= min(high, path[2]):
                    shared = (last, max(low, path[1]), min(high, path[2]), path[3])
                    new[last] = gain + worth, shared
                for frame, value, a, b in choices:
                    if frame > last and (frame not in new or gain + value > new[frame][0]):
                        new[frame] = gain + value, (frame, a, b, path)
            most, states = -1.0, {}
            for frame in sorted(new):  # a later frame is only worth keeping if it gained more
                if new[frame][0] > most:
                    most = new[frame][0]
                    states[frame] = new[frame]
        return max(states.values(), key=lambda s: s[0])[1]

    def _choices(
        self, k: int, low: float, high: float, worth: float
    ) -> list[tuple[int, float, float, float]]:
        """Frames that can show a moment: what each gains, and the times in which it does."""
        found = []
        wide_low, wide_high = float(self.wide_low[k]), float(self.wide_high[k])
        best = int(self.best[k])
        for frame in range(int(self.first[k]), int(self.last[k]) + 1):
            a, b = max(low, frame - 0.5), min(high, frame + 0.5)
            value = worth - 0.02 * max(a - frame, frame - b, 0) - 0.2 * (frame != best)
            if a > b:  # the hold is out of reach: the time nearest to it
                a = b = frame - 0.5 if high < frame else frame + 0.5
                out, span = (
                    (a - high, wide_high - high) if high < frame else (low - a, low - wide_low)
                )
                if out > span + 1e-6:
                    continue
                value -= 0.5 * worth * out / max(span, 1e-9)
            found.append((frame, value, a, b))
        return found
