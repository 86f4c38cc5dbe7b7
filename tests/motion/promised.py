"""What the motion promises, each as a check that says where it is broken."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

import numpy as np

from glyphos.motion import gestures
from glyphos.motion.channels import JAW, LOW, PART, PRESS, ROUND, TEETH, TIP, TOP, WIDE, channels
from glyphos.motion.curve import Motion
from glyphos.motion.delivery import Delivery
from glyphos.speech.reading import AudioInfo, Mark, Phone, Phrase, Reading, Word

TABLE = "ɑ æ ʌ ə ɔ ɛ ɪ i ʊ u ɝ ɚ aʊ aɪ eɪ oʊ ɔɪ p b m f v θ ð t d n l s z ʃ ʒ tʃ dʒ k ɡ ŋ ɹ w j h".split()
RATES = (12, 15, 24, 25, 30, 60, 120, Fraction(24000, 1001))
FINE = 960  # frames a second, at which corners and speeds are looked for
LEAD = 0.04
HISSING = ("s", "z", "ʃ", "ʒ")
SIBILANT = (*HISSING, "tʃ", "dʒ")
FASTEST = np.where(np.isin(range(len(channels())), (PART, TEETH, TIP)), 30.0, 20.0)
CORNER = 3.0  # full ranges a second between neighbouring frames


def reading_of(
    sounds: list[tuple[str, float]], *, before: float = 0.5, gap: dict[int, float] | None = None,
    marks: tuple[Mark, ...] = (),
) -> Reading:  # fmt: skip
    """A word of (sound, seconds), with gaps before some of them."""
    phones, at = [], before
    for k, (name, length) in enumerate(sounds):
        at += (gap or {}).get(k, 0.0)
        phones.append(Phone(name, at, at + length, 1))
        at += length
    word = Word("x", phones[0].start, at, 1.0, tuple(phones)) if phones else None
    phrases = (Phrase("x", before, at, (word,)),) if word else ()
    return Reading("en", AudioInfo("x.wav", at + 1.0, 16000), phrases, marks)


def frames_in(start: float, end: float, fps: float, frames: int) -> range:
    """Frames within half a frame of a sound, as it is seen (a lead earlier)."""
    low = int(np.ceil((start - LEAD) * fps - 0.5 - 1e-9))
    high = int(np.floor((end - LEAD) * fps + 0.5 + 1e-9))
    return range(max(0, low), min(frames, high + 1))


def middle_frame(phone: Phone, fps: float) -> int:
    return round(((phone.start + phone.end) / 2 - LEAD) * fps)


def target(sound: str, part: int, channel: int, delivery: Delivery) -> float:
    """What a sound asks, or 0; for delivery without stress, loudness and jaw reach."""
    asked = gestures.gestures_of(sound)[part]
    scaled = asked.target[channel] * delivery.articulation * (asked.strength[channel] > 0)
    return float(np.clip(scaled, LOW[channel], TOP[channel]))


def broken(motion: Motion, reading: Reading, delivery: Delivery) -> list[str]:
    """Every promise that is broken, with the sound or channel where it is."""
    return [*_shown(motion, reading), *_parting(motion, reading), *_hissing(motion, reading),
            *_arriving(motion, reading, delivery), *_letting_go(motion, reading),
            *_exclusive(motion), *_resting(motion, reading, delivery), *_calm(motion)]  # fmt: skip


def _shown(motion: Motion, reading: Reading) -> list[str]:
    found = []
    for phone in reading.phones():
        near = frames_in(phone.start, phone.end, float(motion.fps), motion.frames)
        if phone.ipa in "pbm" and motion.channel("lips_part")[near].min() > 0.02:
            found.append(f"closure: {phone}")
        if phone.ipa in "fv" and motion.channel("lip_to_teeth")[near].max() < 0.9:
            found.append(f"teeth on lip: {phone}")
    return found


def _parting(motion: Motion, reading: Reading) -> list[str]:
    """Between two closures around a vowel, where a frame has room for it."""
    phones, found, fps = list(reading.phones()), [], float(motion.fps)
    for a, b, c in zip(phones, phones[1:], phones[2:], strict=False):
        closures = a.ipa in "pbm" and c.ipa in "pbm" and c.start - a.end < b.end - b.start + 1e-6
        if closures and gestures.is_vowel(b.ipa) and b.end - b.start > max(0.06, 2.1 / fps):
            near = range(int((a.start - LEAD) * fps), int((c.end - LEAD) * fps) + 2)
            if motion.channel("lips_part")[near].max() <= 0.05:
                found.append(f"parting: {b}")
    return found


def _hissing(motion: Motion, reading: Reading) -> list[str]:
    found, fps = [], float(motion.fps)
    for phone in reading.phones():
        if phone.ipa not in SIBILANT:
            continue
        own = frames_in(phone.start, phone.end, fps, motion.frames)
        if fps >= 24 and motion.channel("jaw_open")[own].min() > 0.2 + 1e-9:
            found.append(f"sibilant jaw: {phone}")
        middle = middle_frame(phone, fps)
        if fps >= 60 and motion.channel("jaw_open")[middle] > 0.2 + 1e-9:
            found.append(f"sibilant jaw, middle: {phone}")
        hisses = phone.ipa in HISSING and phone.end - phone.start >= 0.06
        if fps >= 24 and hisses and motion.channel("lips_part")[middle] < 0.12:
            found.append(f"hiss: {phone}")
    return found


def _arriving(motion: Motion, reading: Reading, delivery: Delivery) -> list[str]:
    """Long vowels, second parts and glides between sounds that leave them time."""
    phones, found, fps = list(reading.phones()), [], float(motion.fps)
    if fps < 24 or delivery.stress_follow or delivery.jaw_reach != 1 or delivery.pace != 1:
        return found
    for a, b, c in zip(phones, phones[1:], phones[2:], strict=False):
        length = b.end - b.start
        if min(a.end - a.start, c.end - c.start) < 0.035 or {a.ipa, c.ipa} & {"ɹ", "w"}:
            continue
        near = frames_in(b.start, b.end, fps, motion.frames)
        vowels = [gestures.is_vowel(x.ipa) for x in (a, b, c)]
        if vowels == [False, True, False]:
            wanted = [(0, near, 0.84)] if length >= 0.085 else []
            if length >= 0.165 and len(gestures.gestures_of(b.ipa)) == 2:
                wanted.append((1, frames_in(b.end - length / 3, b.end, fps, motion.frames), 0.79))
            for part, frames, share in wanted:
                for channel in (JAW, PART, ROUND, WIDE):
                    asked = target(b.ipa, part, channel, delivery)
                    if abs(asked) > 0.05 and (motion.values[frames, channel] / asked).max() < share:
                        found.append(f"arrival: {b} {channels()[channel].name} {part}")
        if b.ipa == "w" and length >= 0.05:
            strength = min(1.0, delivery.articulation)
            if motion.values[near, ROUND].max() < 0.85 * strength:
                found.append(f"glide: {b}")
    return found


def _letting_go(motion: Motion, reading: Reading) -> list[str]:
    """Lips unpressed in the middle of vowels, teeth off the lip between two /f v/."""
    phones, found, fps = list(reading.phones()), [], float(motion.fps)
    if fps < 60:
        return found
    for a, b, c in zip(phones, phones[1:], phones[2:], strict=False):
        row = motion.values[middle_frame(b, fps)]
        pressed = row[PRESS] >= 0.05 and b.end - b.start >= (0.06 if fps > 100 else 0.08)
        if gestures.is_vowel(b.ipa) and pressed:
            found.append(f"press: {b} {row[PRESS]:.3f}")
        between = a.ipa in "fv" and c.ipa in "fv" and gestures.is_vowel(b.ipa)
        if between and b.end - b.start >= 0.1 and row[TEETH] > 0.15:
            found.append(f"letting go: {b}")
    return found


def _exclusive(motion: Motion) -> list[str]:
    both = np.minimum(motion.values[:, WIDE], motion.values[:, ROUND]).max()
    return [f"spread and round: {both:.2f}"] if both > 0.3 else []


def _resting(motion: Motion, reading: Reading, delivery: Delivery) -> list[str]:
    phones = list(reading.phones())
    times = np.arange(motion.frames) / float(motion.fps) + LEAD
    settle, half = delivery.settle / 1000, 0.5 / float(motion.fps)  # a frame moves by half
    still = (times < phones[0].start - 0.15 - half) | (
        times > phones[-1].end + settle + 0.02 + half
    )
    for a, b in pairwise(phones):
        if b.start - a.end > 2 * settle + 0.01:
            still |= (times > a.end + settle + half) & (times < b.start - min(settle, 0.15) - half)
    found = [] if np.all(np.abs(motion.values[still]) < 1e-6) else ["rest"]
    for a, b in pairwise(phones):
        pause = frames_in(a.end, b.start, float(motion.fps), motion.frames)
        if b.start - a.end > 0.3 and motion.fps >= 60:
            still_there = np.abs(motion.values[pause]).max(1).min()
            found += [f"rest: crosses the pause after {a}"] if still_there > 0.02 else []
    return found


def _calm(motion: Motion) -> list[str]:
    found = [f"range: {c.name}" for k, c in enumerate(channels())
             if not np.all((motion.values[:, k] >= c.low) & (motion.values[:, k] <= c.high))]  # fmt: skip
    if motion.fps < FINE:
        return found
    speed = np.abs(np.diff(motion.values, axis=0)).max(0) * float(motion.fps) / (TOP - LOW)
    corner = np.abs(np.diff(motion.values, 2, axis=0)).max(0) * float(motion.fps) / (TOP - LOW)
    found += [
        f"calm: {c.name} {s:.1f}"
        for c, s, most in zip(channels(), speed, FASTEST, strict=True)
        if s > most
    ]
    found += [
        f"corner: {c.name} {j:.1f}" for c, j in zip(channels(), corner, strict=True) if j > CORNER
    ]
    return found
