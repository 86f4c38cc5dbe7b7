"""The touch-ups of a line together: one more of them, joined with another that does the same, or in its place."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from ...speech.reading import Reading
from ..regions import value_text
from .keys import FADE, Key, Touch, span_of


def with_touch(touches: Sequence[Touch], new: Touch) -> tuple[Touch, ...]:
    """Touch-ups with one more, joined with the last of its channel where it does the same there."""
    return joined(touches, new) or (*touches, new)


def instead(
    touches: Sequence[Touch], new: Touch, reading: Reading, start: float, end: float
) -> tuple[Touch, ...]:
    """Touch-ups with one more in place of those of its channel within a stretch."""
    return (*(t for t in touches if not inside(t, new.channel, reading, start, end)), new)


def put(touches: Sequence[Touch], number: int, touch: Touch) -> tuple[Touch, ...]:
    return (*touches[:number], touch, *touches[number + 1 :])


def inside(touch: Touch, channel: str, reading: Reading, start: float, end: float) -> bool:
    """Whether a touch-up of a channel has its middle in a stretch and does not reach far beyond it."""
    a, b = span_of(touch, reading)
    return touch.channel == channel and start - 2 * FADE <= a and b <= end + 2 * FADE


def joined(touches: Sequence[Touch], new: Touch) -> tuple[Touch, ...] | None:
    """Touch-ups with the last of the channel and a new one as one, where both add or scale at the same
    places; None where they do not."""
    for k in range(len(touches) - 1, -1, -1):
        old = touches[k]
        if old.channel != new.channel:
            continue
        same = (
            old.mode == new.mode != "replace" and len(old.keys) == len(new.keys)
            and abs(old.about - new.about) < 1e-9 and not old.free
            and all(_same_place(a, b) for a, b in zip(old.keys, new.keys, strict=True))
        )  # fmt: skip
        if not same:
            return None
        keys = tuple(
            msgspec.structs.replace(
                a, value=a.value + b.value if new.mode == "add" else a.value * b.value
            )
            for a, b in zip(old.keys, new.keys, strict=True)
        )
        what = new.what
        if new.what.startswith("pull "):
            top = max((x.value for x in keys), key=abs)
            _, over, rest = new.what.partition(" over")
            what = f"pull {value_text(new.channel, top, signed=True)}{over}{rest}"
        return put(touches, k, msgspec.structs.replace(old, keys=keys, what=what))
    return None


def _same_place(a: Key, b: Key) -> bool:
    """Whether two keys ride on the same place of the same sound."""
    if a.at.sound < 0 or b.at.sound < 0:
        return abs(a.at.seconds - b.at.seconds) < 1e-3
    return (
        a.at.sound == b.at.sound and abs(a.at.share - b.at.share) < 0.01
        and abs(a.at.beyond - b.at.beyond) < 1e-3
    )  # fmt: skip
