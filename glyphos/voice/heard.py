"""What is measured of a sound whatever was said in it. The last ones are kept: a line is looked at again and again
while words, moods and motion change, and its sound never does."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from hashlib import blake2b
from threading import Lock

import numpy as np

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


_kept: OrderedDict[tuple[bytes, float, float], Heard] = OrderedDict()
_turn = Lock()


def heard_in(samples: Array, floor: float = 0.0, ceiling: float = 0.0) -> Heard:
    """The pitch and the strengths of mono sound at RATE. floor, ceiling: as `find_pitch` has them."""
    data = np.ascontiguousarray(samples, np.float64)
    key = (blake2b(data.data, digest_size=16).digest(), floor, ceiling)
    with _turn:
        if (known := _kept.get(key)) is not None:
            _kept.move_to_end(key)
            return known
    sound = rumble_free(data)
    pitch = find_pitch(sound, floor, ceiling)
    made = Heard(len(sound), pitch, *strengths(sound, len(pitch.hertz)))
    for curve in (pitch.hertz, made.level, made.high, made.low):
        curve.setflags(write=False)
    with _turn:
        _kept[key] = made
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return made
