"""Medians and percentiles of a few numbers, as numpy's: there each takes a tenth of a millisecond, and a line asks for
thousands."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def percentile(values: Array, percent: float) -> float:
    """The value under which so many of 100 lie (linear between neighbours). values: at least one, none of them NaN."""
    ordered = np.sort(values)
    at = percent / 100 * (len(ordered) - 1)
    k = int(at)
    low, high = float(ordered[k]), float(ordered[min(k + 1, len(ordered) - 1)])
    share = at - k
    return high - (high - low) * (1 - share) if share >= 0.5 else low + (high - low) * share


def median(values: Array) -> float:
    """The middle one, or halfway between the two in the middle. values: at least one, none of them NaN."""
    ordered = np.sort(values)
    middle = len(ordered) // 2
    return float(
        ordered[middle] if len(ordered) % 2 else (ordered[middle - 1] + ordered[middle]) / 2
    )
