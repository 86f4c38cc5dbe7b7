"""How many planted faults Proof finds, and how much it finds in lines without: `proof_trial.py PRODUCTION [LINES]`.

The production's lines should be good ones that nobody tuned anything on; faults are planted in each by script.
"""

from __future__ import annotations

import random
import sys
import tempfile
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import msgspec
import numpy as np
import soundfile

sys.path.insert(0, str(Path(__file__).parents[1]))
from glyphos.motion.curve import Motion
from glyphos.motion.mood import MoodSpan
from glyphos.production.documents import Line, Recorded
from glyphos.production.performed import motion_of
from glyphos.production.production import Production
from glyphos.proof.proofing import proofed
from glyphos.proof.subject import is_vowel

FPS = Fraction(24)
Plant = Callable[[Line, Motion, random.Random], "tuple[Line, Motion | None] | None"]


def words(line: Line, change) -> Line:  # type: ignore[no-untyped-def]
    number, phrases = 0, []
    for phrase in line.reading.phrases:
        own = []
        for word in phrase.words:
            if (made := change(number, word)) is not None:
                own.append(made)
            number += 1
        if own:
            phrases.append(msgspec.structs.replace(phrase, words=tuple(own)))
    return msgspec.structs.replace(line, reading=msgspec.structs.replace(line.reading, phrases=tuple(phrases)))  # fmt: skip


def curves(motion: Motion, **change: object) -> Motion:
    values = motion.values.copy()
    for name, curve in change.items():
        values[:, motion.names.index(name)] = curve
    return replace(motion, values=values)


def uncovered(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    every = list(line.reading.words())
    long = [k for k in range(1, len(every) - 2) if every[k + 1].end - every[k].start > 0.6]
    if not long:
        return None
    k = draw.choice(long)
    return words(line, lambda n, w: None if n in (k, k + 1) else w), None


def silent(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    first = next(line.reading.words())
    if first.start < 0.16:
        return None
    long = min(0.14, first.start - 0.02)

    def moved(n, w):  # type: ignore[no-untyped-def]
        if n:
            return w
        step = long / len(w.phones)
        phones = tuple(msgspec.structs.replace(p, start=0.01 + k * step, end=0.01 + (k + 1) * step) for k, p in enumerate(w.phones))  # fmt: skip
        return msgspec.structs.replace(w, start=0.01, end=0.01 + long, phones=phones)

    return words(line, moved), None


def odd(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    every = [w for w in line.reading.words() if any(not is_vowel(p.ipa) for p in w.phones)]
    word = draw.choice(every)
    k = next(k for k, p in enumerate(word.phones) if not is_vowel(p.ipa))

    def long(n, w):  # type: ignore[no-untyped-def]
        if w != word:
            return w
        phones = list(w.phones)
        phones[k] = msgspec.structs.replace(phones[k], end=phones[k].start + 0.55)
        return msgspec.structs.replace(w, phones=tuple(phones))

    return words(line, long), None


def rescripted(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    said = line.script.split()
    said.insert(draw.randrange(1, len(said)), "umbrella")
    return msgspec.structs.replace(line, script=" ".join(said)), None


def other_tongue(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    unsure = words(line, lambda n, w: msgspec.structs.replace(w, confidence=0.1))
    return msgspec.structs.replace(unsure, language="it"), None


def still(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    phrase = max(line.reading.phrases, key=lambda p: p.end - p.start)
    a, b = (int(t * 24) for t in (phrase.start, phrase.end))
    values = motion.values.copy()
    values[a : b + 1] = values[a]
    return line, replace(motion, values=values)


def shut(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    return line, curves(motion, lips_part=0.0)


def opened(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    every = list(line.reading.words())
    gaps = [b.start - a.end for a, b in pairwise(every)]
    if max([*gaps, every[0].start, line.reading.audio.duration - every[-1].end]) < 1.25:
        return None
    return line, curves(motion, lips_part=np.maximum(motion.channel("lips_part"), 0.35))


def unclosed(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    if not any(p.ipa[:1] in ("p", "b", "m") for p in line.reading.phones()):
        return None
    return line, curves(motion, lips_part=np.maximum(motion.channel("lips_part"), 0.1))


def shaken(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    own = motion.channel("jaw_open").copy()
    at = draw.randrange(2, motion.frames - 14)
    own[at : at + 12] = np.clip(own[at : at + 12] + 0.09 * (-1) ** np.arange(12), 0, 1)
    own[at : at + 12] = own[at : at + 12].mean() + 0.07 * (-1) ** np.arange(12)
    return line, curves(motion, jaw_open=own)


def short(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    return line, replace(motion, values=motion.values[: -draw.randrange(4, 20)])


def longer(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    return line, replace(motion, values=np.pad(motion.values, ((0, draw.randrange(4, 20)), (0, 0))))


def late(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    return line, replace(motion, values=np.roll(motion.values, draw.choice((3, 4, 5)), axis=0))


def early(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    return line, replace(motion, values=np.roll(motion.values, -draw.choice((5, 6, 7)), axis=0))


def overlapping(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    two = (MoodSpan("joy", 0.2, 2.5, 0.9), MoodSpan("fear", 0.6, 3.0, 0.8))
    return msgspec.structs.replace(line, moods=two), motion


def away(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    return msgspec.structs.replace(line, recorded=(Recorded("layers/none.csv"),)), motion


def unread(line: Line, motion: Motion, draw: random.Random):  # type: ignore[no-untyped-def]
    return msgspec.structs.replace(line, reading=None), None


PLANTS: dict[str, tuple[str, Plant]] = {
    "speech without words": ("uncovered-speech", uncovered), "words over silence": ("word-over-silence", silent),
    "a sound of 0.55 s": ("odd-length", odd), "another script": ("script-disagrees", rescripted),
    "another language": ("wrong-language", other_tongue), "a still mouth": ("still-mouth", still),
    "shut lips": ("shut-vowel", shut), "open in a pause": ("open-in-silence", opened),
    "lips that do not close": ("unseen-closure", unclosed), "jitter": ("jitter", shaken), "too short": ("length", short),
    "too long": ("length", longer), "late": ("late", late), "early": ("late", early),
    "moods at once": ("moods-overlap", overlapping), "missing curves": ("missing-layer", away),
    "not listened to": ("not-listened", unread),
}  # fmt: skip


def sounds(production: Production, line: Line, draw: random.Random, folder: Path) -> Counter[str]:
    """Faults of the recording itself: cut in its last word, noise over it, gone."""
    found: Counter[str] = Counter()
    samples, rate = soundfile.read(production.audio_path(line), dtype="float32")
    path = folder / "line.wav"
    there = msgspec.structs.replace(line, audio=str(path))
    last = list(line.reading.words())[-1]
    end = (last.start + last.end) / 2
    soundfile.write(path, samples[: int(end * rate)], rate)
    info = msgspec.structs.replace(line.reading.audio, duration=end)
    cut = words(there, lambda n, w: msgspec.structs.replace(w, end=end) if w == last else w)
    cut = msgspec.structs.replace(cut, reading=msgspec.structs.replace(cut.reading, audio=info))
    vowel = is_vowel(next(p.ipa for p in last.phones if p.end >= end))
    if vowel:  # of a stop nothing is heard where it is cut
        found["a cut end"] = any(f.check == "cut-off" for f in proofed(cut, production, FPS))
    noise = 10 ** (-7 / 20) * np.sqrt((samples**2).mean()) * np.random.default_rng(1).standard_normal(len(samples))  # fmt: skip
    soundfile.write(path, np.clip(samples + noise, -1, 1), rate)
    found["noise"] = any(f.check == "recording" for f in proofed(there, production, FPS))
    path.unlink()
    found["a missing recording"] = any(f.check == "missing-recording" for f in proofed(there, production, FPS))  # fmt: skip
    return Counter({k: int(v) for k, v in found.items()})


def main() -> None:
    production = Production.open(sys.argv[1])
    every = [x for x in production.lines if x.reading is not None]
    most = int(sys.argv[2]) if len(sys.argv) > 2 else 60
    lines = every[:: max(1, len(every) // most)][:most]
    draw = random.Random(1)
    planted: Counter[str] = Counter()
    found: Counter[str] = Counter()
    false: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        for line in lines:
            false.update(f.check for f in proofed(line, production, FPS))
            motion = motion_of(line, production.audio_path(line), FPS, production.folder)
            for name, (check, plant) in PLANTS.items():
                if (made := plant(line, motion, draw)) is None:
                    continue
                planted[name] += 1
                found[name] += any(f.check == check for f in proofed(made[0], production, FPS, motion=made[1]))  # fmt: skip
            heard = sounds(production, line, draw, Path(folder))
            planted.update(heard.keys())
            found.update(heard)
    for name in planted:
        print(f"  {name}: {found[name]} of {planted[name]}")
    minutes = sum(x.reading.audio.duration for x in lines) / 60
    print(
        f"planted faults found: {sum(found.values()) / sum(planted.values()):.1%} of {sum(planted.values())}"
    )
    print(f"found in {minutes:.1f} minutes without any: {sum(false.values())} ({sum(false.values()) / minutes:.1f} a minute) {dict(false)}")  # fmt: skip


if __name__ == "__main__":
    main()
