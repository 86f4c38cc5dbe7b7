"""What a person does to the life of a line: takes an event away, moves it, adds one. It rides on the sound
that it was placed on."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import msgspec

from ...speech.anchors import Anchor, anchored, check_anchor, time_of
from ...speech.reading import Reading
from .event import PARTS, Event, Part, Spell

NEAR = 0.3  # seconds within which an event is the one that was taken away
USUAL: dict[str, Event] = {
    "blink": Event("blinks", "full", -0.086, 0.0, 0.19, 1.0, "", (0.015, 0.0)),
    "glance left": Event("gaze", "away", 0.0, 0.0, 0.8, 12.0, "", (-12.0, 1.0)),
    "glance right": Event("gaze", "away", 0.0, 0.0, 0.8, 12.0, "", (12.0, 1.0)),
    "glance down": Event("gaze", "away", 0.0, 0.0, 0.8, 10.0, "", (1.0, -10.0)),
    "brows up": Event("brows", "raise", -0.16, 0.0, 0.45, 0.55, "", (0.12, 0.0, 0.85)),
    "brows down": Event("brows", "lower", -0.16, 0.0, 0.45, 0.5, "", (0.12, 0.0, 0.85)),
    "nod": Event("head", "nod", -0.18, 0.0, 0.23, 4.5, "", (0.0,)),
    "shake": Event("head", "shake", -0.2, 0.1, 0.65, 4.0, "", (1.0,)),
}  # fmt: skip


class Happening(msgspec.Struct, frozen=True):
    """An event by hand: what it is, where its peak is, seconds before and after that, its size and what
    its shape needs. taken: none of this part is to be there."""

    part: Part
    at: Anchor
    kind: str = ""
    before: float = 0.0
    after: float = 0.0
    size: float = 0.0
    more: tuple[float, ...] = ()
    taken: bool = False
    name: Literal["", "moved"] = ""


def placed(reading: Reading, event: Event, seconds: float) -> Happening:
    """An event like another with its peak at a time of the recording."""
    return Happening(
        event.part, anchored(reading, seconds), event.kind, event.peak - event.start, event.end - event.peak,
        event.size, event.more,
    )  # fmt: skip


def taken(reading: Reading, event: Event) -> Happening:
    """That an event is not to be."""
    return Happening(event.part, anchored(reading, event.peak), event.kind, taken=True)


def resolved(
    happenings: Sequence[Happening], reading: Reading
) -> tuple[list[Event], list[tuple[Part, float]]]:
    """Events by hand where they are now, and the parts and times of those that are taken away."""
    added, gone = [], []
    for h in happenings:
        t = time_of(h.at, reading)
        if h.taken:
            gone.append((h.part, t))
        else:
            reason = (
                {"blinks": "blink", "brows": "brow"}.get(h.part, h.part)
                if h.part != "face"
                else "breath"
            )
            added.append(
                Event(
                    h.part,
                    h.kind,
                    t - h.before,
                    t,
                    t + h.after,
                    h.size,
                    f"{reason}: by hand",
                    h.more,
                )
            )
    return added, gone


def without(events: Sequence[Event], gone: Sequence[tuple[Part, float]]) -> list[Event]:
    """Events without the nearest one to each that is taken away."""
    left = list(events)
    for part, t in gone:
        near = [
            e
            for e in left
            if e.part == part and abs(e.peak - t) < NEAR and "by hand" not in e.reason
        ]
        if near:
            left.remove(min(near, key=lambda e: abs(e.peak - t)))
    return left


def spells_with(
    spells: Sequence[Spell], added: Sequence[Event], gone: Sequence[tuple[Part, float]]
) -> list[Spell]:  # fmt: skip
    """Spells of looking away without those taken away, and with glances by hand in place of what they
    meet."""
    own = [
        Spell(e.start, e.end, e.more[0], e.more[1], "by hand", "back, by hand")
        for e in added
        if e.part == "gaze"
    ]
    times = [t for part, t in gone if part == "gaze"]
    left = [
        s for s in spells
        if not any(s.start - NEAR <= t <= s.end + NEAR for t in times)
        and not any(s.start < o.end and s.end > o.start for o in own)
    ]  # fmt: skip
    return sorted([*left, *own], key=lambda s: s.start)


def check_happenings(happenings: Sequence[Happening]) -> None:
    """ValueError for what cannot be."""
    shapes = {e.part: len(e.more) for e in USUAL.values()} | {"face": 0}
    for h in happenings:
        check_anchor(h.at)
        sound = (
            all(abs(v) < 1e3 for v in (h.size, h.before, h.after, *h.more))
            and h.before >= 0
            and h.after >= 0
        )
        fits = h.taken or h.kind in ("posture", "with gaze") or len(h.more) >= shapes.get(h.part, 0)
        if h.part not in PARTS or not sound or not fits:
            raise ValueError("something is placed in the face that cannot be")
