"""How something is said: pitch, loudness, brightness, rate, pauses, boundaries and accents of a line.

Everything is measured against the speaker and the line: semitones from the speaker's own median,
decibels from the line's own level of speech.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..filters import gaussian, running_median
from ..speech.reading import Reading
from .accents import Accent, find_accents
from .boundaries import Boundary, Breath, find_boundaries
from .heard import heard_in
from .pitch import HOP, RATE, Array
from .syllables import Syllable, Token, syllables_of, tokens_of

VOICED = 32.0  # dB under the loud frames, within which a frame may be voiced
RATE_AROUND = 0.35  # seconds, deviation of the window in which syllables are counted
USUAL = 150.0  # Hz, of a speaker without a voiced frame


@dataclass(frozen=True)
class Voice:
    """Curves every HOP seconds (frames,): hertz (0 unvoiced), semitones (NaN unvoiced), level (dB),
    tilt (dB, brighter is more), rate (syllables a second), speech (inside a word).

    median: of the speaker, Hz. spread: 10th to 90th percentile of semitones.
    """

    duration: float
    hertz: Array
    semitones: Array
    level: Array
    tilt: Array
    rate: Array
    speech: np.ndarray
    median: float
    floor: float
    ceiling: float
    spread: float
    words: tuple[Token, ...] = ()
    syllables: tuple[Syllable, ...] = ()
    breaths: tuple[Breath, ...] = ()
    boundaries: tuple[Boundary, ...] = ()
    pauses: tuple[tuple[float, float], ...] = ()

    @cached_property
    def accents(self) -> tuple[Accent, ...]:
        """Accented syllables, found when somebody asks for them."""
        return find_accents(
            self.words, self.syllables, self.breaths, self.times, self.semitones, self.level, self.spread
        )  # fmt: skip

    @property
    def times(self) -> Array:
        return _times(len(self.hertz))

    @property
    def voiced(self) -> np.ndarray:
        return self.hertz > 0

    def follow(self, curve: Array, cut: float = 1.5) -> Array:
        """A curve that is there in voiced frames only, bridged and slow (under `cut` Hz)."""
        there = np.isfinite(curve)
        if there.sum() < 2:
            return np.zeros(len(curve))
        whole = np.interp(self.times, self.times[there], curve[there])
        return np.asarray(gaussian(whole, 0.1325 / cut / HOP))


def analyse(
    samples: Array, reading: Reading, speaker: tuple[float, float, float] | None = None
) -> Voice:  # fmt: skip
    """The voice of a line. samples: mono at RATE. speaker: median, floor and ceiling in Hz, if they
    are known from other lines. Works without words, too: then there are no accents."""
    heard = heard_in(samples, *(speaker[1:] if speaker else ()))
    pitch, level, high, low = heard.pitch, heard.level, heard.high, heard.low
    frames = len(pitch.hertz)
    voiced = (pitch.hertz > 0) & (level > np.percentile(level, 95) - VOICED)
    hertz, voiced = _tidy(pitch.hertz, voiced)
    words = tokens_of(reading)
    times = _times(frames)
    speech = np.zeros(frames, bool)
    for word in words:
        speech[int(np.ceil(word.start / HOP - 1e-9)) : int(np.ceil(word.end / HOP - 1e-9))] = True
    loud = level[speech] if speech.any() else level[voiced] if voiced.any() else level
    level = level - 10 * np.log10(np.mean(10 ** (loud / 10)))
    median = speaker[0] if speaker else float(np.median(hertz[voiced])) if voiced.any() else USUAL
    semitones: Array = np.asarray(
        np.where(voiced, 12 * np.log2(np.maximum(hertz, 1.0) / median), np.nan)
    )
    tilt = np.where(voiced, 10 * np.log10((high + 1e-9) / (low + 1e-9)), np.nan)
    if voiced.any():
        tilt = tilt - np.nanmedian(tilt)
    syllables = syllables_of(words)
    spread = (
        float(np.subtract(*np.percentile(semitones[voiced], [90, 10])))
        if voiced.sum() > 20
        else 4.0
    )
    duration = heard.count / RATE
    boundaries, breaths, pauses = find_boundaries(words, syllables, times, semitones, duration)
    return Voice(
        duration, np.where(voiced, hertz, 0.0), semitones, level, tilt, _rate(syllables, speech), speech, median,
        pitch.floor, pitch.ceiling, spread, words, syllables, breaths, boundaries, pauses,
    )  # fmt: skip


def silence(seconds: float) -> Voice:
    """The voice of somebody who says nothing for so long, as `analyse` has it."""
    frames = int(seconds / HOP) + 1
    zeros, nothing, never = np.zeros(frames), np.full(frames, np.nan), np.zeros(frames, bool)
    return Voice(
        seconds, zeros, nothing, zeros, nothing, zeros, never, USUAL, USUAL / 2, 2 * USUAL, 4.0
    )


def _times(frames: int) -> Array:
    return np.asarray(np.arange(frames) * HOP, np.float64)


def _tidy(hertz: Array, voiced: np.ndarray) -> tuple[Array, np.ndarray]:
    """Octave slips (8.5 to 16 semitones off a median of 0.6 s) folded back; stretches under 30 ms
    dropped."""
    hertz, voiced = hertz.copy(), voiced.copy()
    there = np.flatnonzero(voiced)
    if len(there) > 5:
        octave = 12 * np.log2(hertz[there])
        off = octave - running_median(octave, 61)
        for sign in (1, -1):
            slip = (sign * off > 8.5) & (sign * off < 16)
            hertz[there[slip]] *= 2.0**-sign
    edges = np.flatnonzero(np.diff(np.concatenate(([0], voiced.astype(np.int8), [0])))).reshape(
        -1, 2
    )
    for a, b in edges.tolist():
        if b - a < 3:
            voiced[a:b] = False
    return hertz, voiced


def _rate(syllables: tuple[Syllable, ...], speech: np.ndarray) -> Array:
    """Syllables a second of speech, about a second around every frame."""
    beats = np.zeros(len(speech))
    for s in syllables:
        beats[min(len(beats) - 1, int((s.vowel[0] + s.vowel[1]) / 2 / HOP))] += 1
    dense = gaussian(beats, RATE_AROUND / HOP, "constant")
    part = gaussian(speech.astype(float), RATE_AROUND / HOP, "constant")
    return np.where(part > 0.05, dense / np.maximum(part, 0.05) / HOP, 0.0)
