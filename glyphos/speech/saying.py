"""Placeholder voices: a text said by the engine, with the exact times of its sounds as a Reading.

Nothing needs to be listened to: the engine tells with each sound it makes at which sample it begins.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Literal, get_args

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..errors import LanguageError, ScriptError
from . import british
from .espeak import Spoken, speak, voice_for
from .languages import base, check_letters
from .languages import british as in_britain
from .lexicon import read_out
from .phones import Unit, from_ipa
from .reading import AudioInfo, Phone, Phrase, Reading, Word

if TYPE_CHECKING:
    from .script import ScriptPhrase, ScriptWord

Kind = Literal[
    "",
    "f1",
    "f2",
    "f3",
    "f4",
    "f5",
    "m1",
    "m2",
    "m3",
    "m4",
    "m5",
    "m6",
    "m7",
    "m8",
    "whisper",
    "croak",
]
KINDS: tuple[Kind, ...] = get_args(Kind)
LONGEST = 20_000  # characters of one line; more is a book, and an hour of sound
QUIET = 0.15  # seconds before and after
SLOWEST, FASTEST = 80, 400  # words a minute


class PlaceholderVoice(msgspec.Struct, frozen=True):
    """How a speaker sounds until somebody speaks for them. language: "" for the line's own; kind: of voice; pitch
    0..99; pace in words a minute; energy 0..1: how far the pitch moves, and how loud."""

    language: str = ""
    kind: Kind = ""
    pitch: Annotated[int, msgspec.Meta(ge=0, le=99)] = 50
    pace: Annotated[int, msgspec.Meta(ge=SLOWEST, le=FASTEST)] = 160
    energy: Annotated[float, msgspec.Meta(ge=0, le=1)] = 0.5


@dataclass(frozen=True)
class Said:
    """A line that was said: mono samples in −1..1 at `rate`, and the reading."""

    samples: NDArray[np.float32]
    rate: int
    reading: Reading

    @property
    def duration(self) -> float:
        return len(self.samples) / self.rate


def say(
    script: str, voice: PlaceholderVoice | None = None, *, language: str = "en", name: str = ""
) -> Said:
    """A script said by a placeholder voice. name: of the file that it will be.

    Raises ScriptError where nothing is said, LanguageError where the engine lacks the language.
    """
    from .script import parse_script

    voice = voice or PlaceholderVoice()
    tongue = voice.language or language
    voice_for(tongue)
    if len(script) > LONGEST:
        raise ScriptError(
            f"The text has {len(script):,} characters; say at most {LONGEST:,} at a time."
        )
    phrases = parse_script(script, language=tongue)
    text, words = _written(phrases, tongue)
    if not any(c.isalnum() for c in text):
        raise ScriptError("There is nothing to say in this text; type words.")
    check_letters(text, tongue)
    spoken = speak(
        text, language=tongue, pitch=voice.pitch, speed=voice.pace, variant=voice.kind, range_=round(99 * voice.energy),
        volume=round(60 + 80 * voice.energy),
    )  # fmt: skip
    if not len(spoken.samples):
        raise LanguageError(f"The voice says nothing in “{tongue}”; choose another language.")
    return _assembled(spoken, phrases, words, tongue, name)


@dataclass(frozen=True)
class _Place:
    """A word of the script in the text that is said: phrase, the word, first character and the one behind."""

    phrase: int
    word: ScriptWord
    first: int
    after: int


def _written(phrases: Sequence[ScriptPhrase], language: str) -> tuple[str, list[_Place]]:
    """The text as it is given to the engine, phrases in rows, and where its words stand. Numbers and signs are
    given as they are spoken, as listening expects them."""
    from .script import read_aloud

    text, places = "", []
    for number, phrase in enumerate(phrases):
        said = read_aloud(phrase.text)
        spans = _found(said, phrase.words)
        if spans is None:  # written so that words cannot be told apart: as they are spoken
            said = " ".join(w.text for w in phrase.words) + "."
            spans = _found(said, phrase.words) or []
        at = 0
        for word, (first, after) in zip(phrase.words, spans, strict=True):
            text += said[at:first]
            aloud = read_out(word, language)
            plain = word.text.replace("'", "").replace("’", "").isalpha()
            spoken = word.text if plain and aloud == " ".join(word.spoken) else aloud or word.text
            places.append(_Place(number, word, len(text), len(text) + len(spoken)))
            text += spoken
            at = after
        text += said[at:] + "\n"
    return text, places


def _found(said: str, words: Sequence[ScriptWord]) -> list[tuple[int, int]] | None:
    spans, at = [], 0
    low = said.lower()
    for word in words:
        first = low.find(word.text.lower(), at)
        if first < 0:
            return None
        at = first + len(word.text)
        spans.append((first, at))
    return spans


def _assembled(
    spoken: Spoken, phrases: Sequence[ScriptPhrase], places: Sequence[_Place], language: str, name: str
) -> Said:  # fmt: skip
    rate = spoken.rate
    quiet = np.zeros(round(QUIET * rate), np.float32)
    samples = np.concatenate([quiet, spoken.samples, quiet])
    shift = len(quiet) / rate
    owners = _owners(spoken, places)
    by_word: dict[int, list[Phone]] = {}
    for number, start, end, units in _sounds(spoken, len(spoken.samples) / rate, language):
        at = bisect_right(owners, number, key=lambda o: o[0]) - 1
        by_word.setdefault(owners[max(at, 0)][1], []).extend(
            _split(start + shift, end + shift, units)
        )
    _share(by_word, places)
    made: list[Phrase] = []
    for number, phrase in enumerate(phrases):
        words = []
        for k, place in enumerate(places):
            if place.phrase == number and by_word.get(k):
                phones, word = tuple(by_word[k]), place.word
                own = word.language if word.language != base(language) else ""
                words.append(Word(word.text, phones[0].start, phones[-1].end, 1.0, phones, "letters", language=own))  # fmt: skip
        if words:
            made.append(Phrase(phrase.text, words[0].start, words[-1].end, tuple(words)))
    if not made:
        raise ScriptError("There is nothing to say in this text; type words.")
    info = AudioInfo(name, len(samples) / rate, rate)
    return Said(samples, rate, Reading(language, info, tuple(made)))


def _share(by_word: dict[int, list[Phone]], places: Sequence[_Place]) -> None:
    """Words that the engine says as one, as in “does not”, share its sounds by how long they are written."""
    k = 0
    while k < len(places):
        after = k + 1
        while (
            after < len(places)
            and places[after].phrase == places[k].phrase
            and not by_word.get(after)
        ):
            after += 1
        own = by_word.get(k, [])
        if after - k > 1 and len(own) >= after - k:
            ends = np.cumsum([p.after - p.first for p in places[k:after]], dtype=float)
            cuts = [0, *np.round(ends / ends[-1] * len(own)).astype(int).tolist()]
            for n in range(1, len(cuts)):  # each has one at least
                cuts[n] = min(max(cuts[n], cuts[n - 1] + 1), len(own) - (len(cuts) - 1 - n))
            for n, word in enumerate(range(k, after)):
                by_word[word] = own[cuts[n] : cuts[n + 1]]
        k = after


def _sounds(
    spoken: Spoken, whole: float, language: str
) -> Iterator[tuple[int, float, float, tuple[Unit, ...]]]:
    """Sounds by number with start and end; silences between are left out."""
    written = british.as_listened if in_britain(language) else from_ipa
    starts = [t for t, _ in spoken.sounds] + [whole]
    for k, (start, token) in enumerate(spoken.sounds):
        end = starts[k + 1]
        if token and end > start and (units := written(token)):
            yield k, start, end, units


def _split(start: float, end: float, units: Sequence[Unit]) -> list[Phone]:
    """Sounds that the engine makes as one share its time."""
    step = (end - start) / len(units)
    return [
        Phone(u.ipa, start + k * step, start + (k + 1) * step, u.stress) for k, u in enumerate(units)
    ]  # fmt: skip


def _owners(spoken: Spoken, places: Sequence[_Place]) -> list[tuple[int, int]]:
    """From which sound on sounds belong to which word: (sound, word), rising."""
    found: list[tuple[int, int]] = []
    for at, _, first in spoken.words:
        k = next((k for k, p in enumerate(places) if p.first <= at < p.after), None)
        if k is None:
            k = next((k for k, p in enumerate(places) if p.first >= at), len(places) - 1)
        if not found or k > found[-1][1]:
            found.append((first, k))
    return found or [(0, 0)]
