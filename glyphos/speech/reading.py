"""The Reading: what was said and when, as an immutable document.

A phone's `pinned` says that a person placed its *start*; `pinned_end` its end, which is a boundary
of its own only where the next sound does not follow at once.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import msgspec

from ..errors import DocumentError
from ..files import json_lines

UNHEARD = 0.3  # a confidence below this is a sound that is hardly to be heard
DOUBTFUL = 0.5  # a confidence below this is worth a look


class Phone(msgspec.Struct, frozen=True):
    """One speech sound: IPA, seconds, stress (0, 1 primary, 2 secondary), confidence 0..1."""

    ipa: str
    start: float
    end: float
    stress: int = 0
    confidence: float = 1.0
    pinned: bool = False
    pinned_end: bool = False

    @property
    def placed(self) -> bool:
        """Whether a person placed its start or its end."""
        return self.pinned or self.pinned_end

    @property
    def doubtful(self) -> bool:
        """Whether it is hardly to be heard there, and no person says otherwise."""
        return self.confidence < UNHEARD and not self.placed


class Word(msgspec.Struct, frozen=True):
    """A word as written, with the sounds it was said with.

    `source`: where its pronunciation came from (dictionary, lexicon, letters, hand, heard).
    `confirmed`: a person looked at it and found it right. `language`: if not the line's own.
    """

    text: str
    start: float
    end: float
    confidence: float = 1.0
    phones: tuple[Phone, ...] = ()
    source: str = "dictionary"
    confirmed: bool = False
    language: str = ""

    @property
    def doubtful(self) -> bool:
        """Whether it is worth a look; what a person confirmed or placed never is."""
        return self.confidence < DOUBTFUL and not self.confirmed and not self.placed

    @property
    def placed(self) -> bool:
        """Whether a person placed an edge of it."""
        return any(p.placed for p in self.phones)


class Phrase(msgspec.Struct, frozen=True):
    """A phrase as written in the script."""

    text: str
    start: float
    end: float
    words: tuple[Word, ...] = ()


class AudioInfo(msgspec.Struct, frozen=True):
    """Which recording was listened to: file name, seconds, its own sample rate."""

    file: str
    duration: float
    sample_rate: int


class Span(msgspec.Struct, frozen=True):
    """A stretch of time in seconds."""

    start: float
    end: float


class Mark(msgspec.Struct, frozen=True):
    """Something that is not speech: breath, cough, laugh, hum, or `shut` (the mouth stays shut)."""

    kind: Literal["breath", "cough", "laugh", "hum", "shut"]
    start: float
    end: float


class Reading(msgspec.Struct, frozen=True):
    """Phrases, words and sounds of one recording in time.

    `unread`: stretches where something is said that the script does not have.
    """

    language: str
    audio: AudioInfo
    phrases: tuple[Phrase, ...] = ()
    marks: tuple[Mark, ...] = ()
    unread: tuple[Span, ...] = ()
    format: Literal["glyphos-reading"] = "glyphos-reading"
    version: Literal[1] = 1

    def words(self) -> Iterator[Word]:
        """Every word in order."""
        return (w for p in self.phrases for w in p.words)

    def phones(self) -> Iterator[Phone]:
        """Every sound in order."""
        return (s for w in self.words() for s in w.phones)

    @property
    def text(self) -> str:
        """The script, a phrase a line."""
        return "\n".join(p.text for p in self.phrases)


ORDER = ("format", "version", "language", "audio", "phrases", "marks", "unread")


def encode(reading: Reading) -> bytes:
    """The reading as indented UTF-8 JSON, `format` and `version` first."""
    fields = msgspec.to_builtins(reading)
    ordered = {key: fields[key] for key in ORDER}
    return json_lines(ordered)


def decode(data: bytes, *, name: str = "The reading") -> Reading:
    """Read JSON written by `encode`; DocumentError says what is wrong with anything else."""
    try:
        reading = msgspec.json.decode(data, type=Reading)
    except msgspec.DecodeError as error:
        raise DocumentError(f"{name} is not a reading of Glyphos: {error}.") from None
    return reading


def load(path: str | Path) -> Reading:
    """Read a reading from a file."""
    path = Path(path)
    try:
        return decode(path.read_bytes(), name=path.name)
    except OSError as error:
        raise DocumentError(f"{path} cannot be read: {error.strerror}.") from None
