"""Curves made smooth and sounds passed through, as SciPy's `ndimage` and `signal` do it.

Those packages take half a second to load (`signal` brings statistics and much else), which every window, every
worker and every command would wait for that looks at a voice.
"""

from __future__ import annotations

from functools import cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from .native import extension

Array = NDArray[np.float64]
REACH = 4.0  # standard deviations on either side
AT_ONCE = 20_000  # medians

# What stands beyond the ends: their values, the curve mirrored, or zero
Beyond = Literal["edge", "symmetric", "constant"]


def gaussian(values: NDArray[np.floating], sigma: float, beyond: Beyond = "edge") -> Array:
    """Values (n,) smoothed by a Gaussian; sigma: its standard deviation in steps of the values."""
    if not len(values):
        return np.zeros(0)
    radius = int(REACH * sigma + 0.5)
    weights = np.exp(-0.5 * (np.arange(-radius, radius + 1) / max(sigma, 1e-9)) ** 2)
    padded = np.pad(np.asarray(values, float), radius, mode=beyond)
    return np.convolve(padded, weights / weights.sum(), "valid")


def running_median(values: Array, count: int) -> Array:
    """The median of each value (n,) with those around it, `count` (odd) in all; the ends go on as they are."""
    if not len(values):
        return np.zeros(0)
    around = np.lib.stride_tricks.sliding_window_view(
        np.pad(values, count // 2, mode="edge"), count
    )
    return np.concatenate(
        [np.median(around[k : k + AT_ONCE], axis=1) for k in range(0, len(around), AT_ONCE)]
    )


# Sections (b0, b1, b2, 1, a1, a2) of Butterworth filters of the second order: those that pass what is above 50 Hz of
# 16,000 samples a second, and 60 to 900 Hz of 4,000
ABOVE_50 = np.array(
    [[0.9862119246270825, -1.972423849254165, 0.9862119246270825, 1.0, -1.9722337291952663, 0.9726139693130632]]
)  # fmt: skip
FROM_60_TO_900 = np.array(
    [[0.22295501345957625, 0.4459100269191525, 0.22295501345957625, 1.0, -0.2498467125057963, 0.21328672469021398],
     [1.0, -2.0, 1.0, 1.0, -1.8676222071057589, 0.8768473458283624]]
)  # fmt: skip


@cache
def _passing() -> Any:
    return vars(extension("scipy", "signal", "_sosfilt"))["_sosfilt"]


def passed(sections: Array, samples: Array, beyond: int) -> Array:
    """Samples (n,) passed through a filter there and back, so that nothing is shifted. beyond: how many are added at
    both ends, mirrored at the first and last."""
    beyond = min(len(samples) - 1, beyond)
    x = np.asarray(samples, float)
    whole = np.concatenate([2 * x[0] - x[beyond:0:-1], x, 2 * x[-1] - x[-2 : -beyond - 2 : -1]])
    there = _once(sections, whole)
    back = _once(sections, there[::-1])[::-1]
    return back[beyond : len(back) - beyond]


def _once(sections: Array, x: Array) -> Array:
    """Samples passed once, as if their first value had been there for ever."""
    state, gain = np.empty((1, len(sections), 2)), x[0]
    for k, (b0, b1, b2, _, a1, a2) in enumerate(sections.tolist()):
        first = (b1 - a1 * b0 + b2 - a2 * b0) / (1 + a1 + a2)
        state[0, k] = gain * first, gain * ((1 + a1) * first - (b1 - a1 * b0))
        gain *= (b0 + b1 + b2) / (1 + a1 + a2)
    y = np.array(x[None], order="C")
    _passing()(np.ascontiguousarray(sections), y, state)
    return np.asarray(y[0])
