"""Accents: syllables that stand out in pitch, loudness and length among the stressed ones of their phrase.

Weights were fitted to 1,100 words that the scripts of 700 acted lines ask to be stressed, by writing them in capitals:
as many accents as before find 79 instead of 74 % of them. The last word of a phrase carries its accent more often than
not (nuclear stress: Chomsky & Halle 1968), the first one seldom.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .boundaries import Breath, voiced_in
from .pitch import Array
from .ranks import median, percentile
from .syllables import Key, Syllable, Token, lengths_of

NEEDED = 0.67  # score of an accent
APART = 0.22  # seconds within which only the stronger of two is one
PITCH, LOUD, LONG = 0.60, 0.40, 0.35  # weights
STRESSED = {1: 0.35, 2: 0.05}  # of the dictionary
UNSTRESSED, EMPTY, FIRST, LAST, WRITTEN = -0.5, -0.5, -0.4, 0.5, 0.5


@dataclass(frozen=True)
class Accent:
    """time: where it is strongest; start: of its syllable; strength 0..1; pitch, loud, long: what spoke
    for it, in deviations from its phrase."""

    time: float
    start: float
    vowel: tuple[float, float]
    word: str
    key: Key
    strength: float
    pitch: float
    loud: float
    long: float


def find_accents(
    words: Sequence[Token], syllables: Sequence[Syllable], breaths: Sequence[Breath], times: Array,
    semitones: Array, level: Array, spread: float,
) -> tuple[Accent, ...]:  # fmt: skip
    """The accents of a line. spread: of the speaker's pitch, semitones."""
    count = len(syllables)
    if not count:
        return ()
    peak, rise, loud, when = _measured(syllables, times, semitones, level)
    long = lengths_of(syllables)
    score = np.full(count, -9.0)
    parts = np.zeros((count, 3))
    owner = np.array([s.word for s in syllables])
    for breath in breaths:
        own = np.flatnonzero((owner >= breath.first) & (owner <= breath.last))
        if len(own):
            starts = np.array([syllables[k].vowel[0] for k in own.tolist()])
            parts[own] = _standing_out(starts, peak[own], rise[own], loud[own], long[own], spread)
            for k in own.tolist():
                given = STRESSED.get(syllables[k].stress, UNSTRESSED)
                given += _expected(words[owner[k]], int(owner[k]), breath)
                pitch, strong, lasting = parts[k].tolist()
                score[k] = (
                    PITCH * min(max(pitch, -2.5), 2.5) + LOUD * strong + LONG * lasting + given
                )
    made = []
    for k, s in enumerate(syllables):
        near = [
            score[j] for j in range(max(0, k - 2), min(count, k + 3))
            if j != k and abs(syllables[j].vowel[0] - s.vowel[0]) < APART
        ]  # fmt: skip
        if score[k] < NEEDED or (near and score[k] < max(near)):
            continue
        word = words[s.word]
        strength = float(1 / (1 + np.exp(-2.2 * (score[k] - 1.05))))
        made.append(
            Accent(
                float(when[k]), s.start, s.vowel, word.text, word.key, strength, *parts[k].tolist()
            )
        )
    return tuple(made)


def _expected(word: Token, number: int, breath: Breath) -> float:
    """What speaks for an accent on a word, whatever the voice does."""
    alone = breath.first == breath.last
    place = 0.0 if alone else FIRST * (number == breath.first) + LAST * (number == breath.last)
    return EMPTY * word.empty + place + WRITTEN * word.emphasised


def _measured(
    syllables: Sequence[Syllable], times: Array, semitones: Array, level: Array
) -> tuple[Array, Array, Array, Array]:  # fmt: skip
    """Of every syllable: its peak of pitch, the rise to it, its loudness, where the peak is."""
    peak, rise, loud, when = (np.full(len(syllables), np.nan) for _ in range(4))
    power = 10 ** (level / 10)
    for k, s in enumerate(syllables):
        own, at = voiced_in(times, semitones, s.vowel[0] - 0.02, s.vowel[1] + 0.04)
        before, _ = voiced_in(times, semitones, s.start - 0.18, s.vowel[0] + 0.02)
        a, b = np.searchsorted(times, [s.vowel[0], max(s.vowel[1], s.vowel[0] + 0.03)])
        if b > a:
            loud[k] = 10 * np.log10(np.mean(power[a:b]))
        if len(own) >= 3:
            peak[k] = percentile(own, 90)
            when[k] = at[int(np.argmin(np.abs(own - peak[k])))]
            rise[k] = peak[k] - percentile(before, 15) if len(before) > 2 else 0.0
        else:
            when[k] = (s.vowel[0] + s.vowel[1]) / 2
    return peak, rise, loud, when


def _standing_out(
    starts: Array, peak: Array, rise: Array, loud: Array, long: Array, spread: float
) -> Array:  # fmt: skip
    """(syllables, 3) of one phrase: pitch above its falling line, loudness, length."""
    there = np.isfinite(peak)
    if there.sum() >= 4:  # declination: a line through the peaks that falls, if at all
        slope = float(np.clip(np.polyfit(starts[there], peak[there], 1)[0], -3.0, 0.0))
        above = peak - (slope * starts + median(peak[there] - slope * starts[there]))
    else:
        above = peak - (median(peak[there]) if there.any() else 0.0)
    scale = max(1.2, spread / 4)
    pitch = 0.6 * np.nan_to_num(above, nan=-1.0) / scale + 0.4 * (np.nan_to_num(rise) - 1.0) / scale
    heard = np.isfinite(loud)
    usual = median(loud[heard]) if heard.any() else 0.0
    strong = np.clip(np.nan_to_num(loud - usual) / 3.5, -2.5, 2.5)
    lasting = np.clip(long, -2.0, 2.0)
    lasting[-1] -= 0.8  # the last syllable is long anyway
    return np.stack([pitch, strong, lasting], 1)
