"""A spectrogram as ink on paper, and where the energy of a sound changes."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

from .ribbon import rgb
from .theme import Theme

Samples = NDArray[np.float32]

NARROW, WIDE = 0.025, 0.006  # seconds of window: harmonics apart, or formants as bands
HIGHEST_HZ = 6000.0
RANGE_DB = 55.0
PRE_EMPHASIS = 0.95


def spectrogram(
    samples: Samples,
    rate: int,
    start: float,
    end: float,
    columns: int,
    rows: int,
    *,
    formants: bool,
) -> NDArray[np.float32]:
    """Darkness 0..1, shape (rows, columns), low frequencies at the bottom.

    formants: a short window that shows formants as bands instead of harmonics as lines.
    """
    size = int((WIDE if formants else NARROW) * rate)
    centers = np.linspace(start, end, columns) * rate
    first = (centers - size / 2).astype(int)
    low, high = int(first.min()), int(first.max()) + size + 1
    part = samples[max(low, 0) : max(0, min(high, len(samples)))]
    padded = np.pad(part, (max(0, -low), max(0, high - max(low, 0) - len(part))))
    emphasised = padded[1:] - PRE_EMPHASIS * padded[:-1]
    windows = np.lib.stride_tricks.sliding_window_view(emphasised, size)
    both = windows[np.clip(first - low, 0, len(windows) - 1)] @ _waves(size, rows, rate)
    both *= both
    decibels = 10 * np.log10(both[:, :rows] + both[:, rows:] + 1e-14)
    top = float(decibels.max(initial=-60.0))
    dark = np.clip((decibels - top + RANGE_DB) / RANGE_DB, 0, 1) ** 1.6
    return np.ascontiguousarray(dark.T[::-1], np.float32)


@lru_cache(8)
def _waves(size: int, rows: int, rate: int) -> NDArray[np.float32]:
    """Cosines and sines (size, 2 rows) of the frequencies that are shown, under the window: Fourier's sums for them
    alone take a third of the time of a whole transform, and need no values between."""
    angles = np.outer(np.arange(size), 2 * np.pi * np.linspace(0, HIGHEST_HZ, rows) / rate)
    window = np.hanning(size)[:, None]
    return np.concatenate([np.cos(angles) * window, np.sin(angles) * window], 1).astype(np.float32)


def ink_image(dark: NDArray[np.float32], theme: Theme, ratio: float) -> QImage:
    """Darkness as ink of the theme, see-through where there is none."""
    height, width = dark.shape
    pixels = np.empty((height, width, 4), np.uint8)
    cover = dark * 0.9
    pixels[..., 3] = cover * 255
    for channel, value in enumerate(rgb(theme.color("ink"))):
        pixels[..., 2 - channel] = cover * value
    image = QImage(
        pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied
    ).copy()
    image.setDevicePixelRatio(ratio)
    return image


def energy_changes(samples: Samples, rate: int, start: float, end: float) -> NDArray[np.float64]:
    """Times between `start` and `end` at which energy rises or falls fastest (5 ms steps)."""
    hop = int(0.0025 * rate)
    size = 4 * hop
    first = max(0, int(start * rate) - size)
    part = samples[first : int(end * rate) + size]
    if len(part) < 4 * size:
        return np.zeros(0)
    frames = np.lib.stride_tricks.sliding_window_view(part, size)[::hop]
    level = 10 * np.log10((frames.astype(np.float64) ** 2).mean(axis=1) + 1e-9)
    change = np.abs(level[4:] - level[:-4])
    inner = change[1:-1]
    peaks = np.flatnonzero((inner >= change[:-2]) & (inner > change[2:]) & (inner > 3.0)) + 1
    times = (first + (peaks + 2) * hop + size / 2) / rate
    return np.asarray(times[(times >= start) & (times <= end)], np.float64)
