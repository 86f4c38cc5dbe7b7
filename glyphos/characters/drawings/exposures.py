"""Which drawing is shown on which frame: the sequence that costs least, exactly.

Every frame has a cost for every drawing (how wrong it looks there), every change has one (more for
near twins, which only flicker), a drawing is held for at least so many frames, and changes come on
ones, twos or threes. Of all sequences that keep to this the cheapest is found by dynamic programming
over where an exposure ends (Bellman 1957).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Ints = NDArray[np.intp]


@dataclass(frozen=True)
class Exposure:
    """A drawing by its number, from frame `first` on, held for `frames`."""

    drawing: int
    first: int
    frames: int

    @property
    def after(self) -> int:
        """The frame after its last."""
        return self.first + self.frames


def cheapest(cost: Array, change: Array, hold: Sequence[int], step: int = 1) -> list[Exposure]:
    """The exposures of a line.

    cost (frames, drawings): of each drawing on each frame. change (drawings, drawings): from one
    to another; its diagonal is not looked at. hold (drawings,): frames that each is shown for at
    least; a line that is shorter shows one drawing. step: changes come on its multiples alone.
    """
    frames, drawings = cost.shape
    if not frames or not drawings:
        return []
    step = max(1, step)
    least = np.minimum(np.maximum(np.asarray(hold, np.intp), 1), frames)
    sums = np.zeros((frames + 1, drawings))
    np.cumsum(cost, 0, out=sums[1:])
    far = change + np.diag(np.full(drawings, np.inf))
    # begun[s, k]: the least that comes before an exposure of k which begins on s, less what k
    # costs up to s; ended[t, k]: the least of all that ends with k before t
    begun = np.full((frames + 1, drawings), np.inf)
    came = np.zeros((frames + 1, drawings), np.intp)  # from which drawing
    start = np.zeros((frames + 1, drawings), np.intp)  # where the exposure that ends on t began
    begun[0] = 0.0
    best, since = np.full(drawings, np.inf), np.zeros(drawings, np.intp)
    every, ended = np.arange(drawings), np.full(drawings, np.inf)
    for t in range(1, frames + 1):
        early = t - least
        fresh = np.where(early >= 0, begun[early, every], np.inf)
        better = fresh < best
        best = np.where(better, fresh, best)
        since = np.where(better, early, since)
        ended = sums[t] + best
        start[t] = since
        if t % step == 0 and t < frames:
            way = ended[:, None] + far
            came[t] = way.argmin(0)
            begun[t] = way[came[t], every] - sums[t]
    k, t, found = int(ended.argmin()), frames, []
    while t > 0:
        s = int(start[t, k])
        found.append(Exposure(k, s, t - s))
        k, t = int(came[s, k]), s
    return found[::-1]
