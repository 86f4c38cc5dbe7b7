"""Keys that a person sets on a channel. They ride on sounds, so that they stay where they are meant when
timing is corrected or another take comes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import msgspec
import numpy as np

from ...errors import GlyphosError
from ...speech.anchors import Anchor, anchored, check_anchor, time_of
from ...speech.reading import Reading
from ..life.shapes import Array

Way = Literal["ease", "line", "hold"]
Mode = Literal["add", "replace", "scale"]
WAYS: tuple[Way, ...] = ("ease", "line", "hold")
MODES: tuple[Mode, ...] = ("add", "replace", "scale")
FADE = 0.1  # seconds beyond its keys in which a replacement comes and goes
MOST = 1000.0  # of a value


class Key(msgspec.Struct, frozen=True):
    """A value at a place, and how it goes on from there to the next key: eased, by a straight line or
    held. into, out: handles, by how much the curve would rise over the stretch before and after it
    at the slope it has here; None: as smooth as it can be without passing a key."""

    at: Anchor
    value: float
    way: Way = "ease"
    into: float | None = None
    out: float | None = None


class Touch(msgspec.Struct, frozen=True):
    """What was done to a channel in one place. mode: what its keys are, to be added, to stand in place
    of what is there, or factors of it (its distance from `about`). what: words for a list.
    free: also where speech promises otherwise (closures, teeth on the lip, rounded lips)."""

    channel: str
    mode: Mode
    keys: tuple[Key, ...]
    about: float = 0.0
    what: str = ""
    free: bool = False


def key_at(
    reading: Reading, seconds: float, value: float, way: Way = "ease", *,
    into: float | None = None, out: float | None = None,
) -> Key:  # fmt: skip
    """A key at a time of the recording, on the sound that is there."""
    return Key(anchored(reading, seconds), float(value), way, into, out)


def times_of(touch: Touch, reading: Reading) -> Array:
    """Where its keys are in the recording now (n,), in the order of its keys."""
    return np.array([time_of(k.at, reading) for k in touch.keys])


def span_of(touch: Touch, reading: Reading) -> tuple[float, float]:
    """From its first key to its last, in seconds of the recording."""
    times = times_of(touch, reading)
    return float(times.min()), float(times.max())


def key_curve(touch: Touch, reading: Reading, times: Array, where: Array | None = None) -> Array:
    """The value of its keys at rising times of the recording (n,): cubic Hermite where eased, with
    slopes after Fritsch & Carlson (1980; weighted means as Fritsch & Butland 1984), so that it never passes a key; beyond
    its keys as the first and the last are. where: times of its keys, if they are known."""
    where = times_of(touch, reading) if where is None else where
    order = np.argsort(where, kind="stable")
    keys = [touch.keys[k] for k in order]
    at, values = where[order], np.array([k.value for k in keys])
    if len(keys) == 1:
        return np.full(len(times), values[0])
    long = np.maximum(np.diff(at), 1e-9)
    out, into = _slopes(long, values, keys)
    k = np.clip(np.searchsorted(at, times, side="right") - 1, 0, len(at) - 2)
    u = np.clip((times - at[k]) / long[k], 0.0, 1.0)
    ways = np.array([WAYS.index(x.way) for x in keys])[k]
    cube, square = u**3, u**2
    cubic = (
        (2 * cube - 3 * square + 1) * values[k] + (cube - 2 * square + u) * out[k]
        + (3 * square - 2 * cube) * values[k + 1] + (cube - square) * into[k]
    )  # fmt: skip
    straight = values[k] + (values[k + 1] - values[k]) * u
    held = np.where(u < 1.0, values[k], values[k + 1])
    return np.asarray(np.where(ways == 0, cubic, np.where(ways == 1, straight, held)))


def _slopes(long: Array, values: Array, keys: Sequence[Key]) -> tuple[Array, Array]:
    """The rise over each stretch at the slope of its first and of its second key (n - 1,), twice."""
    rises = np.diff(values) / long
    smooth = np.zeros(len(values))
    for k in range(1, len(values) - 1):
        a, b = rises[k - 1], rises[k]
        if a * b > 0:
            first, second = 2 * long[k] + long[k - 1], long[k] + 2 * long[k - 1]
            smooth[k] = (first + second) / (first / a + second / b)
    out, into = smooth[:-1] * long, smooth[1:] * long
    for k in range(len(long)):
        if keys[k].out is not None:
            out[k] = keys[k].out
        if keys[k + 1].into is not None:
            into[k] = keys[k + 1].into
    return out, into


@dataclass(frozen=True)
class Handle:
    """How a curve comes into a key or goes out of it: the seconds from there to the next key on that side, and by
    how much it would rise over them at the slope it has."""

    side: Literal["into", "out"]
    gap: float
    rise: float


def handles_of(touch: Touch, reading: Reading, number: int) -> list[Handle]:
    """The handles of a key: on the sides where the way is eased."""
    where = times_of(touch, reading)
    order = np.argsort(where, kind="stable")
    keys = [touch.keys[k] for k in order]
    if len(keys) < 2:
        return []
    long = np.maximum(np.diff(where[order]), 1e-9)
    out, into = _slopes(long, np.array([k.value for k in keys]), keys)
    at = int(np.flatnonzero(order == number)[0])
    made = []
    if at > 0 and keys[at - 1].way == "ease":
        made.append(Handle("into", float(long[at - 1]), float(into[at - 1])))
    if at < len(long) and keys[at].way == "ease":
        made.append(Handle("out", float(long[at]), float(out[at])))
    return made


def weight(times: Array, start: float, end: float) -> Array:
    """How much a replacement is there: 1 from its first key to its last, fading beyond them."""
    away = np.maximum(np.maximum(start - times, times - end), 0.0) / FADE
    u = np.clip(1.0 - away, 0.0, 1.0)
    return np.asarray(u * u * (3 - 2 * u))


def check_touches(touches: Sequence[Touch], known: Sequence[str] | None = None) -> None:
    """GlyphosError, one sentence, for a touch-up that cannot be. known: names of channels."""
    for t in touches:
        if known is not None and t.channel not in known:
            raise GlyphosError(f"There is no channel “{t.channel}” to touch up.")
        if not t.keys:
            raise GlyphosError(f"A touch-up of {t.channel} has no keys.")
        for k in t.keys:
            try:
                check_anchor(k.at)
            except ValueError:
                raise GlyphosError(f"A key of {t.channel} is nowhere.") from None
            numbers = [k.value, t.about, *(x for x in (k.into, k.out) if x is not None)]
            if not all(abs(x) <= MOST for x in numbers):
                raise GlyphosError(
                    f"A key of {t.channel} has a value that no face can show; keys are within ±{MOST:.0f}."
                )
