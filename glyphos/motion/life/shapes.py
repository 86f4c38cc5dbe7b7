"""How living things move from one place to another."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def eased(x: Array) -> Array:
    """From 0 to 1 with speed and acceleration 0 at both ends: minimum jerk (Flash & Hogan 1985)."""
    x = np.clip(x, 0.0, 1.0)
    return np.asarray(x * x * x * (10 - 15 * x + 6 * x * x))


def hump(times: Array, start: float, peak: float, end: float, hold: float = 0.0) -> Array:
    """Up from `start` to `peak`, held for `hold` seconds, down to `end`."""
    up = eased((times - start) / max(peak - start, 1e-3))
    return up * (1 - eased((times - peak - hold) / max(end - peak - hold, 1e-3)))


def between(times: Array, start: float, end: float) -> slice:
    """The part of rising times that a stretch takes."""
    a, b = np.searchsorted(times, [start, end])
    return slice(int(a), int(b))


def smoothed(x: Array, low: float, high: float) -> Array:
    """0 under `low`, 1 over `high`, smooth between."""
    u = np.clip((x - low) / (high - low), 0.0, 1.0)
    return np.asarray(u * u * (3 - 2 * u))


def joined(a: Array | float, b: Array | float) -> Array:
    """Two shares of 0..1 together: neither takes away from the other, and both never pass 1."""
    return np.asarray(1 - (1 - np.asarray(a)) * (1 - np.asarray(b)))
