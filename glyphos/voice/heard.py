"""What is measured of a sound whatever was said in it. The last ones are kept: a line is looked at again and again
while words, moods and motion change, and its sound never does."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..remembered import Remembered
from .pitch import Array, Pitch, find_pitch
from .sounds import rumble_free, strengths

KEPT = 8  # sounds


@dataclass(frozen=True)
class Heard:
    """count: of samples at RATE. level, high, low: dB and strengths every HOP seconds (frames,), read-only."""

    count: int
    pitch: Pitch
    level: Array
    high: Array
    low: Array


_kept = Remembered[Heard](KEPT)


def heard_in(samples: Array, floor: float = 0.0, ceiling: float = 0.0) -> Heard:
    """The pitch and the strengths of mono sound at RATE. floor, ceiling: as `find_pitch` has them."""
    data = np.ascontiguousarray(samples, np.float64)
    return _kept.of(data, lambda: _measured(data, floor, ceiling), floor, ceiling)


def _measured(data: Array, floor: float, ceiling: float) -> Heard:
    sound = rumble_free(data)
    pitch = find_pitch(sound, floor, ceiling)
    made = Heard(len(sound), pitch, *strengths(sound, len(pitch.hertz)))
    for curve in (pitch.hertz, made.level, made.high, made.low):
        curve.setflags(write=False)
    return made
