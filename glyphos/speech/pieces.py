"""Cutting a long recording where nobody speaks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from . import frontend
from .recording import Recording

LONGEST = 28.0  # seconds
TOGETHER = 6000  # frames worked on at once, to bound memory on long recordings
Doubles = NDArray[np.float64]


def speech_pieces(
    recording: Recording, *, longest: float = LONGEST, pause: float = 0.3
) -> list[tuple[float, float]]:
    """Stretches of a recording cut in its quietest pauses, none longer than `longest` seconds."""
    quiet = quiet_frames(recording)
    duration = recording.duration
    pieces, start = [], 0.0
    while duration - start > longest:
        low, high = int((start + 0.4 * longest) * 100), int((start + longest) * 100)
        cut = _middle_of_quiet(quiet[low:high], int(pause * 100))
        at = (low + cut) / 100
        pieces.append((start, at))
        start = at
    return [*pieces, (start, duration)]


def quiet_frames(recording: Recording) -> Doubles:
    """How far each 10 ms frame is below speech level: 0 in speech, up to 1 in silence."""
    size = frontend.HOP
    count = max(1, len(recording.samples) // size)
    power = np.empty(count, np.float32)
    for first in range(0, count, TOGETHER):
        part = recording.samples[first * size : min(count, first + TOGETHER) * size]
        whole = np.resize(part, max(size, len(part)))  # less than a frame counts as one
        power[first : first + TOGETHER] = (whole.reshape(-1, size) ** 2).mean(axis=1)
    level = 10 * np.log10(power.astype(np.float64) + 1e-10)
    smooth = np.convolve(level, np.ones(9) / 9, mode="same")[:count]
    low, high = np.percentile(smooth, [5, 95])
    return np.asarray(
        np.clip((low + 0.6 * (high - low) - smooth) / max(1.0, 0.6 * (high - low)), 0, 1)
    )


def _middle_of_quiet(quiet: Doubles, width: int) -> int:
    if len(quiet) == 0:
        return 0
    width = max(1, min(width, len(quiet)))
    mean = np.convolve(quiet, np.ones(width) / width, mode="same")
    return int(mean.argmax())
