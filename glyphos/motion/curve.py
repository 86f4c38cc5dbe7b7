"""Motion: the curves of a face over the frames of a line."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .solving import Curves
from .spline import between

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Motion:
    """Curves of the face: `values` (frames, channels), frame k at k / fps seconds; read-only."""

    fps: Fraction
    names: tuple[str, ...]
    values: Array
    level: float | None = None  # the line's own loudness, dB, that syllables were compared with
    curves: Curves | None = field(default=None, repr=False, compare=False)  # what it was taken from

    @property
    def frames(self) -> int:
        return len(self.values)

    @property
    def duration(self) -> float:
        return self.frames / float(self.fps)

    @property
    def seconds(self) -> Array:
        """The time of each frame (frames,)."""
        return np.arange(self.frames) / float(self.fps)

    @cached_property
    def _columns(self) -> dict[str, int]:
        return {name: i for i, name in enumerate(self.names)}

    def channel(self, name: str) -> Array:
        """One curve, shape (frames,)."""
        return self.values[:, self._columns[name]]

    def between(self, name: str, seconds: Array) -> Array:
        """One curve at rising times (n,), between frames by straight lines; at its ends it stays."""
        fps, top = float(self.fps), self.frames - 1
        if not len(seconds):
            return np.zeros(0)
        low = min(max(0, int(seconds[0] * fps) - 1), top)
        high = min(max(low, int(seconds[-1] * fps) + 2), top)
        frames = np.arange(low, high + 1)
        return np.interp(seconds * fps, frames, self.values[low : high + 1, self._columns[name]])

    def at(self, seconds: float) -> dict[str, float]:
        """All channels at a time, between frames by straight lines."""
        position = float(between(seconds * float(self.fps), 0, max(0, self.frames - 1)))
        low = int(position)
        high = min(low + 1, self.frames - 1)
        row = self.values[low] + (position - low) * (self.values[high] - self.values[low])
        return dict(zip(self.names, row.tolist(), strict=True))


SAME = 1e-3  # of a channel: what is not seen


def differing(before: Motion, after: Motion, start: float, end: float) -> tuple[float, float]:
    """The part of `start` to `end` seconds in which two motions of one rate differ visibly.

    Its middle alone, as (t, t), if they differ nowhere there; all of it if one is longer.
    """
    if len(before.values) != len(after.values):
        return start, end
    fps = float(after.fps)
    low, high = max(0, int(start * fps)), int(np.ceil(end * fps)) + 1
    change = np.abs(after.values[low:high] - before.values[low:high]).max(axis=1, initial=0.0)
    frames = low + np.flatnonzero(change > SAME)
    if len(frames) == 0:
        return (start + end) / 2, (start + end) / 2
    return max(start, (frames[0] - 1) / fps), min(end, (frames[-1] + 1) / fps)
