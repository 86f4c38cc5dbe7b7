"""What of a line a character cannot show: its head, as it is fitted, or its drawings."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..characters.dressing import FOLLOWS, SEEN
from ..characters.fittings import OPPOSITE
from .finding import Found, check
from .subject import Subject, runs

if TYPE_CHECKING:
    from ..characters.dressing import Dressed

LIMIT, OFTEN = 0.995, 0.05  # of a channel's way, share of the frames
BEYOND = 0.005  # of a range
STANDS = 0.45  # seconds of a drawing through sounds that change
MENDS = 0.1  # share of exposures, from which on a drawing is worth to be drawn
FLICKER = 4  # drawings of one frame each, in a row
COMMON = "common practice, no source"


@check("gesture-missing", "character", "a gesture that the fitted head cannot perform", "our own measure: how what is shown follows what was meant (docs/fitting.md)")  # fmt: skip
def gesture(subject: Subject) -> Found:
    dress = subject.dress
    for name, alike in dress.alike.items() if dress is not None else ():
        meant = subject.curve(name)
        if alike < FOLLOWS and float(np.ptp(meant)) > 0.15:
            yield "note", f"{name.replace('_', ' ').capitalize()} is shown only in part ({alike:.2f}); look at its fitting.", 0.0, subject.reading.audio.duration, alike  # fmt: skip


@check("closure-gap", "character", "a closure that leaves a gap on the head", COMMON)
def gap(subject: Subject) -> Found:
    dress = subject.dress
    if dress is None or not len(dress.gap):
        return
    open_ones = (dress.shut > 0.5) & (dress.gap > SEEN)
    for a, b in runs(open_ones):
        most = float(dress.gap[a:b].max())
        yield "poor", f"The head's lips stay {most:.0%} of the mouth apart where they should meet.", float(subject.times[a]), float(subject.times[b - 1]), most  # fmt: skip


@check(
    "at-its-limit",
    "character",
    "a channel of the head that is at its limit over 5 % of the time",
    COMMON,
)
def limit(subject: Subject) -> Found:
    dress = subject.dress
    if dress is None:
        return
    for k, name in enumerate(dress.channels):
        high = dress.ranges[k][1]
        share = float((dress.values[:, k] >= LIMIT * high).mean()) if high > 0 else 0.0
        if share > OFTEN:
            yield "note", f"The head's {name} is at its limit {share:.0%} of the time.", 0.0, subject.reading.audio.duration, share  # fmt: skip


@check(
    "drawings-flicker",
    "character",
    "drawings that change on every frame, one after the other",
    COMMON,
)
def flicker(subject: Subject) -> Found:
    sheet = subject.sheet
    if sheet is None:
        return
    short = np.array([e.frames == 1 and not e.pinned for e in sheet.mouths])
    for a, b in runs(short):
        if b - a >= FLICKER:
            start, end = (float(subject.times[sheet.mouths[k].first]) for k in (a, b - 1))
            yield (
                "poor",
                f"Drawings flicker: {b - a} changes in as many frames.",
                start,
                end,
                float(b - a),
            )


@check(
    "channel-still",
    "character",
    "a channel of the head that never moves, though its gesture does",
    COMMON,
)
def channel_still(subject: Subject) -> Found:
    dressed, dress = subject.dressed, subject.dress
    if dressed is None or dress is None:
        return
    whole = subject.reading.audio.duration
    shown = {c: k for k, c in enumerate(dress.channels)}
    for channel, gesture in driven(dressed).items():
        k = shown.get(channel)
        if k is None or channel in dressed.fitting.never or gesture in dressed.fitting.by_hand:
            continue
        low, high = dress.ranges[k]
        meant, seen = float(np.ptp(subject.curve(gesture))), float(np.ptp(dress.values[:, k]))
        if meant > 0.3 and seen < 0.005 * (high - low):
            yield "poor", f"The head's {channel} never moves, though {gesture.replace('_', ' ')} does; look at its fitting.", 0.0, whole, seen  # fmt: skip


def driven(dressed: Dressed) -> dict[str, str]:
    """The channels of a head that show one gesture by name and by shape, and that gesture."""
    if dressed.own:
        return {c: c for c in dressed.head.channels}
    if dressed.fit is None:
        return {}
    return {v.channel: v.gesture for v in dressed.fit.votes if v.verdict == "agree"}


@check("out-of-range", "character", "a channel of the head beyond its range", COMMON)
def out_of_range(subject: Subject) -> Found:
    dress = subject.dress
    for k, name in enumerate(dress.channels) if dress is not None else ():
        assert dress is not None
        low, high = dress.ranges[k]
        beyond = np.maximum(low - dress.values[:, k], dress.values[:, k] - high)
        room = BEYOND * (high - low)
        for a, b in runs(beyond > room)[:1]:
            most = float(beyond.max()) / (high - low)
            yield "poor", f"The head's {name} goes {most:.0%} beyond its range.", float(subject.times[a]), float(subject.times[b - 1]), most  # fmt: skip


@check("unknown-channel", "character", "names of a fitting that the model does not have", COMMON)
def unknown_channel(subject: Subject) -> Found:
    dressed = subject.dressed
    if dressed is None:
        return
    fitting, there = dressed.fitting, set(dressed.head.channels)
    hands = {c for cells in fitting.by_hand.values() for c in cells}
    used = {*fitting.channels, *fitting.limits, *fitting.ranges, *fitting.never, *hands}
    gone = sorted(c for c in (u.removesuffix(OPPOSITE) for u in used) if c not in there)
    if gone:
        yield "bad", f"The model has no channel {', '.join(gone[:3])}{' …' if len(gone) > 3 else ''} any more; fit it again.", 0.0, 0.0, float(len(gone))  # fmt: skip


@check(
    "drawing-stands",
    "character",
    "a drawing that stands still while sounds change under it",
    COMMON,
)
def stands(subject: Subject) -> Found:
    sheet = subject.sheet
    if sheet is None or subject.voice is None:
        return
    for exposure in sheet.mouths:
        start, end = (float(subject.times[min(f, sheet.frames - 1)]) for f in (exposure.first, exposure.first + exposure.frames - 1))  # fmt: skip
        inside = [p for p in subject.phones if p.start >= start - 0.02 and p.end <= end + 0.06]
        if end - start >= STANDS and len({p.ipa for p in inside}) >= 5:
            name = sheet.mouth(exposure).name
            yield "poor", f"The drawing {name} stands for {end - start:.1f} s while {len(inside)} sounds change.", start, end, end - start  # fmt: skip


@check("drawing-missing", "character", "a drawing that would help", "our own measure: how wrong drawings are (docs/drawings.md)")  # fmt: skip
def missing(subject: Subject) -> Found:
    sheet = subject.sheet
    helping = sheet.helping if sheet is not None else None
    if sheet is not None and helping is not None and helping[1] > MENDS * len(sheet.mouths):
        yield "note", f"A drawing of {helping[0]} would mend {helping[1]} of {len(sheet.mouths)} exposures.", 0.0, subject.reading.audio.duration, helping[1] / len(sheet.mouths)  # fmt: skip
