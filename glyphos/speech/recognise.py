"""Listening without a script: words as a draft to be corrected.

Words come from the recogniser (`words`), or where there is none from the older one that comes with
the acoustic model (`pocket`); our own alignment finds them in time and tells which were invented.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

import msgspec
import numpy as np

from ..errors import LanguageError, NoWordsError, RecordingError, ScriptError
from ..progress import Progress, share
from . import frontend, pocket
from .align import Evidence
from .espeak import language_name
from .hearing import hear
from .languages import base, english
from .listen import listen_to
from .pieces import LONGEST, quiet_frames, speech_pieces
from .reading import DOUBTFUL, AudioInfo, Phone, Phrase, Reading, Span, Word
from .recording import Recording
from .words import Made, Recogniser, recogniser

SENTENCE = re.compile(r"(?<=[.!?…])[\"”’)]*\s+")
TITLE = re.compile(r"\b(Mr|Mrs|Ms|Dr|St|Prof|Capt|Lt|No|vs)\.$")
CLAUSE = re.compile(r"(?<=[,;:—])\s+")
HELD, SHOWN = (
    re.compile(r"([^\W\d_])\1{4,}"),
    4,
)  # a letter again and again, and how often it is written
MOST_WORDS = 12  # of a phrase of a draft that has commas
QUIET = 0.75  # how far below speech a word must lie throughout to be invented
# Mean log probability of what the recogniser makes out, under which it is a guess: of English over 2 s 0 of 48 lines of
# clear voices are, a tenth of actors', of other languages nine in ten
GUESSED, GUESSED_SHORT, SHORT = -0.85, -1.05, 2.0
DOUBTED = 0.8 * DOUBTFUL  # confidence of such words, at most: they are looked through
SUSPECT = 0.8  # how sure a guess at the language must be to be offered
FEW, THIN, SLOWEST = (
    3,
    0.5,
    1.0,
)  # words of a phrase at least; how sure they are; how many a second somebody says
ROUNDS = 4  # in which invented words are taken out
INVENTED = 0.02  # confidence of a word that nothing was said of
Moved = TypeVar("Moved", Phrase, Word, Phone, Span)


@dataclass(frozen=True)
class Draft:
    """What is said, a phrase a line; the language it seems to be in, if that is known; of long recordings
    what was made out in each piece of them: seconds from, to, and the text; and whether it is little more than a
    guess, as it is of another language or of noise."""

    text: str
    language: str = ""
    sure: float = 0.0
    pieces: tuple[tuple[float, float, str], ...] = ()
    guessed: bool = False

    def doubt_told(self, language: str) -> str:
        """A sentence about words that are guessed; "" where they are not."""
        if not self.guessed or not self.text:
            return ""
        name = language_name(language)
        return f"Hardly a word was understood: look all of them through or, if it is not {name}, choose its language."

    def seems(self, language: str) -> bool:
        """Whether it is in another language than this, as far as can be told."""
        return bool(self.language) and self.sure > SUSPECT and self.language != base(language)


def draft(
    recording: Recording, *, language: str = "en", model: Path | None = None,
    progress: Progress | None = None,
) -> Draft:  # fmt: skip
    """What is said, as well as it can be made out.

    model: a folder for the recogniser, the shipped English one by default.
    Raises LanguageError for a language the model does not know, NoWordsError for no words.
    """
    ear = recogniser(model)
    if not can_hear(language, model):
        raise LanguageError(
            "Without a script only English words can be made out; type the script, listen for "
            "sounds only, or give a model for other languages (in Preferences, or --words-model)."
        )
    if ear is None:
        made = Draft("\n".join(pocket.draft(recording, progress=progress)))
    else:
        made = _drafted(ear, recording, language, progress)
    if not made.text:
        raise _nothing(recording)
    return made


def drafts(
    recordings: Sequence[Recording], *, language: str = "en", model: Path | None = None
) -> list[Draft]:
    """`draft` for short lines, heard together; an empty text where nothing was made out.

    Where that cannot be done (no recogniser, another language, a long line) a draft each is left
    to `draft`: the list is then empty.
    """
    ear = recogniser(model)
    if ear is None or not ear.serves(language) or any(r.duration > LONGEST for r in recordings):
        return []
    made = ear.hear_many([np.asarray(r.samples, np.float32) for r in recordings], language)
    return [
        Draft("\n".join(phrased(m.text)), m.language, m.sure, guessed=_guessed(m, r.duration))
        for m, r in zip(made, recordings, strict=True)
    ]


def _guessed(made: Made, seconds: float) -> bool:
    """Whether what was made out is hardly likelier than anything else. Of a word or two nobody is ever sure."""
    return made.score < (GUESSED if seconds > SHORT else GUESSED_SHORT)


def _nothing(recording: Recording) -> NoWordsError:
    return NoWordsError(
        f"No words could be made out in {recording.name}; type the script, "
        "or listen for sounds only."
    )


def can_hear(language: str, model: Path | None = None) -> bool:
    """Whether words of a language can be made out."""
    ear = recogniser(model)
    return ear.serves(language) if ear is not None else english(language)


def _drafted(
    ear: Recogniser, recording: Recording, language: str, progress: Progress | None
) -> Draft:
    made = list(_heard_pieces(ear, recording, language, False, progress))
    cuts = speech_pieces(recording)
    pieces = tuple((a, b, m.text) for (a, b), m in zip(cuts, made, strict=True))
    sure, guess = max(((m.sure, m.language) for m in made), default=(0.0, ""))
    guessed = [b - a for (a, b), m in zip(cuts, made, strict=True) if _guessed(m, b - a)]
    mostly = 2 * sum(guessed) > sum(b - a for a, b in cuts)
    return Draft("\n".join(phrased(" ".join(m.text for m in made))), guess, sure, pieces, mostly)


def _heard_pieces(
    ear: Recogniser, recording: Recording, language: str, quick: bool, progress: Progress | None
) -> Iterator[Made]:
    pieces = speech_pieces(recording)
    for number, (start, end) in enumerate(pieces):
        if progress is not None:
            progress(number / len(pieces))
        part = recording.samples[int(start * frontend.RATE) : int(end * frontend.RATE)]
        yield ear.hear(np.asarray(part, np.float32), language, quick=quick)


def phrased(text: str) -> list[str]:
    """A text in phrases: sentences, and clauses of long ones. Of a letter held for long (“Ahhhhh”) a few stay."""
    found: list[str] = []
    sentences = SENTENCE.split(HELD.sub(r"\1" * SHOWN, text.strip()))
    for k in range(len(sentences) - 1, 0, -1):
        if TITLE.search(sentences[k - 1]):
            sentences[k - 1 : k + 1] = [" ".join(sentences[k - 1 : k + 1])]
    for sentence in sentences:
        if len(sentence.split()) <= MOST_WORDS:
            found.append(sentence)
            continue
        clauses: list[str] = []
        for clause in CLAUSE.split(sentence):
            if clauses and len(clauses[-1].split()) + len(clause.split()) <= MOST_WORDS:
                clauses[-1] += " " + clause
            else:
                clauses.append(clause)
        found += clauses
    return [f for f in found if f.strip()]


def listen_without_script(
    recording: Recording, *, language: str = "en", model: Path | None = None,
    made: Draft | None = None, progress: Progress | None = None,
) -> Reading:  # fmt: skip
    """Recognise the words, then find them in time; every word's source is `heard`.

    Words that the recogniser made up, where nothing of the kind is said, are left out. Where so many were that
    the whole cannot be placed, each piece of the recording is by itself. Raises
    LanguageError for a language the model does not know: `listen_for_sounds` serves them.
    made: the draft, if it was made before.
    """
    if made is None:
        made = draft(recording, language=language, model=model, progress=share(progress, 0.0, 0.8))
    text = made.text
    if not text:
        raise _nothing(recording)
    evidence = hear(recording, progress=share(progress, 0.8, 0.9))
    try:
        reading = _found(recording, evidence, text, language)
    except ScriptError:
        reading = _in_pieces(recording, evidence, made, language)
    if made.guessed:
        reading = doubted(reading)
    if progress is not None:
        progress(1.0)
    return reading


def doubted(reading: Reading) -> Reading:
    """A reading that nobody is sure of: all of its words are looked through."""
    phrases = tuple(
        msgspec.structs.replace(p, words=tuple(
            msgspec.structs.replace(w, confidence=min(w.confidence, DOUBTED)) for w in p.words
        ))
        for p in reading.phrases
    )  # fmt: skip
    return msgspec.structs.replace(reading, phrases=phrases)


def _found(recording: Recording, evidence: Evidence, text: str, language: str) -> Reading:
    """Words in time, without those that were invented. ScriptError where they cannot be placed."""
    for _ in range(ROUNDS):  # what is left finds other places
        reading = _aligned(recording, evidence, text, language)
        invented = _invented(recording, reading)
        if not invented:
            break
        text = _without(reading, invented)
        if not text:
            raise _nothing(recording)
    return _aligned(recording, evidence, text, language) if invented else reading


def _in_pieces(recording: Recording, evidence: Evidence, made: Draft, language: str) -> Reading:
    """Each piece by itself; one whose words do not fit it has none, and is told to be unread."""
    phrases: list[Phrase] = []
    unread: list[Span] = []
    for start, end, text in made.pieces:
        part, first = evidence.part(start, end)
        samples = recording.samples[round(first * frontend.RATE) : round(end * frontend.RATE)]
        own = replace(recording, samples=samples, duration=len(samples) / frontend.RATE)
        try:
            reading = _found(own, part, "\n".join(phrased(text)), language)
        except (ScriptError, RecordingError):
            unread += [Span(round(start, 4), round(end, 4))] if text.strip() else []
            continue
        phrases += [_later(p, first) for p in reading.phrases]
        unread += [_moved(s, first) for s in reading.unread]
    if not phrases:
        raise _nothing(recording)
    audio = AudioInfo(recording.name, round(recording.duration, 6), recording.source_rate)
    return Reading(language, audio, tuple(phrases), unread=tuple(unread))


def _later(phrase: Phrase, by: float) -> Phrase:
    """The same so many seconds later, with all that is in it."""
    words = tuple(
        _moved(w, by, phones=tuple(_moved(p, by) for p in w.phones)) for w in phrase.words
    )
    return _moved(phrase, by, words=words)


def _moved(one: Moved, by: float, **inner: Any) -> Moved:
    times = {"start": round(one.start + by, 4), "end": round(one.end + by, 4)}
    return msgspec.structs.replace(one, **times, **inner)


def _aligned(recording: Recording, evidence: Evidence, text: str, language: str) -> Reading:
    reading = listen_to(recording, evidence, text, language=language, check=False)
    phrases = tuple(
        Phrase(p.text, p.start, p.end, tuple(_heard(w) for w in p.words)) for p in reading.phrases
    )
    return msgspec.structs.replace(reading, phrases=phrases)


def _heard(word: Word) -> Word:
    return msgspec.structs.replace(word, source="heard")


def _invented(recording: Recording, reading: Reading) -> set[int]:
    """Words that stand in silence, of which nothing can be heard, or that a recogniser wrote over music."""
    quiet = quiet_frames(recording)
    found, at = set(), 0
    for phrase in reading.phrases:
        if _thin(phrase):
            found |= set(range(at, at + len(phrase.words)))
        at += len(phrase.words)
    for k, word in enumerate(reading.words()):
        own = quiet[int(word.start * 100) : max(int(word.start * 100) + 1, int(word.end * 100))]
        if (len(own) and float(own.min()) > QUIET) or word.confidence < INVENTED:
            found.add(k)
    return found


def _thin(phrase: Phrase) -> bool:
    """Whether a few unlikely words stand for a long while, as “Thank you for watching” does over a tune."""
    count = len(phrase.words)
    sure = sum(w.confidence for w in phrase.words) / max(count, 1)
    least = SLOWEST if count >= FEW else SLOWEST / 3  # a cry of a word or two may be long
    return count > 1 and sure < THIN and count < least * (phrase.end - phrase.start)


def _without(reading: Reading, which: set[int]) -> str:
    """The text of a reading without some words, a phrase a line."""
    lines, at = [], 0
    for phrase in reading.phrases:
        kept = [w.text for k, w in enumerate(phrase.words, at) if k not in which]
        at += len(phrase.words)
        whole = len(kept) == len(phrase.words)
        lines += [phrase.text if whole else " ".join(kept)] if kept else []
    return "\n".join(lines)


def heard_words(
    recording: Recording, *, language: str = "en", model: Path | None = None, quick: bool = False,
    progress: Progress | None = None,
) -> Sequence[str] | None:  # fmt: skip
    """The words a second ear makes out, or None where there is none for the language."""
    ear = recogniser(model)
    if ear is None or not ear.serves(language):
        return None
    made = _heard_pieces(ear, recording, language, quick, progress)
    return [word for m in made for word in m.text.split()]
