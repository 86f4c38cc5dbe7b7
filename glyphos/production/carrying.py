"""A line with another reading: all that rides on its sounds goes along.

Every change of a reading goes through here, whether an edge was moved, a word was corrected or another take
was listened to. What cannot be carried is set aside and listed, never dropped.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import msgspec

from ..characters.drawings.pins import Pin
from ..motion.life.hands import Happening
from ..motion.mood import MoodSpan
from ..motion.touch.keys import Touch
from ..speech.anchors import anchored, time_of
from ..speech.carrying import Carrier
from ..speech.parts import Flat
from ..speech.reading import Reading
from .documents import Aside, Line

T = TypeVar("T")
LOOK = ("delivery", "life", "moods", "faces", "happenings", "recorded", "touches", "mix")
SHORTEST = 0.05  # seconds of a mood that is still one


def reread(line: Line, reading: Reading, **changes: Any) -> Line:
    """The line with another reading (and other changes): moods, touch-ups, what was placed by hand and
    pinned drawings are where their sounds are."""
    made = msgspec.structs.replace(line, reading=reading, **changes)
    old = line.reading
    riders = line.touches or line.happenings or line.moods or line.held
    if old is None or old is reading or not riders:
        return made
    carrier = Carrier(old, reading)
    aside: list[Aside] = []
    moods = _each(
        line.moods,
        lambda m: _mood(m, carrier),
        lambda m: Aside(f"the mood {m.mood}", mood=m),
        aside,
    )
    if carrier.same:
        return msgspec.structs.replace(made, moods=moods, aside=(*line.aside, *aside))
    touches = _each(
        line.touches, lambda t: _touch(t, carrier),
        lambda t: Aside(f"{t.what or 'touch-up'} of {t.channel}{_on(t.keys[0].at.seconds, old)}", touch=t), aside,
    )  # fmt: skip
    happenings = _each(
        line.happenings, lambda h: _happening(h, carrier),
        lambda h: Aside(f"{h.kind or h.part}{_on(h.at.seconds, old)}", happening=h), aside,
    )  # fmt: skip
    held = _each(
        line.held, lambda p: _pin(p, carrier),
        lambda p: Aside(f"the drawing {p.mouth}{_on(p.start.seconds, old)}", held=p), aside,
    )  # fmt: skip
    return msgspec.structs.replace(
        made, moods=moods, touches=touches, happenings=happenings, held=held,
        aside=(*line.aside, *aside),
    )  # fmt: skip


def with_reading(line: Line, reading: Reading) -> Line:
    """A line that was listened to: it stays confirmed only with the same words and sounds. Whom its script names
    without being heard is who speaks."""
    from ..speech.scripted import script_of, unheard_name

    same = line.reading is not None and _said(reading) == _said(line.reading)
    return reread(
        line, reading, script=script_of(line.script, reading),
        speaker=line.speaker or unheard_name(line.script, reading), problem="",
        confirmed=line.confirmed and same, offered=line.offered if same else (),
    )  # fmt: skip


def unheard(line: Line, **changes: Any) -> Line:
    """The line as it is before it is listened to, with other changes; what rides on its sounds waits with it."""
    return msgspec.structs.replace(line, reading=None, **changes)


def as_kept(line: Line, other: Line) -> Line:
    """The line with all of how it moves as it was kept in another state of it: delivery, life, moods, layers and
    touch-ups; on the sounds as they are now."""
    if other.reading is not None and line.reading is not None:
        other = reread(other, line.reading)
    return msgspec.structs.replace(line, **{name: getattr(other, name) for name in LOOK})


def same_look(line: Line, other: Line) -> bool:
    """Whether two states of a line move in the same way."""
    return all(getattr(line, name) == getattr(other, name) for name in LOOK)


def placed_again(line: Line, number: int, seconds: float) -> Line:
    """Something that was set aside, with its beginning at a time of the recording."""
    own = line.aside[number]
    rest = (*line.aside[:number], *line.aside[number + 1 :])
    made = msgspec.structs.replace(line, aside=rest)
    reading = line.reading
    assert reading is not None
    if own.touch is not None:
        by = seconds - min(k.at.seconds for k in own.touch.keys)
        keys = tuple(
            msgspec.structs.replace(k, at=anchored(reading, k.at.seconds + by))
            for k in own.touch.keys
        )
        touch = msgspec.structs.replace(own.touch, keys=keys)
        return msgspec.structs.replace(made, touches=(*made.touches, touch))
    if own.happening is not None:
        happening = msgspec.structs.replace(own.happening, at=anchored(reading, seconds))
        return msgspec.structs.replace(made, happenings=(*made.happenings, happening))
    if own.mood is not None:
        mood = msgspec.structs.replace(
            own.mood, start=seconds, end=seconds + own.mood.end - own.mood.start
        )
        return msgspec.structs.replace(made, moods=(*made.moods, mood))
    assert own.held is not None
    long = own.held.end.seconds - own.held.start.seconds
    pin = msgspec.structs.replace(
        own.held, start=anchored(reading, seconds), end=anchored(reading, seconds + long)
    )
    return msgspec.structs.replace(made, held=(*made.held, pin))


def cut_to(line: Line, piece: Reading, start: float, end: float) -> dict[str, Any]:
    """What rides on a line within a stretch of it, on a reading that begins there."""
    assert line.reading is not None
    reading = line.reading

    def earlier(at: Any) -> Any:
        return anchored(piece, time_of(at, reading) - start)

    def inside(at: Any) -> bool:
        return start <= time_of(at, reading) < end

    return {
        "aside": line.aside if start <= 0 else (),
        "touches": tuple(
            msgspec.structs.replace(
                t, keys=tuple(msgspec.structs.replace(k, at=earlier(k.at)) for k in t.keys)
            )
            for t in line.touches if any(inside(k.at) for k in t.keys)
        ),
        "happenings": tuple(
            msgspec.structs.replace(h, at=earlier(h.at)) for h in line.happenings if inside(h.at)
        ),
        "moods": tuple(
            msgspec.structs.replace(m, start=m.start - start, end=m.end - start)
            for m in line.moods if m.start < end and m.end > start
        ),
    }  # fmt: skip


def _each(
    several: Sequence[T], carry: Callable[[T], T | None], why: Callable[[T], Aside], aside: list[Aside]
) -> tuple[T, ...]:  # fmt: skip
    made = []
    for one in several:
        new = carry(one)
        if new is None:
            aside.append(why(one))
        else:
            made.append(new)
    return tuple(made)


def _mood(mood: MoodSpan, carrier: Carrier) -> MoodSpan | None:
    if not carrier.keeps(mood.start, mood.end):
        return None
    start, end = carrier.time(mood.start), carrier.time(mood.end)
    return msgspec.structs.replace(mood, start=start, end=end) if end - start > SHORTEST else None


def _touch(touch: Touch, carrier: Carrier) -> Touch | None:
    """Its keys where they are carried to; without those that are on nothing, if any are left to hold it."""
    anchors = [carrier.carried(k.at) for k in touch.keys]
    inner = anchors[1:-1] if len(anchors) > 2 else anchors
    if all(a is None for a in inner):
        return None
    keys = tuple(
        msgspec.structs.replace(k, at=a or carrier.placed(k.at))
        for k, a in zip(touch.keys, anchors, strict=True)
    )
    return msgspec.structs.replace(touch, keys=keys)


def _happening(happening: Happening, carrier: Carrier) -> Happening | None:
    at = carrier.carried(happening.at)
    return None if at is None else msgspec.structs.replace(happening, at=at)


def _pin(pin: Pin, carrier: Carrier) -> Pin | None:
    start, end = carrier.carried(pin.start), carrier.carried(pin.end)
    if start is None and end is None:
        return None
    return msgspec.structs.replace(
        pin, start=start or carrier.placed(pin.start), end=end or carrier.placed(pin.end)
    )


def _on(seconds: float, reading: Reading) -> str:
    flat = Flat.of(reading)
    part = flat.part_at("word", seconds)
    return f" on “{flat.words[part.number].text}”" if part is not None else ""


def _said(reading: Reading) -> list[tuple[str, ...]]:
    return [(w.text, *(p.ipa for p in w.phones)) for w in reading.words()]
