"""Mends: changes of a document that make a finding go away, found by trying.

Each check has its candidates, the smallest change first. A candidate is taken only if its check, run on the line
as it would be, no longer finds anything there: what is offered as a mend is one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import msgspec

from ..errors import EditError
from ..motion.delivery import Delivery
from ..motion.life.hands import USUAL, placed
from ..motion.mix import Mix
from ..motion.regions import region_of
from ..motion.touch.keys import Touch, times_of
from ..production.carrying import unheard, with_reading
from ..production.documents import Character, Line
from ..production.kinds import Key, character_key, line_key
from ..production.production import Production
from ..progress import Progress
from .finding import Finding
from .hearing import other_language
from .proofing import NEAR, proofed

SEEDS = 12  # other draws of life that are tried
Listen = Callable[[Production, Line], Line]  # listens to a line, in whichever process
Found = Iterator[tuple[str, dict[Key, Any]]]  # what is done, in words, and the change


@dataclass(frozen=True)
class Mend:
    """name: of the step that undo takes back; changes: of documents."""

    name: str
    changes: dict[Key, Any]


@dataclass(frozen=True)
class _Case:
    """A finding in its line."""

    production: Production
    line: Line
    finding: Finding
    listen: Listen

    @property
    def who(self) -> Character:
        return self.production.character_for(self.line.speaker)

    def put(self, **changes: Any) -> dict[Key, Any]:
        return {line_key(self.line.slug): msgspec.structs.replace(self.line, **changes)}

    def fitted(self, **changes: Any) -> dict[Key, Any]:
        who = self.who
        fitting = msgspec.structs.replace(who.fitting, **changes)
        return {character_key(who.slug): msgspec.structs.replace(who, fitting=fitting)}


Ways = Callable[[_Case], Found]


def _heard(case: _Case) -> Found:
    line = case.line
    yield "Listen again", {line_key(line.slug): case.listen(case.production, line)}
    if line.reading is not None:
        made = case.listen(case.production, unheard(line))
        if made.reading is not None:
            yield (
                "Listen again without pins",
                {line_key(line.slug): with_reading(line, made.reading)},
            )


def _language(case: _Case) -> Found:
    code, _ = other_language(case.line)
    if code:
        changed = unheard(case.line, language=code)
        yield f"Listen in {code}", {line_key(case.line.slug): case.listen(case.production, changed)}


def _cleaned(case: _Case) -> Found:
    if not case.line.condition:
        changed = msgspec.structs.replace(case.line, condition=True)
        yield "Listen to a cleaned copy", {line_key(case.line.slug): case.listen(case.production, changed)}  # fmt: skip


def _hands(*regions: str) -> Ways:
    """Touch-ups there, then recorded curves, then all layers and the delivery as usual."""

    def ways(case: _Case) -> Found:
        line, finding = case.line, case.finding
        own = [t for t in line.touches if region_of(t.channel) in regions]
        near = [t for t in own if _touches(t, line, finding)]
        for gone in (near, own):
            if gone:
                yield "Take touch-ups away there", case.put(touches=tuple(t for t in line.touches if t not in gone))  # fmt: skip
        if any(r.on and r.smoothing == 0 for r in line.recorded):
            soft = tuple(msgspec.structs.replace(r, smoothing=0.5) for r in line.recorded)
            yield "Smooth recorded curves", case.put(recorded=soft)
        if any(r.on for r in line.recorded):
            fewer = tuple(
                msgspec.structs.replace(r, regions=tuple(x for x in r.regions if x not in regions)) for r in line.recorded
            )  # fmt: skip
            yield "Recorded curves elsewhere only", case.put(recorded=fewer)
        if line.mix != Mix():
            yield "Layers as usual", case.put(mix=Mix())
        usual = Delivery()
        if line.delivery != usual:
            d = line.delivery
            placed_as = msgspec.structs.replace(
                usual, offset=d.offset, speed=d.speed, range_start=d.range_start, range_end=d.range_end
            )  # fmt: skip
            if d != placed_as:
                yield "Delivery as usual", case.put(delivery=placed_as)
            yield "Delivery and place as usual", case.put(delivery=usual)
        if own or line.recorded or line.mix != Mix() or line.delivery != usual:
            yield "Speech as computed", case.put(
                touches=tuple(t for t in line.touches if t not in own), recorded=(), mix=Mix(), delivery=usual
            )  # fmt: skip

    return ways


def _touches(touch: Touch, line: Line, finding: Finding) -> bool:
    if line.reading is None:
        return False
    times = times_of(touch, line.reading)
    return bool(len(times)) and float(times.min()) - NEAR <= finding.end and finding.start <= float(times.max()) + NEAR  # fmt: skip


def _blink(case: _Case) -> Found:
    line, finding = case.line, case.finding
    if line.reading is None:
        return
    middle = (finding.start + finding.end) / 2
    count = max(1, int((finding.end - finding.start) // 8))
    if count > 1:
        step = (finding.end - finding.start) / (count + 1)
        times = [finding.start + step * (k + 1) * (1 + 0.1 * (-1) ** k) for k in range(count)]
    else:
        times = [middle]
    added = tuple(placed(line.reading, USUAL["blink"], t) for t in times)
    yield "Blink there", case.put(happenings=(*line.happenings, *added))
    yield from _lively(case)


def _lively(case: _Case) -> Found:
    line = case.line
    if line.life is not None:
        usual = msgspec.structs.replace(line.life, strength=1.0, blinks=1.0, gaze=1.0, brows=1.0, head=1.0)  # fmt: skip
        if usual != line.life:
            yield "Liveliness as usual", case.put(life=usual)
    yield from _hands("lids", "gaze", "brows", "head")(case)
    yield from _seeds(case)


def _seeds(case: _Case) -> Found:
    life = case.line.life
    for k in range(1, SEEDS) if life is not None else ():
        assert life is not None
        yield "Another life", case.put(life=msgspec.structs.replace(life, seed=life.seed + k))


def _gaze(case: _Case) -> Found:
    yield from _seeds(case)
    yield from _hands("gaze")(case)


def _moods(case: _Case) -> Found:
    spans = sorted(case.line.moods, key=lambda m: (m.start, m.end))
    made = list(spans)
    for k in range(len(made) - 1):
        if made[k].end > made[k + 1].start:
            made[k] = msgspec.structs.replace(made[k], end=max(made[k + 1].start, made[k].start + 0.1))  # fmt: skip
    yield "Moods one after the other", case.put(moods=tuple(made))


def _aside(case: _Case) -> Found:
    yield "Drop what could not be carried along", case.put(aside=())


def _layers(case: _Case) -> Found:
    off = [r for r in case.line.recorded if not (case.production.folder / r.file).exists()]
    kept = tuple(msgspec.structs.replace(r, on=False) if r in off else r for r in case.line.recorded)  # fmt: skip
    yield "Missing curves off", case.put(recorded=kept)


def _weaker(case: _Case) -> Found:
    """Gestures weaker, so that a channel stays under its limit."""
    who = case.who
    for share in (0.9, 0.8, 0.7, 0.6):
        strength = {**who.fitting.strength}
        for name in _strong(case):
            strength[name] = round(share * who.fitting.strength.get(name, 1.0), 3)
        if strength:
            yield f"{who.name} at {share:.0%} strength", case.fitted(strength=strength)


def _strong(case: _Case) -> list[str]:
    known = case.who.fitting.strength
    return list(known) or ["jaw_open", "lips_part", "lips_wide", "lips_round"]


def _present(case: _Case) -> Found:
    """Names that the model has lost are taken out of its fitting."""
    from ..characters.models.opening import open_head

    who, fitting = case.who, case.who.fitting
    there = set(open_head(case.production.model_path(who)).channels)
    by_hand = {g: {c: v for c, v in cells.items() if c.partition(" (")[0] in there} for g, cells in fitting.by_hand.items()}  # fmt: skip
    yield "Fitting as the model is", case.fitted(
        channels=tuple(c for c in fitting.channels if c in there),
        limits={c: v for c, v in fitting.limits.items() if c in there},
        ranges={c: v for c, v in fitting.ranges.items() if c in there},
        never=tuple(c for c in fitting.never if c in there),
        by_hand={g: cells for g, cells in by_hand.items() if cells},
    )  # fmt: skip


def _pins_away(case: _Case) -> Found:
    if case.line.held:
        yield "Let drawings go that were pinned", case.put(held=())
    who = case.who
    if who.drawings is not None:
        for hold in (2, 3, 4):
            wish = msgspec.structs.replace(who.drawings.wish, hold=max(hold, who.drawings.wish.hold))  # fmt: skip
            drawings = msgspec.structs.replace(who.drawings, wish=wish)
            yield f"Drawings stand {hold} frames at least", {character_key(who.slug): msgspec.structs.replace(who, drawings=drawings)}  # fmt: skip
    yield from _hands("mouth")(case)


def _closer(case: _Case) -> Found:
    if case.line.held:
        yield "Let drawings go that were pinned", case.put(held=())
    who = case.who
    if who.drawings is not None:
        for share in (0.5, 0.25, 0.1):
            wish = msgspec.structs.replace(who.drawings.wish, change=share * who.drawings.wish.change, hold=1)  # fmt: skip
            drawings = msgspec.structs.replace(who.drawings, wish=wish)
            yield "Drawings change more readily", {character_key(who.slug): msgspec.structs.replace(who, drawings=drawings)}  # fmt: skip


MOUTH = _hands("mouth")
WAYS: dict[str, Ways] = {
    "not-listened": _heard, "script-disagrees": _heard, "word-over-silence": _heard, "odd-length": _heard,
    "uncovered-speech": _heard, "wrong-language": _language, "recording": _cleaned,
    "still-mouth": MOUTH, "shut-vowel": MOUTH, "open-in-silence": MOUTH, "unseen-closure": MOUTH, "jitter": MOUTH,
    "length": MOUTH, "late": MOUTH, "closure-gap": MOUTH,
    "at-its-limit": _weaker, "out-of-range": _weaker, "unknown-channel": _present,
    "drawings-flicker": _pins_away, "drawing-stands": _closer,
    "no-blink": _blink, "even-blinks": _seeds, "frozen": _lively, "looks-away": _gaze, "moods-overlap": _moods,
    "lost-touch": _aside, "missing-layer": _layers,
}  # fmt: skip


def mendable(finding: Finding) -> bool:
    """Whether there are ways that can be tried."""
    return finding.check in WAYS and not finding.accepted


def mend(
    production: Production, finding: Finding, fps: Fraction, listen: Listen, *, progress: Progress | None = None,
) -> Mend:  # fmt: skip
    """The smallest change that makes a finding go away. EditError, one sentence, where nothing that is tried
    does: then a hand must."""
    line = production.line(finding.line)
    case = _Case(production, line, finding, listen)
    tried = 0
    ways = WAYS.get(finding.check)
    for name, changes in ways(case) if ways is not None else ():
        if progress is not None:
            progress(min(0.95, tried / 12))
        tried += 1
        if not _still(production.changed(changes), finding, fps):
            return Mend(name, changes)
    raise EditError(
        "Nothing that can be set mends this; go there and mend it by hand, or accept it with a reason."
        if tried or ways is None
        else "There is nothing set here that could be taken back; mend it by hand, or accept it with a reason."
    )


def _still(changed: Production, finding: Finding, fps: Fraction) -> bool:
    """Whether a finding is still there once a change is made."""
    found = proofed(changed.line(finding.line), changed, fps, only=frozenset({finding.check}))
    return any(f.start <= finding.end + NEAR and finding.start <= f.end + NEAR for f in found)
