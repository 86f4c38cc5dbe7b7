"""Which drawing is shown on which frame: the sequence that costs least, exactly.

Every frame has a cost for every drawing (how wrong it looks there), every change has one (more for
near twins, which only flicker), a drawing is held for at least so many frames, and changes come on
ones, twos or threes. Of all sequences that keep to this the cheapest is found by dynamic programming
over where an exposure ends (Bellman 1957): in C, or the same by NumPy where there is no compiler.
"""

from __future__ import annotations

import ctypes
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...native import compiled

Array = NDArray[np.float64]
Ints = NDArray[np.intp]


@dataclass(frozen=True)
class Exposure:
    """A drawing by its number, from frame `first` on, held for `frames`. pinned: by hand."""

    drawing: int
    first: int
    frames: int
    pinned: bool = False

    @property
    def after(self) -> int:
        """The frame after its last."""
        return self.first + self.frames


def cheapest(
    cost: Array, change: Array, hold: Sequence[int], step: int = 1, *, origin: int = 0,
    before: Array | None = None, after: Array | None = None,
) -> list[Exposure]:  # fmt: skip
    """The exposures of a line, or of a stretch of one.

    cost (frames, drawings): of each drawing on each frame. change (drawings, drawings): from one
    to another; its diagonal is not looked at. hold (drawings,): frames that each is shown for at
    least; a line that is shorter shows one drawing. step: changes come on its multiples alone,
    counted with `origin` frames that come first. before, after (drawings,): what it costs to begin
    and to end with each.
    """
    frames, drawings = cost.shape
    if not frames or not drawings:
        return []
    nothing = np.zeros(drawings)
    find = _in_c if _found is not None else _in_numpy
    last, came, start = find(
        np.ascontiguousarray(cost, np.float64), np.ascontiguousarray(change, np.float64),
        np.minimum(np.maximum(np.asarray(hold, np.intp), 1), frames), max(1, step), origin,
        nothing if before is None else np.ascontiguousarray(before, np.float64),
        nothing if after is None else np.ascontiguousarray(after, np.float64),
    )  # fmt: skip
    k, t, found = last, frames, []
    while t > 0:
        s = int(start[t, k])
        found.append(Exposure(k, s, t - s))
        k, t = int(came[s, k]), s
    return found[::-1]


_found = compiled(Path(__file__).parent, "_cheapest", "cheapest")
if _found is not None:
    _found.argtypes = [*[ctypes.c_long] * 4, *[ctypes.c_void_p] * 7]
    _found.restype = ctypes.c_long


def _in_c(
    cost: Array, change: Array, hold: Ints, step: int, origin: int, before: Array, after: Array
) -> tuple[int, Ints, Ints]:
    frames, drawings = cost.shape
    came, start = (np.zeros((frames + 1, drawings), np.int_) for _ in range(2))
    least = np.ascontiguousarray(hold, np.int_)
    last = _found(
        frames, drawings, step, origin,
        *(a.ctypes.data for a in (cost, change, least, before, after, came, start)),
    )  # fmt: skip
    if last < 0:
        raise MemoryError
    return last, came, start


def _in_numpy(
    cost: Array, change: Array, hold: Ints, step: int, origin: int, before: Array, after: Array
) -> tuple[int, Ints, Ints]:
    frames, drawings = cost.shape
    sums = np.zeros((frames + 1, drawings))
    np.cumsum(cost, 0, out=sums[1:])
    far = change + np.diag(np.full(drawings, np.inf))
    # begun[s, k]: the least that comes before an exposure of k which begins on s, less what k
    # costs up to s; ended[t, k]: the least of all that ends with k before t
    begun = np.full((frames + 1, drawings), np.inf)
    came = np.zeros((frames + 1, drawings), np.intp)  # from which drawing
    start = np.zeros((frames + 1, drawings), np.intp)  # where the exposure that ends on t began
    begun[0] = before
    best, since = np.full(drawings, np.inf), np.zeros(drawings, np.intp)
    every, ended = np.arange(drawings), np.full(drawings, np.inf)
    for t in range(1, frames + 1):
        early = t - hold
        fresh = np.where(early >= 0, begun[early, every], np.inf)
        better = fresh < best
        best = np.where(better, fresh, best)
        since = np.where(better, early, since)
        ended = sums[t] + best
        start[t] = since
        if (t + origin) % step == 0 and t < frames:
            way = ended[:, None] + far
            came[t] = way.argmin(0)
            begun[t] = way[came[t], every] - sums[t]
    return int((ended + after).argmin()), came, start
