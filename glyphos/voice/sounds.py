"""How strong and how bright the sound is, every 10 ms."""

from __future__ import annotations

import numpy as np

from ..filters import ABOVE_50, passed
from .pitch import HOP, RATE, Array

SIZE = 512  # samples of a spectrum
PART = 4096  # frames at once, so that long recordings need little room


def rumble_free(samples: Array) -> Array:
    """Without what lies under 50 Hz."""
    x = np.asarray(samples, np.float64)
    if len(x) < 32:
        return x
    return passed(ABOVE_50, x, 9)


def strengths(samples: Array, frames: int) -> tuple[Array, Array, Array]:
    """Power of every frame: of all above 60 Hz in dB, of 1 to 5 kHz, of 50 Hz to 1 kHz (linear)."""
    hop = int(RATE * HOP)
    padded = np.concatenate((np.zeros(SIZE // 2), samples, np.zeros(SIZE)))
    window, hertz = np.hanning(SIZE), np.fft.rfftfreq(SIZE, 1 / RATE)
    high, low = (hertz > 1000) & (hertz < 5000), (hertz > 50) & (hertz <= 1000)
    made = [np.empty(frames) for _ in range(3)]
    for a in range(0, frames, PART):
        rows = np.arange(a, min(a + PART, frames))[:, None] * hop + np.arange(SIZE)
        power = np.abs(np.fft.rfft(padded[np.minimum(rows, len(padded) - 1)] * window)) ** 2
        stretch = slice(a, a + len(power))
        made[0][stretch] = 10 * np.log10(power[:, hertz > 60].sum(1) + 1e-10)
        made[1][stretch], made[2][stretch] = power[:, high].sum(1), power[:, low].sum(1)
    return made[0], made[1], made[2]
