"""Where phrases end in the voice: by pause, punctuation, a long last vowel, a jump of pitch after it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from .pitch import Array
from .ranks import median
from .syllables import Key, Syllable, Token, lengths_of

PAUSE = 0.15  # seconds, from which a gap is a pause
LEAST = 0.38  # strength of a boundary (weights by ear)
RISE = 1.5  # semitones over the last 300 ms, from which a phrase rises or falls


@dataclass(frozen=True)
class Boundary:
    """time: end of the last word before it; next: start of the first word after it; strength 0..1;
    move: semitones over the last voiced 300 ms."""

    time: float
    next: float
    strength: float
    key: Key
    move: float
    kind: Literal["rise", "fall", "level"]
    mark: str


@dataclass(frozen=True)
class Breath:
    """Words that are said in one go: from `start` to `end`, by their numbers, and the mark at its end."""

    start: float
    end: float
    first: int
    last: int
    mark: str


def voiced_in(times: Array, semitones: Array, start: float, end: float) -> tuple[Array, Array]:
    """Semitones of the voiced frames of a stretch, and their times."""
    a, b = np.searchsorted(times, [start, end])
    own = semitones[a:b]
    there = np.isfinite(own)
    return own[there], times[a:b][there]


def find_boundaries(
    words: Sequence[Token], syllables: Sequence[Syllable], times: Array, semitones: Array, duration: float
) -> tuple[tuple[Boundary, ...], tuple[Breath, ...], tuple[tuple[float, float], ...]]:  # fmt: skip
    """Boundaries, the breaths that they end, and pauses between words."""
    last_vowel = {s.word: z for s, z in zip(syllables, lengths_of(syllables).tolist(), strict=True)}
    boundaries: list[Boundary] = []
    breaths: list[Breath] = []
    pauses: list[tuple[float, float]] = []
    first = 0
    for k, word in enumerate(words):
        ends = k + 1 == len(words)
        following = duration if ends else words[k + 1].start
        gap = following - word.end
        if gap >= PAUSE and not ends:
            pauses.append((word.end, following))
        before, _ = voiced_in(times, semitones, word.end - 0.35, word.end)
        after, _ = voiced_in(times, semitones, following, following + 0.35)
        jump = (
            median(after) - median(before)
            if len(before) > 4 and len(after) > 4 and not ends
            else 0.0
        )
        mark = {"": 0.0, ",": 0.25}.get(word.mark, 0.45)
        strength = (
            mark
            + 0.5 * min(1.0, gap / 0.5)
            + 0.12 * min(2.0, max(0.0, last_vowel.get(k, 0.0)))
            + 0.04 * min(5.0, max(0.0, jump))
        )
        strength = 1.0 if ends else min(1.0, strength)
        if strength < LEAST or (not ends and gap < 0.06 and mark < 0.4):
            continue
        move = _move(times, semitones, word.end)
        kind: Literal["rise", "fall", "level"] = (
            "rise" if move > RISE else "fall" if move < -RISE else "level"
        )
        boundaries.append(Boundary(word.end, following, strength, word.key, move, kind, word.mark))
        breaths.append(Breath(words[first].start, word.end, first, k, word.mark))
        first = k + 1
    return tuple(boundaries), tuple(breaths), tuple(pauses)


def _move(times: Array, semitones: Array, end: float) -> float:
    """Semitones from the beginning to the end of the last voiced 300 ms."""
    own, at = voiced_in(times, semitones, end - 0.9, end + 0.05)
    if len(own) <= 8:
        return 0.0
    last = own[at > at[-1] - 0.30]
    few = max(2, len(last) // 4)
    return median(last[-few:]) - median(last[:few])
