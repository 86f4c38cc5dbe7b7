"""Touch-ups laid on a channel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from ...speech.reading import Reading
from ..life.shapes import Array, between
from .keys import FADE, Touch, key_curve, times_of, weight

BEDS = 3  # kept: the shown line at the rates it is seen at
DRAWN = 400  # touch-ups kept of one; a drag makes another at every step


def touched(
    under: Array, touches: Sequence[Touch], times: Array, reading: Reading, strength: float = 1.0,
    keep: Callable[[Array, Array, slice], Array] | None = None,
) -> Array:  # fmt: skip
    """A channel (n,) at times of the recording with touch-ups laid on it in their order. keep(under,
    wanted, part): what of a wish speech leaves room for in a part of it; not asked where a touch-up is free."""
    made, kept = under.copy(), _bed_of(reading, times).drawn
    for t in touches:
        drawn = kept.get(t)
        if drawn is None:
            drawn = kept[t] = _drawn(t, reading, times)
        part, curve = drawn.part, drawn.curve
        own = made[part]
        if t.mode == "add":
            wanted = own + strength * curve
        elif t.mode == "scale":
            wanted = own + strength * (curve - 1.0) * (own - t.about)
        else:
            wanted = own + strength * drawn.weight * (curve - own)
        made[part] = wanted if t.free or keep is None else keep(own, wanted, part)
    return made


@dataclass(frozen=True)
class _Drawn:
    """What a touch-up is by itself: the part of the line that it alters, the curve of its keys there, and
    how much of a replacement is there."""

    part: slice
    curve: Array
    weight: Array | float


@dataclass(frozen=True)
class _Bed:
    """Touch-ups drawn over one reading at its frames: they stay as they are while what lies under them is
    dragged, and sixty of them cost as much as all the rest."""

    reading: Reading
    times: Array
    drawn: dict[Touch, _Drawn] = field(default_factory=dict)


_beds: list[_Bed] = []  # the latest first


def _bed_of(reading: Reading, times: Array) -> _Bed:
    """The bed for a reading and frames, of the few that are kept."""
    for bed in _beds[:BEDS]:
        if bed.reading is reading and np.array_equal(bed.times, times):
            if len(bed.drawn) > DRAWN:
                break
            return bed
    made = _Bed(reading, times)
    _beds.insert(0, made)
    del _beds[BEDS:]
    return made


def _drawn(touch: Touch, reading: Reading, times: Array) -> _Drawn:
    where = times_of(touch, reading)
    start, end = float(where.min()), float(where.max())
    part = _reach(touch, where, start, end, times)
    at = times[part]
    there = weight(at, start, end) if touch.mode == "replace" else 1.0
    return _Drawn(part, key_curve(touch, reading, at, where), there)


def _reach(touch: Touch, where: Array, start: float, end: float, times: Array) -> slice:
    """The part of a channel that a touch-up alters: on from a key that does nothing there is nothing."""
    if touch.mode == "replace":
        return between(times, start - FADE, end + FADE)
    nothing = 0.0 if touch.mode == "add" else 1.0
    inside = between(times, start, end)
    first, last = touch.keys[int(where.argmin())], touch.keys[int(where.argmax())]
    return slice(
        inside.start if first.value == nothing else 0,
        inside.stop if last.value == nothing else len(times),
    )
