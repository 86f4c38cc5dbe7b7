"""Words with their places and marks, and their syllables."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from ..speech.reading import Phone, Phrase, Reading
from ..tables import rows
from .pitch import Array

VOWELS = frozenset("ɑ æ ʌ ə ɔ ɛ ɪ i ʊ u ɝ ɚ e o aʊ aɪ eɪ oʊ ɔɪ a y ø œ ɒ ɐ ɨ ɜ".split())
ONSET = 2  # consonants that a syllable takes from before its vowel, at most
MARKS = ",;:.?!…"
SET_OFF = re.compile(r"(?<![\w*_])([*_]+)(?=\S)(.+?)(?<=\S)\1(?![\w*_])")  # between stars or lines
Key = tuple[int, int]  # phrase, word in it: a place that stays when timing is corrected


@dataclass(frozen=True)
class Token:
    """A word: its text, seconds, key, and the mark of punctuation behind it. emphasised: whether its script asks for
    it, in CAPITALS among others or between *stars* or _lines_."""

    text: str
    start: float
    end: float
    key: Key
    mark: str
    phones: tuple[Phone, ...]
    emphasised: bool = False

    @property
    def empty(self) -> bool:
        """Whether it is a word without meaning of its own, which is accented only if the voice insists."""
        return self.text.lower() in _function_words()


@dataclass(frozen=True)
class Syllable:
    """A vowel and the consonants before it. word: number of the word; stress: of the dictionary."""

    word: int
    start: float
    vowel: tuple[float, float]
    ipa: str
    stress: int


@cache
def _function_words() -> frozenset[str]:
    return frozenset(w for row in rows("function_words.csv") for w in row["words"].split(";"))


def tokens_of(reading: Reading) -> tuple[Token, ...]:
    """All words of a reading, with the marks that stand behind them in its text."""
    made: list[Token] = []
    usual = [
        w.text for w in reading.words() if len(w.text) > 1 and w.text.upper() != w.text.lower()
    ]
    loud = sum(map(str.isupper, usual)) * 2 <= len(usual)  # else all of it is in capitals
    for number, phrase in enumerate(reading.phrases):
        marks, starred = _marks(phrase)
        made += [
            Token(w.text, w.start, w.end, (number, k), marks[k], w.phones,
                  starred[k] or (loud and len(w.text) > 1 and w.text.isupper()))
            for k, w in enumerate(phrase.words)
        ]  # fmt: skip
    return tuple(made)


def _marks(phrase: Phrase) -> tuple[list[str], list[bool]]:
    """The mark behind each word, and whether it is set off, found by walking through the phrase's text."""
    written = [(t.start(), t[0].lower()) for t in re.finditer(r"\S+", phrase.text)]
    set_off = [found.span() for found in SET_OFF.finditer(phrase.text)]
    marks, at = [""] * len(phrase.words), 0
    starred = [False] * len(phrase.words)
    for k, word in enumerate(phrase.words):
        for j in range(at, min(at + 3, len(written))):
            first, text = written[j]
            if word.text.lower() in text:
                tail = text.rstrip("\"')»”*_")[-1:]
                marks[k], at = (tail if tail in MARKS else ""), j + 1
                middle = first + text.index(word.text.lower())
                starred[k] = any(start <= middle < end for start, end in set_off)
                break
    last = phrase.text.rstrip("\"')»”*_ ")[-1:]
    if marks and last and last in MARKS:
        marks[-1] = last
    return marks, starred


def syllables_of(words: Sequence[Token]) -> tuple[Syllable, ...]:
    """Every vowel with up to ONSET consonants before it in its word."""
    made = []
    for number, word in enumerate(words):
        last = -1
        for k, phone in enumerate(word.phones):
            if phone.ipa.strip("ːˑ̃") not in VOWELS:
                continue
            a = k
            while a - 1 > last and k - a < ONSET and word.phones[a - 1].ipa not in VOWELS:
                a -= 1
            made.append(
                Syllable(
                    number, word.phones[a].start, (phone.start, phone.end), phone.ipa, phone.stress
                )
            )
            last = k
    return tuple(made)


def lengths_of(syllables: Sequence[Syllable]) -> Array:
    """Length of each vowel against the same vowel in this line (shrunk towards all), in standard
    deviations of log length."""
    if not syllables:
        return np.zeros(0)
    long = np.log(np.maximum([s.vowel[1] - s.vowel[0] for s in syllables], 0.02))
    kinds = np.array([s.ipa for s in syllables])
    mean, deviation = long.mean(), max(0.2, float(long.std()))
    made = np.empty(len(long))
    for kind in set(kinds.tolist()):
        own = kinds == kind
        made[own] = long[own] - (long[own].sum() + 3 * mean) / (own.sum() + 3)
    return np.asarray(made / deviation)
