"""What of a line a character cannot show: its head, as it is fitted, or its drawings."""

from __future__ import annotations

import numpy as np

from ..characters.dressing import FOLLOWS, SEEN
from .finding import Found, check
from .subject import Subject, runs

LIMIT, OFTEN = 0.995, 0.05  # of a channel's way, share of the frames
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
