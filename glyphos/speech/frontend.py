"""Cepstra for the acoustic model: 100 frames a second, 13 coefficients, deltas and double deltas.

The parameters (25 mel filters 130 to 6800 Hz, 512-point transform, 410-sample Hamming window,
lifter 22, pre-emphasis 0.97) are the model's own `feat.params` and its trainer's defaults;
mel scale after Davis & Mermelstein (1980). Frame *t* is centred on t·10 ms.
"""

from __future__ import annotations

from functools import cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float32]


class Signal(Protocol):
    """Samples that are asked for stretch by stretch."""

    def __len__(self) -> int: ...
    def __getitem__(self, which: slice, /) -> Array: ...


RATE = 16_000
HOP = 160
FRAME_RATE = 100
WINDOW = 410
NFFT = 512
FILTERS = 25
CEPSTRA = 13
LOW_HZ, HIGH_HZ = 130.0, 6800.0
BEND_HZ = 5500.0  # up to which a stretch of the frequencies is even
LIFTER = 22
PRE_EMPHASIS = 0.97
DENSE = 12  # frames among which one is wanted, for which all are as quick
CHUNK = 6000  # frames worked on at once, to bound memory on long recordings


@cache
def mel_filters(stretch: float = 1.0) -> Array:
    """Triangular filters of unit area with corners on transform bins, shape (257, 25). stretch: how much further up
    they lie than the model has them; towards the highest frequency less, so that none is left out."""
    bin_hz = RATE / NFFT
    low, high = (2595 * np.log10(1 + f / 700) for f in (LOW_HZ, HIGH_HZ))
    corners = 700 * (10 ** (np.linspace(low, high, FILTERS + 2) / 2595) - 1)
    if stretch == 1.0:
        corners = np.floor(corners / bin_hz + 0.5) * bin_hz
    else:
        bend = BEND_HZ / max(stretch, 1.0)
        corners = np.interp(corners, (0, bend, HIGH_HZ), (0, bend * stretch, HIGH_HZ))
    hz = np.arange(NFFT // 2 + 1) * bin_hz
    left, mid, right = corners[:-2], corners[1:-1], corners[2:]
    up = (hz[:, None] - left) / (mid - left)
    down = (right - hz[:, None]) / (right - mid)
    area = 2.0 / (right - left)
    return (np.clip(np.minimum(up, down), 0, None) * area).astype(np.float32)


@cache
def cosine_transform() -> Array:
    """Orthonormal DCT-II with sine lifter, shape (25, 13)."""
    i = np.arange(CEPSTRA)
    basis = np.cos(np.pi * i / FILTERS * (np.arange(FILTERS)[:, None] + 0.5))
    basis *= np.where(i == 0, np.sqrt(1 / FILTERS), np.sqrt(2 / FILTERS))
    return (basis * (1 + LIFTER / 2 * np.sin(np.pi * i / LIFTER))).astype(np.float32)


def frame_count(samples: int) -> int:
    """How many frames cover `samples` at 16 kHz."""
    return samples // HOP + 1


def power_spectra(signal: Signal, first: int, last: int) -> Array:
    """Power of frames `first` to `last` (exclusive) of a 16 kHz mono `signal`, shape (n, 257).

    Samples are scaled to the 16-bit range that the model was trained on.
    """
    start = first * HOP - WINDOW // 2
    need = (last - first - 1) * HOP + WINDOW + 1
    piece = np.zeros(need, np.float32)
    a, b = max(0, start - 1), min(len(signal), start - 1 + need)
    if b > a:
        piece[a - start + 1 : b - start + 1] = signal[a:b] * 32768.0
    emphasised = piece[1:] - PRE_EMPHASIS * piece[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(emphasised, WINDOW)[::HOP]
    window = np.hamming(WINDOW).astype(np.float32)
    spectrum = np.fft.rfft(frames * window, NFFT)
    return (spectrum.real**2 + spectrum.imag**2).astype(np.float32)


def power_at(signal: Signal, frames: NDArray[np.intp]) -> Array:
    """Power of single frames in rising order, shape (n, 257): where they lie close, of all that lies between them."""
    total = frame_count(len(signal))
    if total <= DENSE * len(frames):
        return power_spectra(signal, 0, total)[frames]
    return np.concatenate([power_spectra(signal, t, t + 1) for t in frames.tolist()])


def cepstra(signal: Signal, *, floor: Array | None = None, stretch: float = 1.0) -> Array:
    """Mel cepstra of a 16 kHz mono signal in −1..1, shape (frames, 13).

    `floor`: noise power per bin and frame to subtract (see `noise_floor`), or None. stretch: as `mel_filters` has it.
    """
    total = frame_count(len(signal))
    out = np.empty((total, CEPSTRA), np.float32)
    for first in range(0, total, CHUNK):
        last = min(total, first + CHUNK)
        power = power_spectra(signal, first, last)
        if floor is not None:
            power = np.maximum(power - 2.0 * floor[first:last], 0.05 * power)
        out[first:last] = cepstra_of(power, stretch)
    return out


def cepstra_of(power: Array, stretch: float = 1.0) -> Array:
    """Mel cepstra of power spectra, shape (frames, 13)."""
    mel = np.log(np.maximum(power @ mel_filters(stretch), 1e-4))
    return np.asarray(mel @ cosine_transform())


def noise_floor(signal: Signal, *, seconds: float = 1.5, percentile: float = 15.0) -> Array:
    """Running noise power per bin: a low percentile over `seconds`, shape (frames, 257)."""
    total = frame_count(len(signal))
    block = int(seconds * FRAME_RATE)
    floor = np.empty((total, NFFT // 2 + 1), np.float32)
    for first in range(0, total, block):
        last = min(total, first + block)
        wide = power_spectra(signal, max(0, first - block // 2), min(total, last + block // 2))
        floor[first:last] = np.percentile(wide, percentile, axis=0)
    return floor


def features(cepstrum: Array) -> tuple[Array, Array, Array]:
    """The model's three streams: cepstra, their deltas (±2), their double deltas (±3, ±1)."""
    padded = np.pad(cepstrum, ((3, 3), (0, 0)), mode="edge")
    n = len(cepstrum)

    def at(shift: int) -> Array:
        return padded[3 + shift : 3 + shift + n]

    delta = at(2) - at(-2)
    double = (at(3) - at(-1)) - (at(1) - at(-3))
    return cepstrum, delta, double
