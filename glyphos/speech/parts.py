"""Parts of a reading: phrases, words and sounds by number, and the edges between sounds.

A `Flat` view numbers every sound, word and phrase of a Reading from 0. An edge is the start of a
sound, or its end where no sound follows at once; two sounds that touch share one edge.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate, chain, count, repeat
from typing import ClassVar, Literal

import msgspec

from .reading import Phone, Phrase, Reading, Word

TOUCH = 1e-6  # seconds within which two sounds touch
Level = Literal["phrase", "word", "sound"]
LEVELS: tuple[Level, ...] = ("phrase", "word", "sound")


@dataclass(frozen=True)
class Edge:
    """An edge by its sound: its start, or its end where a pause follows."""

    sound: int
    end: bool = False


@dataclass(frozen=True)
class Part:
    """One phrase, word or sound of a reading, by its number."""

    level: Level
    number: int


def _owners(counts: list[int]) -> list[int]:
    """For every member, counted through, the number of what it belongs to."""
    return list(chain.from_iterable(map(repeat, range(len(counts)), counts)))


class Flat:
    """A reading's sounds, words and phrases as lists, and which belongs to which."""

    _made: ClassVar[list[Flat]] = []  # of the readings asked for last

    @classmethod
    def of(cls, reading: Reading) -> Flat:
        """The view of a reading; the last few are remembered."""
        known = cls._made
        for k, flat in enumerate(known):
            if flat.reading is reading:
                if k:  # what a drag goes on from stays, however many others it makes
                    cls._made = [flat, *known[:k], *known[k + 1 :]]
                return flat
        made = cls(reading)
        cls._made = [made, *known[:3]]
        return made

    def __init__(self, reading: Reading) -> None:
        self.reading = reading
        self.words: list[Word] = [w for phrase in reading.phrases for w in phrase.words]
        self.phones: list[Phone] = [p for word in self.words for p in word.phones]
        self.phrase_of: list[int] = _owners([len(p.words) for p in reading.phrases])  # of a word
        counts = [len(w.phones) for w in self.words]
        self.word_of: list[int] = _owners(counts)  # of a sound
        self.first: list[int] = [0, *accumulate(counts)][:-1]  # sound of a word

    @classmethod
    def follow(
        cls, before: Flat, reading: Reading, phones: dict[int, Phone], words: dict[int, Word]
    ) -> None:
        """Remember the view of a reading in which a few sounds and words are others than before, one for one."""
        made = cls.__new__(cls)
        made.reading, made.words, made.phones = reading, before.words.copy(), before.phones.copy()
        made.phrase_of, made.word_of, made.first = before.phrase_of, before.word_of, before.first
        for k, phone in phones.items():
            made.phones[k] = phone
        for k, word in words.items():
            made.words[k] = word
        made.starts = before.starts.copy()
        for k, phone in phones.items():
            made.starts[k] = phone.start
        cls._made = [made, *cls._made[:3]]

    def touches(self, sound: int) -> bool:
        """Whether `sound` starts where the one before it ends."""
        return sound > 0 and self.phones[sound].start - self.phones[sound - 1].end < TOUCH

    def edge_time(self, edge: Edge) -> float:
        phone = self.phones[edge.sound]
        return phone.end if edge.end else phone.start

    def pinned(self, edge: Edge) -> bool:
        phone = self.phones[edge.sound]
        if edge.end:
            return phone.pinned_end
        return phone.pinned or (self.touches(edge.sound) and self.phones[edge.sound - 1].pinned_end)

    @cached_property
    def edges(self) -> list[Edge]:
        """Every edge in order of time."""
        found: list[Edge] = []
        for k in range(len(self.phones)):
            if k and not self.touches(k):
                found.append(Edge(k - 1, True))
            found.append(Edge(k))
        return [*found, Edge(len(self.phones) - 1, True)] if self.phones else []

    @cached_property
    def starts(self) -> list[float]:
        """Start of every sound."""
        return [p.start for p in self.phones]

    def has_edge(self, edge: Edge) -> bool:
        """Whether there is such an edge, by its first name."""
        if not 0 <= edge.sound < len(self.phones):
            return False
        return not edge.end or self.end_edge(edge.sound) == edge

    def sounds_between(self, low: float, high: float) -> range:
        """Sounds that reach into a stretch of time."""
        first = max(0, bisect_right(self.starts, low) - 1)
        if first < len(self.phones) and self.phones[first].end < low:
            first += 1
        return range(first, max(first, bisect_right(self.starts, high)))

    def edges_between(self, low: float, high: float) -> list[Edge]:
        """Edges in a stretch of time, in order."""
        found: list[Edge] = []
        for k in self.sounds_between(low, high):
            found.append(Edge(k))
            if (last := self.end_edge(k)).end:
                found.append(last)
        if found and (after := self.end_edge(found[-1].sound)) != found[-1] and not found[-1].end:
            found.append(after)
        return [e for e in found if low - TOUCH <= self.edge_time(e) <= high + TOUCH]

    def nearest_edge(self, seconds: float) -> Edge | None:
        """The edge nearest to a time."""
        if not self.phones:
            return None
        k = max(0, bisect_right(self.starts, seconds) - 1)
        near = [Edge(k), self.end_edge(k)]
        if k + 1 < len(self.phones):
            near.append(Edge(k + 1))
        return min(near, key=lambda e: abs(self.edge_time(e) - seconds))

    def edge_before(self, edge: Edge) -> Edge | None:
        """The edge before one."""
        if edge.end:
            return Edge(edge.sound)
        if edge.sound == 0:
            return None
        return (
            Edge(edge.sound - 1, end=True) if not self.touches(edge.sound) else Edge(edge.sound - 1)
        )

    def edge_after(self, edge: Edge) -> Edge | None:
        """The edge after one."""
        if not edge.end:
            return self.end_edge(edge.sound)
        return Edge(edge.sound + 1) if edge.sound + 1 < len(self.phones) else None

    def end_edge(self, sound: int) -> Edge:
        """The edge at the end of a sound, whichever way it is named."""
        touching = sound + 1 < len(self.phones) and self.touches(sound + 1)
        return Edge(sound + 1) if touching else Edge(sound, True)

    # ---- parts ------------------------------------------------------------------------------

    def count(self, level: Level) -> int:
        return {"phrase": len(self.reading.phrases), "word": len(self.words),
                "sound": len(self.phones)}[level]  # fmt: skip

    def word_range(self, part: Part) -> tuple[int, int]:
        """First word of a part and the one after its last."""
        if part.level == "phrase":
            first = sum(len(p.words) for p in self.reading.phrases[: part.number])
            return first, first + len(self.reading.phrases[part.number].words)
        word = self.word_of[part.number] if part.level == "sound" else part.number
        return word, word + 1

    def sound_range(self, part: Part) -> tuple[int, int]:
        """First sound of a part and the one after its last."""
        if part.level == "sound":
            return part.number, part.number + 1
        a, b = self.word_range(part)
        after = self.first[b] if b < len(self.first) else len(self.phones)
        return self.first[a], after

    def span(self, part: Part) -> tuple[float, float]:
        """Start and end of a part in seconds."""
        a, b = self.sound_range(part)
        return self.phones[a].start, self.phones[b - 1].end

    def part_at(self, level: Level, seconds: float) -> Part | None:
        """The part of a level at a time, or the one before it."""
        if not self.phones:
            return None
        sound = max(0, bisect_right(self.starts, seconds + TOUCH) - 1)
        return self.of_sound(level, sound)

    def of_sound(self, level: Level, sound: int) -> Part:
        """The part of a level that a sound belongs to."""
        word = self.word_of[sound]
        number = {"sound": sound, "word": word, "phrase": self.phrase_of[word]}[level]
        return Part(level, number)

    def at_level(self, part: Part, level: Level) -> Part:
        """The part of another level that holds, or begins, this one."""
        return self.of_sound(level, self.sound_range(part)[0])

    def step(self, part: Part, by: int) -> Part:
        """The part `by` further on at the same level, staying inside the line."""
        top = self.count(part.level) - 1
        return Part(part.level, min(max(part.number + by, 0), top))

    def valid(self, part: Part) -> bool:
        return 0 <= part.number < self.count(part.level)


def with_phones(reading: Reading, phones: Sequence[Phone]) -> Reading:
    """The reading with its sounds replaced one for one; words and phrases follow their sounds."""
    at = 0
    phrases = []
    for phrase in reading.phrases:
        words = []
        for word in phrase.words:
            own = tuple(phones[at : at + len(word.phones)])
            at += len(word.phones)
            words.append(word if own == word.phones else fitted(word, own))
        phrases.append(refit(phrase, tuple(words)))
    return msgspec.structs.replace(reading, phrases=tuple(phrases))


def with_words(reading: Reading, change: Callable[[int, Word], Word]) -> Reading:
    """The reading with every word, by its number, as `change` gives it back."""
    numbers = count()
    phrases = tuple(
        refit(p, tuple(change(next(numbers), w) for w in p.words)) for p in reading.phrases
    )
    return msgspec.structs.replace(reading, phrases=phrases)


def with_changes(flat: Flat, changes: dict[int, Phone]) -> Reading:
    """The reading with a few of its sounds replaced, by their numbers."""
    by_word: dict[int, list[int]] = {}
    for sound in changes:
        by_word.setdefault(flat.word_of[sound], []).append(sound)
    by_phrase: dict[int, list[int]] = {}
    for word in by_word:
        by_phrase.setdefault(flat.phrase_of[word], []).append(word)
    phrases, renewed = list(flat.reading.phrases), dict[int, Word]()
    for number, touched in by_phrase.items():
        first = flat.word_range(Part("phrase", number))[0]
        words = list(phrases[number].words)
        for word in touched:
            own = list(flat.words[word].phones)
            for sound in by_word[word]:
                own[sound - flat.first[word]] = changes[sound]
            words[word - first] = renewed[word] = fitted(flat.words[word], tuple(own))
        phrases[number] = refit(phrases[number], tuple(words))
    reading = msgspec.structs.replace(flat.reading, phrases=tuple(phrases))
    Flat.follow(flat, reading, changes, renewed)
    return reading


def fitted(word: Word, phones: tuple[Phone, ...]) -> Word:
    """A word with other sounds, starting and ending with them."""
    if not phones:
        return msgspec.structs.replace(word, phones=())
    return msgspec.structs.replace(
        word, phones=phones, start=phones[0].start, end=phones[-1].end
    )  # fmt: skip


def refit(phrase: Phrase, words: tuple[Word, ...], text: str | None = None) -> Phrase:
    """A phrase with other words, starting and ending with them."""
    if words == phrase.words and text is None:
        return phrase
    return Phrase(phrase.text if text is None else text, words[0].start, words[-1].end, words)
