"""Drawings that a person placed by hand: each rides on the sounds that it was placed on.

A place in time is kept as a place in a sound, so that a pin goes along when sounds are moved, and
finds its sound again when others were added or taken away before it.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from ...errors import EditError
from ...motion.delivery import Delivery
from ...motion.placed import heard_in, in_the_face
from ...speech.anchors import Anchor, anchored, check_anchor, time_of
from ...speech.reading import Reading


class Pin(msgspec.Struct, frozen=True):
    """A drawing, by its name, from one place to another."""

    mouth: str
    start: Anchor
    end: Anchor


def pinned(
    mouth: str, first: int, after: int, reading: Reading, delivery: Delivery, fps: float
) -> Pin:  # fmt: skip
    """A drawing pinned to the frames [first, after)."""
    # The middle of the frame before it and of its own: no rounding moves it by a frame
    start, end = (heard_in((f - 0.5) / fps, delivery) for f in (first, after))
    return Pin(mouth, anchored(reading, start), anchored(reading, end))


def frames_of(pin: Pin, reading: Reading, delivery: Delivery, fps: float) -> tuple[int, int]:
    """The frames [first, after) that a pin lies on now, at least one."""
    first, after = (
        round(float(in_the_face(time_of(a, reading), delivery)) * fps + 0.5)
        for a in (pin.start, pin.end)
    )
    return first, max(after, first + 1)


def with_pin(
    pins: Sequence[Pin], mouth: str, first: int, after: int, reading: Reading, delivery: Delivery, fps: float
) -> tuple[Pin, ...]:  # fmt: skip
    """The pins with another one; those that it covers go, those that it touches give way."""
    if after <= first:
        raise EditError("A drawing is held for one frame at least.")
    made = without_pins(pins, first, after, reading, delivery, fps)
    new = pinned(mouth, first, after, reading, delivery, fps)
    return tuple(sorted([*made, new], key=lambda p: frames_of(p, reading, delivery, fps)))


def without_pins(
    pins: Sequence[Pin], first: int, after: int, reading: Reading, delivery: Delivery, fps: float
) -> tuple[Pin, ...]:  # fmt: skip
    """The pins without what lies on the frames [first, after)."""
    made: list[Pin] = []
    for pin in pins:
        a, b = frames_of(pin, reading, delivery, fps)
        if b <= first or a >= after:
            made.append(pin)
            continue
        for x, y in ((a, first), (after, b)):
            if y > x:
                made.append(pinned(pin.mouth, x, y, reading, delivery, fps))
    return tuple(made)


def within(
    pins: Sequence[Pin], reading: Reading, start: float, end: float, piece: Reading
) -> tuple[Pin, ...]:  # fmt: skip
    """The pins of a stretch of a recording, for the piece that is cut out of it."""
    made = []
    for pin in pins:
        a, b = time_of(pin.start, reading), time_of(pin.end, reading)
        if b > start and a < end:
            made.append(Pin(pin.mouth, anchored(piece, a - start), anchored(piece, b - start)))
    return tuple(made)


def check_pins(pins: Sequence[Pin]) -> None:
    """ValueError for pins that lie nowhere."""
    for pin in pins:
        check_anchor(pin.start)
        check_anchor(pin.end)
