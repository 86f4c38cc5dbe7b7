"""From the microphone's 48,000 samples a second to the 16,000 that the ear hears, without waiting.

A resampler for files holds sound back in pieces of tens of milliseconds; this one gives each sample as soon as it
can be had: a low pass of linear phase (Kaiser window, 60 dB; Oppenheim & Schafer, Discrete-Time Signal Processing),
of which every third value is computed.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
FROM, BY = 48_000, 3
TAPS, EDGE, BETA = 115, 7_300.0, 5.65  # length, Hz where half is left, and the window's shape
DELAY = (TAPS - 1) / 2 / FROM  # seconds


def _low_pass() -> Floats:
    at = np.arange(TAPS) - (TAPS - 1) / 2
    taps = np.sinc(2 * EDGE / FROM * at) * np.kaiser(TAPS, BETA)
    return np.asarray(taps / taps.sum(), np.float32)


class Lower:
    """`push` takes mono samples at FROM, as many as there are, and gives those at a third of it."""

    def __init__(self) -> None:
        self._taps = _low_pass()
        self._kept = np.zeros(TAPS - 1, np.float32)

    def push(self, block: Floats) -> Floats:
        x = np.concatenate([self._kept, block])
        count = max(0, (len(x) - TAPS) // BY + 1)
        self._kept = x[count * BY :]
        if not count:
            return np.zeros(0, np.float32)
        windows = np.lib.stride_tricks.sliding_window_view(x, TAPS)[::BY][:count]
        return np.asarray(windows @ self._taps, np.float32)
