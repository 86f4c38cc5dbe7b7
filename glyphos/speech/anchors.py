"""Places in time that ride on the sounds of a reading: so much of the way through the third sound of a
word, wherever that is by now."""

from __future__ import annotations

from bisect import bisect_right

import msgspec

from .parts import Flat
from .reading import Reading


class Anchor(msgspec.Struct, frozen=True):
    """A place in time. sound: its number among `sounds`, -1 without any; ipa: what it is; share: of
    its length; beyond: seconds after its end, before its start if negative; seconds: where it was."""

    seconds: float
    sound: int = -1
    sounds: int = 0
    ipa: str = ""
    share: float = 0.0
    beyond: float = 0.0


def anchored(reading: Reading, seconds: float) -> Anchor:
    """A time of the recording by the sound that it lies in, or the nearest."""
    flat = Flat.of(reading)
    if not flat.phones:
        return Anchor(seconds)
    near = bisect_right(flat.starts, seconds)
    k = min(
        range(max(0, near - 2), min(near + 1, len(flat.phones))),
        key=lambda i: _away(flat, i, seconds),
    )
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


def check_anchor(anchor: Anchor) -> None:
    """ValueError for a place that is nowhere."""
    if not (
        abs(anchor.seconds) < 1e7 and -1e-6 <= anchor.share <= 1 + 1e-6 and abs(anchor.beyond) < 1e7
    ):
        raise ValueError("something is placed nowhere")
