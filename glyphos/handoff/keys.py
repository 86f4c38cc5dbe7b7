"""Fewer keys within a stated error (Ramer 1972; Douglas & Peucker 1973), every channel alone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

ERROR = 0.005  # of a channel's range, by default
Doubles = NDArray[np.float64]


@dataclass(frozen=True)
class Keys:
    """Keys of one channel: frames and values; between them it goes straight."""

    frames: NDArray[np.intp]
    values: Doubles

    def at(self, frames: Doubles | NDArray[np.intp]) -> Doubles:
        """What a player shows on frames."""
        return np.interp(frames, self.frames, self.values)


def reduced(values: Doubles, span: float, error: float = ERROR) -> Keys:
    """As few keys as keep every frame within `error` of the range `span`; the first frame has one,
    the last too. An error of 0 gives a key a frame."""
    last = len(values) - 1
    if error <= 0 or last < 2:
        frames = np.arange(len(values))
        return Keys(frames, values[frames])
    most = error * span
    kept = np.zeros(len(values), bool)
    kept[[0, last]] = True
    stack = [(0, last)]
    while stack:
        a, b = stack.pop()
        if b - a < 2:
            continue
        inside = np.arange(a + 1, b)
        line = values[a] + (values[b] - values[a]) * (inside - a) / (b - a)
        away = np.abs(values[inside] - line)
        k = int(away.argmax())
        if away[k] > most:
            middle = a + 1 + k
            kept[middle] = True
            stack += [(a, middle), (middle, b)]
    frames = np.flatnonzero(kept)
    return Keys(*_dropped(frames, values, most))


def _dropped(
    frames: NDArray[np.intp], values: Doubles, most: float
) -> tuple[NDArray[np.intp], Doubles]:
    """Keys that are not needed once all others stand."""
    kept = frames.tolist()
    k = 1
    while k < len(kept) - 1:
        a, b = kept[k - 1], kept[k + 1]
        inside = np.arange(a + 1, b)
        line = values[a] + (values[b] - values[a]) * (inside - a) / (b - a)
        if np.abs(values[inside] - line).max(initial=0.0) <= most:
            del kept[k]
        else:
            k += 1
    made = np.array(kept, np.intp)
    return made, values[made]
