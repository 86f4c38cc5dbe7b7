"""How loud somebody speaks, against how they mostly do, and how much noise is around them.

A noise floor for each mel band follows what is quiet; what is far enough over it opens a gate (with hysteresis), and
what comes while it is open tells how loud the speaker is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..speech import frontend as offline

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
HOP, WINDOW, NFFT = offline.HOP, offline.WINDOW, offline.NFFT
DB = 10 / np.log(10)
LOUDEST, SCALE = (
    1.0,
    np.float32(32768),
)  # of samples: full scale, and what the figures below are for
LEAST, KEEP = 1e-4, 0.05  # power of a band, and the share of it that is always kept
CLEAR = 8  # the clearest bands tell the level: hiss hides nothing
QUIET, SPAN = (
    25.0,
    6.0,
)  # dB of speech over noise about which noise begins to matter, and how wide that is
# dB of the gate, and frames that it stays open
BIAS, OPENS, CLOSES, RANGE, HANG = 5.0, 7.0, 4.0, 40.0, 6


@dataclass(frozen=True)
class Around:
    """Of 10 ms: dB over the speaker's own loudness, and how much noise there is, 0 to 1."""

    loud: float
    noisy: float


class Room:
    """`push` takes mono samples at 16 kHz, as many as there are, and gives an Around for each 10 ms."""

    def __init__(self) -> None:
        self._mel = offline.mel_filters()
        self._hamming = np.hamming(WINDOW).astype(np.float32)
        self._buffer = np.zeros(WINDOW + 1 - HOP, np.float32)
        self._over: Array | None = None
        self._loud: float | None = None
        self._peak, self._own = 25.0, 90.0
        self._open, self._since = False, 0
        self.calibrate()

    def calibrate(self) -> None:
        """Learn the speaker and the room anew, from the next seconds."""
        self._spoken = self._seen = 0
        self._floor: Array | None = None

    def push(self, block: Floats) -> list[Around]:
        # What is no number would stay for ever
        sound = np.nan_to_num(np.clip(block, -LOUDEST, LOUDEST)) * SCALE
        self._buffer = np.concatenate([self._buffer, sound])
        made: list[Around] = []
        while len(self._buffer) >= WINDOW + 1:
            piece = self._buffer[: WINDOW + 1]
            made.append(self._cut(piece[1:] - np.float32(offline.PRE_EMPHASIS) * piece[:-1]))
            self._buffer = self._buffer[HOP:]
        return made

    def _cut(self, emphasised: Floats) -> Around:
        spectrum = np.fft.rfft(emphasised * self._hamming, NFFT)
        power = (spectrum.real**2 + spectrum.imag**2).astype(np.float32)
        bands = power @ self._mel
        logs = np.asarray(np.log(np.maximum(bands, LEAST)), np.float64)
        self._seen += 1
        floor = self._floor = self._followed(logs)
        over = (logs - floor) * DB
        self._over = over if self._over is None else self._over + (over - self._over) * 0.5
        level = float(np.sort(self._over)[-CLEAR:].mean()) - BIAS
        self._gate(level)
        noisy = min(max((QUIET - self._peak) / SPAN + 0.5, 0.0), 1.0)
        clean = np.maximum(bands - noisy * 2 * np.exp(floor), KEEP * bands)
        loud = DB * float(np.log(np.maximum(clean, LEAST).sum()))
        self._loud = loud if self._loud is None else self._loud + (loud - self._loud) * 0.5
        if self._open and level > 0.4 * self._peak:
            self._own += (self._loud - self._own) * (0.005 + 0.05 / (1 + self._spoken / 20))
            self._spoken += 1
        return Around(self._loud - self._own, noisy)

    def _followed(self, logs: Array) -> Array:
        """A 15th percentile of each band that follows: steps up and down in this ratio, quicker at first."""
        before = logs if self._floor is None else self._floor
        step = 0.10 + 0.5 / (1 + self._seen / 10)
        floor = before + np.where(logs > before, 0.15 * step, -0.85 * step)
        return np.minimum(floor, logs + 3.0)

    def _gate(self, level: float) -> None:
        quick = 1 + 8 / (1 + self._seen / 10)
        if level > self._peak:
            self._peak += 0.25 * (level - self._peak)
        elif self._open:
            self._peak -= min(0.02 * quick, self._peak - level)
        high = max(OPENS, self._peak - RANGE)
        if level > high:
            self._open, self._since = True, 0
        elif level < max(CLOSES, high - 4):
            self._since += 1
            if self._since > HANG:
                self._open = False
