"""Streaming front end: blocks of sound in, the acoustic model's three feature streams out.

Cepstra and deltas are those of `speech.frontend`, value for value; only the mean that is subtracted runs (a few
seconds of memory, begun with a generic speaker, updated in speech only). Beside them a noise floor for each mel
band, an energy gate with hysteresis and band levels. Frame t ends where block t ends; its double delta needs
frame t + 3.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..speech import frontend as offline

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
Side = tuple[float, float, float, float, float, float, float, Floats]
HOP, WINDOW, NFFT = offline.HOP, offline.WINDOW, offline.NFFT
AHEAD = 3  # frames that double deltas look ahead
DELAY = (
    WINDOW // 2 / offline.RATE + AHEAD * HOP / offline.RATE
)  # seconds, sample in to features out
DB = 10 / np.log(10)
LOUDEST = 1.0  # of samples: full scale
# Of speech frames, over the voices that everything here was set on (normalised as offline; the first is level).
GENERIC = np.array([59.9, 7.4, 1.1, 12.6, -4.6, 0.2, 0.0, -1.5, -4.5, -2.9, 2.5, 0.7, 1.4])
MEMORY, PRIOR, PRIOR_LEVEL = (
    5.0,
    1.5,
    0.15,
)  # seconds: of the running mean, what the generic speaker counts for
KEEP, QUIET_SPAN = (
    0.05,
    25.0,
)  # share of power always kept; dB of speech over noise above which none is taken off
BIAS, OPENS, CLOSES, RANGE, HANG = (
    5.0,
    7.0,
    4.0,
    40.0,
    6,
)  # dB of the gate, and frames that it stays open


@dataclass(frozen=True)
class Frame:
    """What is known of a frame: streams (13,) three times; and of the newest frame, AHEAD later: level (dB
    over the floor in the clearest bands), loudness against the speaker's own, low and high bands over their floors,
    centroid 0..1, peak of the level, and how much noise is taken off 0..1 (then and in the frame itself)."""

    index: int
    streams: tuple[Floats, Floats, Floats]
    level: float
    loud: float
    low: float
    high: float
    centroid: float
    peak: float
    noisy: float
    own_noisy: float  # of the frame itself
    fresh: Floats  # (38,): of the newest frame cepstra, mean taken off, and bands over their floors, tens of dB

    @property
    def newest(self) -> tuple[float, float, float, float, float, float]:
        return self.level, self.loud, self.low, self.high, self.centroid, self.peak


class Front:
    """`push` takes mono samples at 16 kHz, as many as there are, and gives the frames that are complete."""

    def __init__(self) -> None:
        self._mel, self._dct = offline.mel_filters(), offline.cosine_transform()
        self._hamming = np.hamming(WINDOW).astype(np.float32)
        self._buffer = np.zeros(WINDOW + 1 - HOP, np.float32)
        self._cep: list[Array] = []
        self._side: list[Side] = []
        self._base = self._out = self._seen = self._spoken = 0
        self.mean = GENERIC.copy()
        self._weight = np.full(13, PRIOR * 100)
        self._weight[0] = PRIOR_LEVEL * 100
        self._floor: Array | None = None
        self._over: Array | None = None
        self._loud: float | None = None
        self._peak, self.own = 25.0, 90.0
        self._open, self._since = False, 0
        self._random, self._dither = np.random.default_rng(0), np.zeros(0, np.float32)

    def calibrate(self) -> None:
        """Learn the speaker and the room anew, from the next seconds alone."""
        self._weight[:] = 1.0
        self._spoken = self._seen = 0
        self._floor = None

    def push(self, block: Floats) -> list[Frame]:
        """Frames that are complete with these samples."""
        block = np.nan_to_num(
            np.clip(block, -LOUDEST, LOUDEST)
        )  # what is no number would stay for ever
        while len(self._dither) < len(block):  # of the last bit, the same whatever the blocks
            new = (self._random.random(HOP, np.float32) - np.float32(0.5)) / np.float32(16384)
            self._dither = np.concatenate([self._dither, new])
        sound = (block + self._dither[: len(block)]).astype(np.float32) * np.float32(32768)
        self._dither = self._dither[len(block) :]
        self._buffer = np.concatenate([self._buffer, sound])
        frames: list[Frame] = []
        while len(self._buffer) >= WINDOW + 1:
            piece = self._buffer[: WINDOW + 1]
            self._cut(piece[1:] - np.float32(offline.PRE_EMPHASIS) * piece[:-1])
            self._buffer = self._buffer[HOP:]
            frames += self._ready()
        return frames

    def _cut(self, emphasised: Floats) -> None:
        spectrum = np.fft.rfft(emphasised * self._hamming, NFFT)
        power = (spectrum.real**2 + spectrum.imag**2).astype(np.float32)
        bands = power @ self._mel
        logs = np.asarray(np.log(np.maximum(bands, 1e-4)), np.float64)
        self._seen += 1
        floor = self._floor = self._followed(logs)
        over = (logs - floor) * DB
        self._over = over if self._over is None else self._over + (over - self._over) * 0.5
        level = (
            float(np.sort(self._over)[-8:].mean()) - BIAS
        )  # the clearest bands: hiss hides nothing
        self._gate(level)
        noisy = min(max((QUIET_SPAN - self._peak) / 6 + 0.5, 0.0), 1.0)
        if noisy > 0:
            clean = np.maximum(bands - noisy * 2 * np.exp(floor), KEEP * bands)
            logs = np.asarray(np.log(np.maximum(clean, 1e-4)), np.float64)
        cep = np.asarray(logs @ self._dct, np.float64)
        speaks = self._open and level > 0.4 * self._peak
        if speaks:
            decay = 1 - 1 / (MEMORY * 100)
            self._weight = self._weight * np.where(self._weight > 100 * MEMORY, decay, 1.0) + 1
            self.mean = self.mean + (cep - self.mean) / self._weight
        weights = np.exp(logs * 0.5)
        centroid = float((weights * np.arange(len(weights))).sum() / weights.sum() / len(weights))
        loud = DB * float(np.log(np.exp(logs).sum() + 1e-3))
        self._loud = loud if self._loud is None else self._loud + (loud - self._loud) * 0.5
        if speaks:
            self.own += (self._loud - self.own) * (0.005 + 0.05 / (1 + self._spoken / 20))
            self._spoken += 1
        self._cep.append(cep)
        self._side.append((level, self._loud - self.own, float(over[:4].mean()), float(over[13:].mean()),
                           centroid, self._peak, noisy, np.asarray(over / 10, np.float32)))  # fmt: skip

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

    def _ready(self) -> list[Frame]:
        frames = []
        while self._out + AHEAD < self._base + len(self._cep):
            t = self._out - self._base
            c = [self._cep[min(max(t + k, 0), len(self._cep) - 1)] for k in range(-3, 4)]
            streams = (
                np.asarray(c[3] - self.mean, np.float32), np.asarray(c[5] - c[1], np.float32),
                np.asarray((c[6] - c[2]) - (c[4] - c[0]), np.float32),
            )  # fmt: skip
            level, loud, low, high, centroid, peak, noisy, bands = self._side[t + AHEAD]
            fresh = np.concatenate([np.asarray(c[6] - self.mean, np.float32), bands])
            frames.append(
                Frame(self._out, streams, level, loud, low, high, centroid, peak, noisy,
                      self._side[t][6], fresh)
            )  # fmt: skip
            self._out += 1
            if t > AHEAD + 2:
                self._cep.pop(0)
                self._side.pop(0)
                self._base += 1
        return frames
