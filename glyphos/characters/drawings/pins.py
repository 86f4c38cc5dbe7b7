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
from ...speech.parts import Flat
from ...speech.reading import Reading


class Anchor(msgspec.Struct, frozen=True):
    """A place in time. sound: its number among `sounds`, -1 without any; ipa: what it is; share: of
    its length; beyond: seconds after its end, before its start if negative; seconds: where it was."""

    seconds: float
    sound: int = -1
    sounds: int = 0
    ipa: str = ""
    share: float = 0.0
    beyond: float = 0.0


class Pin(msgspec.Struct, frozen=True):
    """A drawing, by its name, from one place to another."""

    mouth: str
    start: Anchor
    end: Anchor


def anchored(reading: Reading, seconds: float) -> Anchor:
    """A time of the recording by the sound that it lies in, or the nearest."""
    flat = Flat.of(reading)
    if not flat.phones:
        return Anchor(seconds)
    k = min(range(len(flat.phones)), key=lambda i: _away(flat, i, seconds))
    phone = flat.phones[k]
    inside = min(max(seconds, phone.start), phone.end)
    share = (inside - phone.start) / max(1e-9, phone.end - phone.start)
    return Anchor(round(seconds, 6), k, len(flat.phones), phone.ipa, share, seconds - inside)


def _away(flat: Flat, k: int, seconds: float) -> float:
    phone = flat.phones[k]
    return max(phone.start - seconds, seconds - phone.end, 0.0)


def time_of(anchor: Anchor, reading: Reading) -> float:
    """Where a place is in the recording now."""
    flat = Flat.of(reading)
    k = anchor.sound
    same = (
        anchor.sounds == len(flat.phones)
        and 0 <= k < len(flat.phones)
        and flat.phones[k].ipa == anchor.ipa
    )
    if not same:
        alike = [i for i, p in enumerate(flat.phones) if p.ipa == anchor.ipa]
        if not alike:
            return anchor.seconds
        k = min(
            alike,
            key=lambda i: abs(
                flat.phones[i].start
                + anchor.share * (flat.phones[i].end - flat.phones[i].start)
                - anchor.seconds
            ),
        )
    phone = flat.phones[k]
    return phone.start + anchor.share * (phone.end - phone.start) + anchor.beyond


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
        for a in (pin.start, pin.end):
            if not (abs(a.seconds) < 1e7 and -1e-6 <= a.share <= 1 + 1e-6 and abs(a.beyond) < 1e7):
                raise ValueError("a drawing is pinned nowhere")
