"""Many smooth outlines at once: points become the cubic curves of all paths of a drawing in NumPy.

A path is a closed or open Catmull-Rom spline through its points, or a brush: a line with pressure,
drawn as the outline of its ink. How points, samples and curves hang together depends only on the
counts, so it is worked out once for a drawing and kept (`plan`).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from math import pi
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Ints = NDArray[np.intp]


class Kind(NamedTuple):
    """How a path is made of so many `points`: a closed or open spline; or a brush of `samples`
    (0: none) whose width begins and ends at shares `taper`, fuller with less `belly`."""

    points: int
    closed: bool = True
    samples: int = 0
    taper: tuple[float, float] = (0.0, 0.0)
    belly: float = 1.0


@dataclass(frozen=True)
class Plan:
    """Indices and weights for a drawing of certain kinds of paths."""

    taps: Ints  # (samples, 4) points that a sample lies between
    weights: Array  # (samples, 4)
    before: Ints  # (samples,) the samples on either side, for the direction
    after: Ints
    half: Array  # (samples,) share of the brush's width
    brush: Ints  # (samples,) which brush, counted among brushes
    loop: Ints  # (outline points,) into points, left edges and right edges of brushes, in a row
    around: Ints  # (4, segments) outline points: before, first, second, after of each segment
    start: Ints  # elements at which paths start
    from_: Ints  # outline point of each start
    curve: Ints  # elements at which segments begin: two controls and an end
    first: Ints  # (paths + 1,) first element of each path


@lru_cache(maxsize=32)
def plan(kinds: tuple[Kind, ...]) -> Plan:
    """The plan for paths of these kinds, their points in a row."""
    points = sum(k.points for k in kinds)
    samples = sum(k.samples for k in kinds)
    taps, weights, before, after, half, brush = [], [], [], [], [], []
    loop, around, start, from_, curve, first = [], [], [], [], [], [0]
    at = sample = outline = element = brushes = 0
    for kind in kinds:
        own = list(range(at, at + kind.points))
        at += kind.points
        if kind.samples:
            n = kind.samples
            for i, w in _basis(kind.points - 1, n):
                taps.append([own[0] + j for j in i])
                weights.append(w)
            before += [sample + max(0, k - 1) for k in range(n)]
            after += [sample + min(n - 1, k + 1) for k in range(n)]
            half += _taper(*kind.taper, n, kind.belly)
            brush += [brushes] * n
            left = [points + sample + k for k in range(n)]
            own = left + [points + samples + sample + k for k in reversed(range(n))]
            sample, brushes = sample + n, brushes + 1
        count, closed = len(own), kind.closed
        here = [outline + k for k in range(count)]
        loop += own
        start.append(element)
        from_.append(here[0])
        element += 1
        for k in range(count if closed else count - 1):
            if closed:
                around.append([here[k - 1], here[k], here[(k + 1) % count], here[(k + 2) % count]])
            else:
                around.append(
                    [here[max(0, k - 1)], here[k], here[k + 1], here[min(count - 1, k + 2)]]
                )
            curve.append(element)
            element += 3
        first.append(element)
        outline += count

    def ints(values: list[int] | list[list[int]]) -> Ints:
        return np.array(values, np.intp)

    return Plan(
        np.array(taps, np.intp).reshape(-1, 4), np.array(weights).reshape(-1, 4), ints(before),
        ints(after), np.array(half), ints(brush), ints(loop), ints(around).reshape(-1, 4).T.copy(),
        ints(start), ints(from_), ints(curve), ints(first),
    )  # fmt: skip


def _basis(m: int, n: int) -> list[tuple[tuple[int, ...], tuple[float, ...]]]:
    """For n samples on a curve through m + 1 points: four indices and four weights each."""
    made: list[tuple[tuple[int, ...], tuple[float, ...]]] = []
    for k in range(n):
        u = k * m / (n - 1)
        i = min(int(u), m - 1)
        t = u - i
        t2, t3 = t * t, t * t * t
        weights = (-t + 2 * t2 - t3, 2 - 5 * t2 + 3 * t3, t + 4 * t2 - 3 * t3, t3 - t2)
        made.append(((max(i - 1, 0), i, i + 1, min(i + 2, m)), tuple(0.5 * w for w in weights)))
    return made


def _taper(start: float, end: float, n: int, belly: float) -> list[float]:
    u = np.arange(n) / (n - 1)
    ends = start + (end - start) * u
    full = np.maximum(0.0, np.sin(pi * u)) ** (0.7 * belly)
    return list(0.5 * (ends + (1 - ends) * full))


def curves(p: Plan, points: Array, widths: Array) -> Array:
    """Elements (n, 2) of all paths: a start, then two controls and an end a segment.

    points (points, 2); widths (brushes,). Inside, a point is one complex number: NumPy gathers
    those several times quicker than rows of two.
    """
    flat = np.ascontiguousarray(points).view(np.complex128)[:, 0]
    loops = [flat]
    if len(p.taps):
        near = flat[p.taps]
        middle = (p.weights * near).sum(1)
        along = middle[p.after] - middle[p.before]
        reach = widths[p.brush] * p.half / np.sqrt(along.real**2 + along.imag**2 + 1e-9)
        across = 1j * along * reach
        loops += [middle + across, middle - across]
    outline = np.concatenate(loops)[p.loop]
    a, b, c, d = (outline[k] for k in p.around)
    made = np.empty(int(p.first[-1]), np.complex128)
    made[p.start] = outline[p.from_]
    made[p.curve] = b + (c - a) / 6
    made[p.curve + 1] = c - (d - b) / 6
    made[p.curve + 2] = c
    return made.view(np.float64).reshape(-1, 2)
