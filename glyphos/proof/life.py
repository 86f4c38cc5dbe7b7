"""What of the rest of a face looks dead, or wrong."""

from __future__ import annotations

from itertools import combinations, pairwise
from typing import Literal

import numpy as np

from .finding import Found, check
from .subject import Subject, runs

WITHOUT = 12.0  # seconds without a blink
EVEN = 0.15  # deviation of pauses between blinks, of their mean, under which they tick
FROZEN, FROZE = 0.02, 10.0  # degrees (shares of brows), seconds
AWAY, TURNED = 4.0, 12.0  # seconds, degrees
PARTS: dict[Literal["head", "brows"], tuple[str, ...]] = {
    "head": ("head_yaw", "head_pitch", "head_roll"),
    "brows": ("brow_inner_raise", "brow_outer_raise_left", "brow_outer_raise_right", "brow_lower"),
}
COMMON = "common practice, no source"


def _blinks(subject: Subject) -> list[float]:
    """When lids close, in seconds of the recording."""
    shut = np.maximum(subject.curve("blink_left"), subject.curve("blink_right")) > 0.5
    return [float(subject.times[a]) for a, _ in runs(shut)]


@check("no-blink", "life", "eyes that do not blink for too long", "people who talk blink 15 to 30 times a minute (Bentivoglio et al. 1997, from memory)")  # fmt: skip
def no_blink(subject: Subject) -> Found:
    if not subject.line.lives or subject.line.life is None or not subject.line.life.of("blinks"):
        return
    whole = subject.reading.audio.duration
    at = [0.0, *_blinks(subject), whole]
    for a, b in pairwise(at):
        if b - a > WITHOUT:
            yield "poor", f"The eyes do not blink for {b - a:.0f} s.", a, b, b - a


@check("even-blinks", "life", "blinks as even as a clock", COMMON)
def even(subject: Subject) -> Found:
    pauses = np.diff(_blinks(subject))
    if len(pauses) >= 5 and float(pauses.std() / pauses.mean()) < EVEN:
        yield "poor", "Blinks are as even as a clock; change the seed of the life.", 0.0, subject.reading.audio.duration, float(pauses.std() / pauses.mean())  # fmt: skip


@check("frozen", "life", "a head or brows that do not move at all", COMMON)
def frozen(subject: Subject) -> Found:
    if not subject.line.lives or subject.line.life is None:
        return
    count = round(FROZE * float(subject.motion.fps))
    for part, names in PARTS.items():
        if subject.motion.frames <= count or not subject.line.life.of(part):
            continue
        still = np.ones(subject.motion.frames - count, bool)
        for name in names:
            windows = np.lib.stride_tricks.sliding_window_view(subject.curve(name), count + 1)
            still &= np.ptp(windows, axis=1) < FROZEN
        for a, b in runs(still)[:1]:
            start, end = subject.times[a], subject.times[min(b + count, subject.motion.frames - 1)]
            yield "poor", f"The {part} does not move for {end - start:.0f} s.".replace("brows does", "brows do"), float(start), float(end), float(end - start)  # fmt: skip


@check("looks-away", "life", "eyes that look away for too long", "speakers look away for 1 to 2 s at a time (Kendon 1967, from memory)")  # fmt: skip
def looks_away(subject: Subject) -> Found:
    away = np.abs(subject.curve("gaze_yaw")) > TURNED
    for a, b in runs(away):
        seconds = (b - a) / float(subject.motion.fps)
        if seconds > AWAY:
            yield "note", f"The eyes look away for {seconds:.1f} s.", float(subject.times[a]), float(subject.times[b - 1]), seconds  # fmt: skip


@check("moods-overlap", "life", "two strong moods at once", COMMON)
def moods(subject: Subject) -> Found:
    for one, other in combinations(subject.line.moods, 2):
        a, b = max(one.start, other.start), min(one.end, other.end)
        least = min(one.end - one.start, other.end - other.start)
        strong = min(one.strength, other.strength) >= 0.5
        if one.mood != other.mood and strong and b - a > 0.5 * least:
            yield (
                "note",
                f"{one.mood.capitalize()} and {other.mood} are both strong for {b - a:.1f} s.",
                a,
                b,
                b - a,
            )


@check("lost-touch", "life", "what was done by hand and has lost its sound", COMMON)
def lost(subject: Subject) -> Found:
    if subject.line.aside:
        yield "poor", f"{len(subject.line.aside)} things done by hand could not be carried along; place them again or drop them (Curves, Keys).", 0.0, 0.0, float(len(subject.line.aside))  # fmt: skip
