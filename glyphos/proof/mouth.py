"""What of a mouth an animator would see at once."""

from __future__ import annotations

import numpy as np

from ..voice.pitch import HOP
from .finding import Found, check
from .subject import Subject, is_vowel, runs

MOVES = (
    "jaw_open",
    "lips_part",
    "lips_wide",
    "lips_round",
    "lip_to_teeth",
    "upper_lip_raise",
    "tongue_tip",
)
STILL, STANDS = 0.03, 0.30  # of a channel's way, seconds
MORE = 1.5  # frames that a motion is longer than its sound, give or take half a one
BRIDGED = 0.10  # seconds without voice inside a word, as of a stop, that do not end it
SHUT, OPEN = 0.04, 0.2  # of lips_part
SILENCE = 0.6  # seconds of a pause in which a mouth should close
SETTLES = 0.3  # seconds after which it should have, and before which it may open again
SHAKES, SHAKEN = 0.04, 5  # of a channel's way, turns in a row
EARLY, LATE = 0.125, 0.045  # seconds of the sound against the picture: behind it, before it
SURE = 0.92  # of the likeness at the best shift: where it is as good without one, nothing is late
AHEAD = 0.04  # seconds that lips open before their sound is loud, when nothing is late
COMMON = "common practice, no source"


@check("still-mouth", "mouth", "a mouth that stands still while its sound moves", COMMON)
def still(subject: Subject) -> Found:
    voice = subject.voice
    if voice is None:
        return
    sounding = voice.voiced & voice.speech.astype(bool)
    for a, b in runs(~sounding):
        if a and b < len(sounding) and (b - a) * HOP < BRIDGED and voice.speech[a:b].all():
            sounding[a:b] = True
    for a, b in runs(sounding):
        start, end = a * HOP, b * HOP
        inside = [p for p in subject.phones if p.start >= start - 0.02 and p.end <= end + 0.02]
        if end - start < STANDS or len({p.ipa for p in inside}) < 3:
            continue
        part = subject.frames(start, end)
        if part.stop - part.start < 3:
            continue
        moved = max(float(np.ptp(subject.curve(c)[part])) for c in MOVES)
        if moved < STILL:
            yield (
                "bad",
                f"The mouth stands still through {end - start:.1f} s of speech.",
                start,
                end,
                moved,
            )


@check("shut-vowel", "mouth", "lips shut under a loud vowel", COMMON)
def shut_vowel(subject: Subject) -> Found:
    lips = subject.curve("lips_part")
    for phone in subject.phones:
        if not is_vowel(phone.ipa) or phone.end - phone.start < 0.06:
            continue
        level = subject.level(phone.start, phone.end)
        part = subject.frames(phone.start - 0.04, phone.end)
        if len(level) and float(level.max()) > subject.loud - 3 and part.stop > part.start:
            most = float(lips[part].max())
            if most < SHUT:
                yield (
                    "bad",
                    f"The lips stay shut under a loud /{phone.ipa}/.",
                    phone.start,
                    phone.end,
                    most,
                )


@check("open-in-silence", "mouth", "a mouth that stays open in a pause", COMMON)
def open_in_silence(subject: Subject) -> Found:
    lips, words = subject.curve("lips_part"), subject.words
    ends = [0.0, *(w.end for w in words)]
    starts = [*(w.start for w in words), subject.reading.audio.duration]
    for end, start in zip(ends, starts, strict=True):
        if start - end < SILENCE + 2 * SETTLES:
            continue
        if any(m.start < start and m.end > end for m in subject.reading.marks):
            continue
        part = subject.frames(end + SETTLES, start - SETTLES)
        if part.stop - part.start >= 2:
            least = float(np.min(lips[part]))
            if least > OPEN:
                yield (
                    "poor",
                    f"The mouth stays open in a pause of {start - end:.1f} s.",
                    end,
                    start,
                    least,
                )


@check("unseen-closure", "mouth", "a /p/, /b/ or /m/ whose closed lips no frame shows", COMMON)
def unseen(subject: Subject) -> Found:
    lips = subject.curve("lips_part")
    reach = subject.line.delivery.lead / 1000 + 1 / float(subject.motion.fps)
    for phone in subject.phones:
        if phone.ipa[:1] in ("p", "b", "m"):
            part = subject.frames(phone.start - reach, phone.end + 1 / float(subject.motion.fps))
            if part.stop > part.start:
                least = float(lips[part].min())
                if least > SHUT:
                    yield (
                        "poor",
                        f"No frame shows the closed lips of /{phone.ipa}/.",
                        phone.start,
                        phone.end,
                        least,
                    )


@check("jitter", "mouth", "a channel that shakes from frame to frame", COMMON)
def jitter(subject: Subject) -> Found:
    for name in MOVES:
        steps = np.diff(subject.curve(name))
        turned = (steps[1:] * steps[:-1] < 0) & (
            np.minimum(abs(steps[1:]), abs(steps[:-1])) > SHAKES
        )
        for a, b in runs(turned):
            if b - a >= SHAKEN:
                start, end = subject.times[a], subject.times[min(b + 1, len(subject.times) - 1)]
                yield "poor", f"{name.replace('_', ' ').capitalize()} shakes from frame to frame.", float(start), float(end), float(b - a)  # fmt: skip
                break


@check("length", "mouth", "motion shorter or longer than its sound", COMMON)
def length(subject: Subject) -> Found:
    wanted = subject.line.delivery.film(subject.reading.audio.duration)
    fps = float(subject.motion.fps)
    gone = (subject.motion.frames - MORE) / fps - wanted
    if abs(gone) > 2 / fps:
        word = "shorter" if gone < 0 else "longer"
        yield (
            "bad",
            f"The motion is {abs(gone):.2f} s {word} than its sound.",
            0.0,
            subject.reading.audio.duration,
            gone,
        )


@check("late", "mouth", "a mouth that is late or early against its sound", "ITU-R BT.1359-1: detected beyond 45 ms (sound before) and 125 ms (sound behind), from memory")  # fmt: skip
def late(subject: Subject) -> Found:
    voice = subject.voice
    if voice is None or subject.reading.audio.duration < 1.5 or not np.isfinite(subject.loud):
        return
    grid = np.arange(0, subject.reading.audio.duration, HOP)
    opening = np.interp(grid, subject.times, subject.curve("lips_part") + subject.curve("jaw_open"))
    level = np.clip(np.interp(grid, voice.times, voice.level), subject.loud - 30, None)
    a, b = opening - opening.mean(), level - level.mean()
    if not a.any() or not b.any():
        return
    lags = range(-round(0.4 / HOP), round(0.4 / HOP) + 1)
    strength = [
        float((a[max(0, k) : len(a) + min(0, k)] * b[max(0, -k) : len(b) + min(0, -k)]).sum())
        for k in lags
    ]
    best = int(np.argmax(strength))
    lag = lags[best] * HOP + AHEAD
    as_it_should = strength[-lags[0] - round(AHEAD / HOP)]
    if (lag > LATE or lag < -EARLY) and as_it_should < SURE * strength[best]:
        word = "late" if lag > 0 else "early"
        yield "bad", f"The mouth is {1000 * abs(lag):.0f} ms {word} against its sound.", 0.0, subject.reading.audio.duration, lag  # fmt: skip
