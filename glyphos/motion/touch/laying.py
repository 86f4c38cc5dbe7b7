"""Touch-ups laid on a channel."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ...speech.reading import Reading
from ..life.shapes import Array, between
from .keys import FADE, Touch, key_curve, times_of, weight


def touched(
    under: Array, touches: Sequence[Touch], times: Array, reading: Reading, strength: float = 1.0,
    keep: Callable[[Array, Array, slice], Array] | None = None,
) -> Array:  # fmt: skip
    """A channel (n,) at times of the recording with touch-ups laid on it in their order. keep(under,
    wanted, part): what of a wish speech leaves room for in a part of it; not asked where a touch-up is free."""
    made = under.copy()
    for t in touches:
        where = times_of(t, reading)
        start, end = float(where.min()), float(where.max())
        part = _reach(t, where, start, end, times)
        at, own = times[part], made[part]
        curve = key_curve(t, reading, at, where)
        if t.mode == "add":
            wanted = own + strength * curve
        elif t.mode == "scale":
            wanted = own + strength * (curve - 1.0) * (own - t.about)
        else:
            wanted = own + strength * weight(at, start, end) * (curve - own)
        made[part] = wanted if t.free or keep is None else keep(own, wanted, part)
    return made


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
