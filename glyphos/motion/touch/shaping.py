"""What a hand does to a curve, each as a touch-up: pull, lift, scale, smooth, hold, ease, copy, fewer keys.

A curve comes as its values at rising times of the recording; a stretch as its start and end in seconds.
Nothing that is made here changes the curve outside its stretch and the moment beside it in which it fades.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import msgspec
import numpy as np

from ...errors import EditError
from ...filters import gaussian
from ...speech.reading import Reading
from ..curve import Motion
from ..delivery import Delivery
from ..fewest import ERROR, eased
from ..life.shapes import Array, smoothed
from ..regions import ranges, value_text
from .keys import FADE, Key, Touch, key_at, key_curve, span_of, times_of

SIDES = (("_left", "_right"), ("_right", "_left"))
NARROW = 0.04  # seconds that a pull has on each side at least
SOFT = 0.06  # seconds of smoothing by default
ABOUT = ("zero", "rest", "mean")


@dataclass(frozen=True)
class Curve:
    """A channel as it is now: values (n,) at rising times (n,) of the recording, and its range."""

    channel: str
    times: Array
    values: Array

    @classmethod
    def of(cls, motion: Motion, channel: str, delivery: Delivery) -> Curve:
        """A channel of a face; one that does not move is none of its names, and 0."""
        there = channel in motion.names
        values = motion.channel(channel) if there else np.zeros(motion.frames)
        return cls(channel, delivery.heard(motion.seconds), values)

    @property
    def span(self) -> float:
        low, high = ranges()[self.channel]
        return high - low

    def at(self, seconds: float) -> float:
        return float(np.interp(seconds, self.times, self.values))

    def within(self, start: float, end: float) -> slice:
        """Its part in a stretch, at least two values; EditError for none."""
        a, b = np.searchsorted(self.times, [start - 1e-9, end + 1e-9])
        if b - a < 2:
            raise EditError("That is shorter than two frames; choose a longer stretch.")
        return slice(int(a), int(b))


def pull(curve: Curve, reading: Reading, seconds: float, by: float, start: float, end: float, *, what: str = "") -> Touch:  # fmt: skip
    """The curve taken at a time and moved by so much, falling off to nothing at both ends of a stretch."""
    first, last = min(start, seconds - NARROW), max(end, seconds + NARROW)
    keys = [(first, 0.0), (seconds, by), (last, 0.0)]
    return Touch(
        curve.channel, "add", _flat(reading, keys),
        what=what or f"pull {value_text(curve.channel, by, signed=True)}",
    )  # fmt: skip


def lift(curve: Curve, reading: Reading, by: float, start: float, end: float) -> Touch:
    """All of a stretch moved by so much, with a moment on both sides in which that comes and goes."""
    keys = [(start - FADE, 0.0), (start, by), (end, by), (end + FADE, 0.0)]
    return Touch(curve.channel, "add", _flat(reading, keys), what="lift")


def scale(curve: Curve, reading: Reading, factor: float, start: float, end: float, about: float = 0.0) -> Touch:  # fmt: skip
    """The distance of a stretch from a value, so many times as large."""
    keys = [(start - FADE, 1.0), (start, factor), (end, factor), (end + FADE, 1.0)]
    return Touch(curve.channel, "scale", _flat(reading, keys), about, "scale")


def middle_of(curve: Curve, start: float, end: float, kind: str) -> float:
    """The value that a scaling leaves as it is: zero, the channel at rest (its value where the line
    begins), or its mean over the stretch."""
    if kind == "mean":
        return float(curve.values[curve.within(start, end)].mean())
    return float(curve.values[0]) if kind == "rest" and len(curve.values) else 0.0


def smooth(
    curve: Curve, reading: Reading, start: float, end: float, seconds: float = SOFT
) -> Touch:
    """A stretch without what is quicker than so many seconds; as it was at both ends."""
    part = curve.within(start, end)
    t, rate = curve.times[part], 1 / float(np.median(np.diff(curve.times)))
    soft = gaussian(curve.values, max(seconds * rate, 0.3))[part]
    beside = min(FADE, (end - start) / 4)
    inside = smoothed(t, start, start + beside) * (1 - smoothed(t, end - beside, end))
    own = curve.values[part]
    return _fitted(curve, reading, part, own + inside * (soft - own), ERROR, "smooth")


def hold(curve: Curve, reading: Reading, value: float, start: float, end: float) -> Touch:
    """One value over a stretch."""
    keys = (key_at(reading, start, value, "hold"), key_at(reading, end, value, "hold"))
    return Touch(curve.channel, "replace", keys, what="hold")


def ease(curve: Curve, reading: Reading, start: float, end: float) -> Touch:
    """A stretch replaced by one soft way from where it begins to where it ends; it goes on as the curve
    comes in and leaves, but never past either."""
    part = curve.within(start, end)
    t, values = curve.times, curve.values
    a, b = part.start, part.stop - 1
    long, rise = float(t[b] - t[a]), float(values[b] - values[a])
    slopes = np.gradient(values, t)

    def handle(k: int) -> float:
        own = float(slopes[k]) * long
        return 0.0 if own * rise <= 0 else float(np.sign(rise)) * min(abs(own), 3 * abs(rise))

    keys = (
        key_at(reading, float(t[a]), float(values[a]), out=handle(max(a - 1, 0))),
        key_at(reading, float(t[b]), float(values[b]), into=handle(min(b + 1, len(t) - 1))),
    )
    return Touch(curve.channel, "replace", keys, what="ease")


def other_side(channel: str) -> str:
    """The channel of the other half of the face; EditError where there is none."""
    for own, other in SIDES:
        if channel.endswith(own):
            return channel.removesuffix(own) + other
    raise EditError("This channel has no other side; copy it to another channel instead.")


def copied(
    curve: Curve, reading: Reading, to: str, start: float, end: float, error: float = ERROR
) -> Touch:
    """A stretch of a curve on another channel, its range taken to that one's."""
    least, most = ranges()[to]
    by = most / ranges()[curve.channel][1]
    part = curve.within(start, end)
    values = np.clip(curve.values[part] * by, least, most)
    return _fitted(Curve(to, curve.times, curve.values), reading, part, values, error, "copy")


def fewer(curve: Curve, reading: Reading, start: float, end: float, error: float = ERROR) -> Touch:
    """A stretch as keys, as few as keep within a share of the channel's range."""
    part = curve.within(start, end)
    return _fitted(curve, reading, part, curve.values[part], error, "fewer keys")


def away(curve: Curve, touch: Touch, reading: Reading) -> float:
    """How far the keys of a replacement are from a curve at most, as a share of its range."""
    part = curve.within(*span_of(touch, reading))
    made = key_curve(touch, reading, curve.times[part])
    return float(np.abs(made - curve.values[part]).max()) / curve.span


def _fitted(
    curve: Curve, reading: Reading, part: slice, values: Array, error: float, what: str
) -> Touch:
    if not 0 < error <= 0.5:
        raise EditError("An error is more than 0 and at most 50 per cent of the range.")
    found, t = eased(values, curve.span, error), curve.times[part]
    last, made = len(found.frames) - 1, []
    for k, frame in enumerate(found.frames.tolist()):
        before = float(frame - found.frames[k - 1]) if k else 0.0
        after = float(found.frames[k + 1] - frame) if k < last else 0.0
        made.append(
            key_at(
                reading, float(t[frame]), float(found.values[k]),
                into=float(found.slope_in[k]) * before if k else None,
                out=float(found.slope_out[k]) * after if k < last else None,
            )
        )  # fmt: skip
    return Touch(curve.channel, "replace", tuple(made), what=what)


def _flat(reading: Reading, keys: Sequence[tuple[float, float]]) -> tuple[Key, ...]:
    return tuple(key_at(reading, t, v) for t, v in keys)


# ---- one key at a time ----------------------------------------------------------------------------


def with_key(touch: Touch, reading: Reading, key: Key) -> Touch:
    """One key more, in order of time; in place of one that is there already."""
    times, at = times_of(touch, reading), float(times_of(_alone(touch, key), reading)[0])
    near = [k for k in range(len(times)) if abs(times[k] - at) < 1e-3]
    keys = [k for n, k in enumerate(touch.keys) if n not in near]
    where = sum(float(t) < at for n, t in enumerate(times) if n not in near)
    return msgspec.structs.replace(touch, keys=(*keys[:where], key, *keys[where:]))


def _alone(touch: Touch, key: Key) -> Touch:
    return msgspec.structs.replace(touch, keys=(key,))


def without_key(touch: Touch, number: int) -> Touch | None:
    """One key less; None when none is left."""
    keys = (*touch.keys[:number], *touch.keys[number + 1 :])
    return msgspec.structs.replace(touch, keys=keys) if keys else None


def moved_key(touch: Touch, reading: Reading, number: int, seconds: float, value: float) -> Touch:
    """A key at another place, never past its neighbours."""
    times = times_of(touch, reading)
    low = times[number - 1] + 1e-3 if number else -np.inf
    high = times[number + 1] - 1e-3 if number + 1 < len(times) else np.inf
    at = float(min(max(seconds, low), high)) if low < high else float(times[number])
    own = touch.keys[number]
    key = key_at(reading, at, value, own.way, into=own.into, out=own.out)
    return msgspec.structs.replace(
        touch, keys=(*touch.keys[:number], key, *touch.keys[number + 1 :])
    )
