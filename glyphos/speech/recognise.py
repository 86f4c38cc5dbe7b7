"""Listening without a script: words as a draft to be corrected.

Words come from the recogniser (`words`), or where there is none from the older one that comes with
the acoustic model (`pocket`); our own alignment finds them in time and tells which were invented.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec
import numpy as np

from ..errors import LanguageError, RecordingError
from ..progress import Progress, share
from . import frontend, pocket
from .align import Evidence
from .hearing import hear
from .languages import base, english
from .listen import listen_to
from .pieces import LONGEST, quiet_frames, speech_pieces
from .reading import Phrase, Reading, Word
from .recording import Recording
from .words import Made, Recogniser, recogniser

SENTENCE = re.compile(r"(?<=[.!?…])[\"”’)]*\s+")
TITLE = re.compile(r"\b(Mr|Mrs|Ms|Dr|St|Prof|Capt|Lt|No|vs)\.$")
CLAUSE = re.compile(r"(?<=[,;:—])\s+")
MOST_WORDS = 12  # of a phrase of a draft that has commas
QUIET = 0.75  # how far below speech a word must lie throughout to be invented
SUSPECT = 0.8  # how sure a guess at the language must be to be offered
INVENTED = 0.02  # confidence of a word that nothing was said of


@dataclass(frozen=True)
class Draft:
    """What is said, a phrase a line; and the language it seems to be in, if that is known."""

    text: str
    language: str = ""
    sure: float = 0.0

    def seems(self, language: str) -> bool:
        """Whether it is in another language than this, as far as can be told."""
        return bool(self.language) and self.sure > SUSPECT and self.language != base(language)


def draft(
    recording: Recording, *, language: str = "en", model: Path | None = None,
    progress: Progress | None = None,
) -> Draft:  # fmt: skip
    """What is said, as well as it can be made out.

    model: a folder for the recogniser, the shipped English one by default.
    Raises LanguageError for a language the model does not know, RecordingError for no words.
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
    return [Draft("\n".join(phrased(m.text)), m.language, m.sure) for m in made]


def _nothing(recording: Recording) -> RecordingError:
    return RecordingError(
        f"No words could be made out in {recording.path.name}; type the script, "
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
    sure, guess = max(((m.sure, m.language) for m in made), default=(0.0, ""))
    return Draft("\n".join(phrased(" ".join(m.text for m in made))), guess, sure)


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
    """A text in phrases: sentences, and clauses of long ones."""
    found: list[str] = []
    sentences = SENTENCE.split(text.strip())
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

    Words that the recogniser made up, where nothing of the kind is said, are left out. Raises
    LanguageError for a language the model does not know: `listen_for_sounds` serves them.
    made: the draft, if it was made before.
    """
    if made is None:
        made = draft(recording, language=language, model=model, progress=share(progress, 0.0, 0.8))
    text = made.text
    if not text:
        raise _nothing(recording)
    evidence = hear(recording, progress=share(progress, 0.8, 0.9))
    reading = _aligned(recording, evidence, text, language)
    invented = _invented(recording, reading)
    if invented:
        kept = _without(reading, invented)
        if not kept:
            raise _nothing(recording)
        reading = _aligned(recording, evidence, kept, language)
    if progress is not None:
        progress(1.0)
    return reading


def _aligned(recording: Recording, evidence: Evidence, text: str, language: str) -> Reading:
    reading = listen_to(recording, evidence, text, language=language, check=False)
    phrases = tuple(
        Phrase(p.text, p.start, p.end, tuple(_heard(w) for w in p.words)) for p in reading.phrases
    )
    return msgspec.structs.replace(reading, phrases=phrases)


def _heard(word: Word) -> Word:
    return msgspec.structs.replace(word, source="heard")


def _invented(recording: Recording, reading: Reading) -> set[int]:
    """Words that stand in silence, or of which nothing can be heard."""
    quiet = quiet_frames(recording)
    found = set()
    for k, word in enumerate(reading.words()):
        own = quiet[int(word.start * 100) : max(int(word.start * 100) + 1, int(word.end * 100))]
        if (len(own) and float(own.min()) > QUIET) or word.confidence < INVENTED:
            found.add(k)
    return found


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
