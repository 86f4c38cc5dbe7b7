"""Fewer keys within a stated error, every channel alone: with straight lines between them (Ramer 1972;
Douglas & Peucker 1973), or eased, with a slope on each side of a key (cubic Hermite), which takes a
third of them."""

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


@dataclass(frozen=True)
class Eased:
    """Keys of one channel with the slope (a frame) that comes in and the one that goes out."""

    frames: NDArray[np.intp]
    values: Doubles
    slope_in: Doubles
    slope_out: Doubles

    def at(self, frames: Doubles | NDArray[np.intp]) -> Doubles:
        """What a player shows on frames."""
        where = np.clip(np.asarray(frames, float), self.frames[0], self.frames[-1])
        if len(self.frames) < 2:
            return np.full(len(where), self.values[0])
        k = np.clip(np.searchsorted(self.frames, where, side="right") - 1, 0, len(self.frames) - 2)
        length = (self.frames[k + 1] - self.frames[k]).astype(float)
        basis = _hermite((where - self.frames[k]) / length)
        parts = (
            self.values[k],
            length * self.slope_out[k],
            self.values[k + 1],
            length * self.slope_in[k + 1],
        )
        return np.asarray(sum(b * p for b, p in zip(basis, parts, strict=True)))


def eased(values: Doubles, span: float, error: float = ERROR) -> Eased:
    """Eased keys that keep every frame within `error` of the range `span`: from each key as far as one
    cubic reaches, its slopes by least squares."""
    last, most = len(values) - 1, max(error * span, 0.0)
    frames, slopes_in, slopes_out = [0], [0.0], []
    while frames[-1] < last:
        a = frames[-1]
        good, step = a + 1, 2
        while a + step <= last and _slopes(values, a, a + step, most) is not None:
            good, step = a + step, step * 2
        low, high = good, min(last, a + step)
        while low < high:
            middle = (low + high + 1) // 2
            if _slopes(values, a, middle, most) is not None:
                low = middle
            else:
                high = middle - 1
        out, into = _slopes(values, a, low, most) or (0.0, 0.0)
        frames.append(low)
        slopes_out.append(out)
        slopes_in.append(into)
    where = np.array(frames, np.intp)
    return Eased(where, values[where], np.array(slopes_in), np.array([*slopes_out, 0.0]))


def _hermite(t: Doubles) -> tuple[Doubles, Doubles, Doubles, Doubles]:
    """Shares of the first value, its slope, the second value, its slope."""
    cube, square = t**3, t**2
    return 2 * cube - 3 * square + 1, cube - 2 * square + t, 3 * square - 2 * cube, cube - square


def _slopes(values: Doubles, a: int, b: int, most: float) -> tuple[float, float] | None:
    """Slopes out of a and into b of a cubic that stays close enough; None if there is none."""
    length = float(b - a)
    if b - a < 2:
        slope = float(values[b] - values[a]) / length
        return slope, slope
    inside = np.arange(a + 1, b)
    first, out, second, into = _hermite((inside - a) / length)
    left = values[inside] - first * values[a] - second * values[b]
    system = np.stack([out, into], 1) * length
    found = np.linalg.lstsq(system, left, rcond=None)[0]
    if np.abs(left - system @ found).max() > most:
        return None
    return float(found[0]), float(found[1])
