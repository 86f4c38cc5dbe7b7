"""How loud a recording is over time, for syllables said louder to open wider."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .spline import between

WINDOW = 0.05
FLOOR_DB = -60.0
PIECE = 2000  # windows measured at once


@dataclass(frozen=True)
class Loudness:
    """Level in decibels (relative to full scale), one value every `step` seconds."""

    step: float
    level: NDArray[np.float64]

    def at(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Level at times, shape as given."""
        frames = between((seconds / self.step).astype(int), 0, len(self.level) - 1)
        return np.asarray(self.level[frames])


def measure(samples: NDArray[np.float32], rate: int) -> Loudness:
    """Root mean square over 50 ms, of mono `samples` at `rate` Hz."""
    size = max(1, int(WINDOW * rate))
    count = max(1, len(samples) // size)
    power = np.zeros(count)
    for first in range(0, count, PIECE):  # piece by piece: of an hour no copy is made
        part = samples[first * size : min(count, first + PIECE) * size]
        padded = np.zeros(min(count - first, PIECE) * size, np.float32)
        padded[: len(part)] = part
        rows = padded.reshape(-1, size)
        power[first : first + len(rows)] = (rows**2).mean(axis=1, dtype=np.float64)
    return Loudness(WINDOW, np.maximum(FLOOR_DB, 10 * np.log10(power + 1e-12)))
