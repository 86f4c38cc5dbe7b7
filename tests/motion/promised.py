"""What the motion promises, each as a check that says where it is broken."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

import numpy as np

from glyphos.motion import gestures
from glyphos.motion.channels import channels, index
from glyphos.motion.curve import Motion
from glyphos.motion.delivery import Delivery
from glyphos.speech.reading import AudioInfo, Mark, Phone, Phrase, Reading, Word

TABLE = (
    "ɑ æ ʌ ə ɔ ɛ ɪ i ʊ u ɝ aʊ aɪ eɪ oʊ ɔɪ p b m f v θ ð t d n l s z ʃ ʒ tʃ dʒ k ɡ ŋ ɹ w j h".split()
)
RATES = (12, 24, 25, 30, 60, 120, Fraction(24000, 1001))
LEAD = 0.04
HISSING = ("s", "z", "ʃ", "ʒ", "tʃ", "dʒ")
FASTEST = 25.0  # full ranges a second
ARRIVED = 0.84  # of a vowel's target


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


def broken(motion: Motion, reading: Reading, delivery: Delivery) -> list[str]:
    """Every promise that is broken, with the sound or channel where it is."""
    return [*_shown(motion, reading), *_parting(motion, reading), *_hissing(motion, reading),
            *_arriving(motion, reading, delivery), *_resting(motion, reading, delivery), *_calm(motion)]  # fmt: skip


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
        if closures and gestures.is_vowel(b.ipa) and b.end - b.start > 2.1 / fps:
            near = range(int((a.start - LEAD) * fps), int((c.end - LEAD) * fps) + 2)
            if motion.channel("lips_part")[near].max() <= 0.03:
                found.append(f"parting: {b}")
    return found


def _hissing(motion: Motion, reading: Reading) -> list[str]:
    jaw = motion.channel("jaw_open")
    middles = [(p, round(((p.start + p.end) / 2 - LEAD) * float(motion.fps)))
               for p in reading.phones() if p.ipa in HISSING]  # fmt: skip
    return [f"sibilant jaw: {p}" for p, frame in middles if jaw[frame] > 0.2 + 1e-9]


def _arriving(motion: Motion, reading: Reading, delivery: Delivery) -> list[str]:
    """Long vowels between sounds that ask nothing of the jaw."""
    phones, found = list(reading.phones()), []
    if motion.fps < 24 or delivery.stress_follow or delivery.jaw_reach != 1:
        return found
    for a, b, c in zip(phones, phones[1:], phones[2:], strict=False):
        easy = a.ipa in "tdnl" and c.ipa in "tdnl"
        if not easy or b.ipa not in ("ɑ", "æ", "i", "u", "ɛ", "ɔ") or b.end - b.start < 0.085:
            continue
        near = frames_in(b.start, b.end, float(motion.fps), motion.frames)
        wanted = gestures.gestures_of(b.ipa)[0]
        for name in ("jaw_open", "lips_round"):
            target = min(1.0, wanted.target[index(name)] * delivery.articulation)
            if motion.channel(name)[near].max() < ARRIVED * target:
                found.append(f"arrival: {b} {name}")
    return found


def _resting(motion: Motion, reading: Reading, delivery: Delivery) -> list[str]:
    phones = list(reading.phones())
    times = np.arange(motion.frames) / float(motion.fps) + LEAD
    settle = delivery.settle / 1000
    still = (times < phones[0].start - 0.15) | (times > phones[-1].end + settle + 0.02)
    for a, b in pairwise(phones):
        if b.start - a.end > 2 * settle + 0.01:
            still |= (times > a.end + settle) & (times < b.start - min(settle, 0.15))
    return [] if np.all(np.abs(motion.values[still]) < 1e-6) else ["rest"]


def _calm(motion: Motion) -> list[str]:
    found = []
    for channel in channels():
        curve = motion.channel(channel.name)
        if not np.all((curve >= channel.low) & (curve <= channel.high)):
            found.append(f"range: {channel.name}")
        speed = np.abs(np.diff(curve)).max() * float(motion.fps) / (channel.high - channel.low)
        if speed > FASTEST:
            found.append(f"calm: {channel.name} {speed:.0f}")
    return found
