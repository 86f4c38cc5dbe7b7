"""Suggestions from the voice: stretches that are clearly calmer, livelier, tenser, lower or brighter than
the rest (Scherer 2003; Juslin & Laukka 2003), with what spoke for each. Never applied unasked."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from .pitch import HOP, Array
from .voice import Voice

NAMES = ("loudness", "mean pitch", "pitch range", "brightness", "rate")
UNITS = (
    "{:+.0f} dB",
    "{:+.1f} semitones",
    "{:+.1f} semitones",
    "{:+.0f} dB",
    "{:+.1f} syllables a second",
)
SCALE = np.array([3.5, 2.0, 2.5, 3.0, 1.2])  # one “clearly different” of each (by ear)
KINDS = {
    "lively": (0.35, 0.30, 0.40, 0.10, 0.35), "tense": (0.45, 0.25, -0.10, 0.60, 0.15),
    "bright": (-0.05, 0.60, 0.40, 0.25, 0.0), "low": (-0.30, -0.60, -0.35, -0.15, -0.25),
    "calm": (-0.50, -0.10, -0.25, -0.45, -0.25),
}  # fmt: skip
MOODS = {"lively": "joy", "tense": "anger", "bright": "tenderness", "low": "sadness", "calm": ""}
NEEDED = 0.70  # score of a suggestion
SHORT, FEW = (
    1.2,
    4,
)  # seconds of a stretch at least; stretches from which a line tells what is usual
NEAR = 0.8  # seconds between two of a kind that are one


@dataclass(frozen=True)
class Suggestion:
    """A stretch that sounds like `kind`, the mood that would go with it ("" for none), how strongly, and
    what spoke for it in words."""

    kind: str
    start: float
    end: float
    strength: float
    reasons: tuple[str, ...]

    @property
    def mood(self) -> str:
        return MOODS[self.kind]


def suggest(voice: Voice, usual: Array | None = None) -> list[Suggestion]:
    """What a voice suggests. usual: features of the speaker from other lines; else the line's own median,
    if it has enough stretches to tell."""
    found = [(a, b, f) for a, b in _stretches(voice) if (f := features(voice, a, b)) is not None]
    if usual is None:
        if len(found) < FEW:
            return []
        usual = np.median([f for _, _, f in found], axis=0)
    made: list[Suggestion] = []
    for start, end, own in found:
        off = own - usual
        x = np.clip(off / SCALE, -2.5, 2.5)
        score = {k: float(np.dot(w, x) / np.linalg.norm(w)) for k, w in KINDS.items()}
        kind = max(score, key=lambda k: score[k])
        if score[kind] < NEEDED:
            continue
        part = np.array(KINDS[kind]) * x
        why = tuple(
            f"{NAMES[j]} " + UNITS[j].format(off[j])
            for j in np.argsort(-part)[:3].tolist()
            if part[j] > 0.12
        )
        new = Suggestion(kind, start, end, min(1.0, 0.35 + 0.35 * score[kind]), why)
        if made and made[-1].kind == kind and start - made[-1].end < NEAR:
            made[-1] = replace(made[-1], end=end, strength=max(made[-1].strength, new.strength))
        else:
            made.append(new)
    return made


def _stretches(voice: Voice) -> list[tuple[float, float]]:
    """Breaths, short ones together with the next."""
    made: list[tuple[float, float]] = []
    for b in voice.breaths:
        if made and made[-1][1] - made[-1][0] < SHORT:
            made[-1] = (made[-1][0], b.end)
        else:
            made.append((b.start, b.end))
    return made


def features(voice: Voice, start: float, end: float) -> Array | None:
    """Loudness, mean and range of pitch, brightness, rate of a stretch; None where there is too little."""
    inside = (voice.times >= start) & (voice.times < end)
    voiced, spoken = inside & voice.voiced, inside & voice.speech
    if voiced.sum() < 12 or spoken.sum() < 30:
        return None
    loud = 10 * np.log10(np.mean(10 ** (voice.level[spoken] / 10)))
    low, high = np.percentile(voice.semitones[voiced], [10, 90])
    count = sum(start <= s.vowel[0] < end for s in voice.syllables)
    rate = count / max(0.3, float(spoken.sum()) * HOP)
    return np.array(
        [loud, voice.semitones[voiced].mean(), high - low, np.nanmean(voice.tilt[voiced]), rate]
    )
