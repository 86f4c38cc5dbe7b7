"""What a job has made, kept under the hash of everything that made it.

All of it lies in `.batch` of the target. A result that is there is not made again; one that is damaged counts as
missing. Files take their places whole, so that a job may be killed at any moment.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import TypeVar

import msgspec

from ..errors import SaveError
from ..files import make_folder, reason
from ..production.documents import Character, Line
from ..proof.finding import Finding

MADE_BY = b"glyphos-batch-1"  # another number makes everything anew: results would differ
PLACE = ".batch"
T = TypeVar("T")


class Step(msgspec.Struct, frozen=True):
    """What one step of one line gave: a reading as a document, findings, files by name with their digests."""

    reading: str = ""
    findings: tuple[Finding, ...] = ()
    files: dict[str, str] = {}


class Record(msgspec.Struct, frozen=True):
    """What is known of a line from the last time: the listening its reading came from, that reading, and whether
    its script was made out, too."""

    listened: str = ""
    reading: str = ""  # digest
    drafted: bool = False


class Source(msgspec.Struct, frozen=True):
    """Where a line came from: its recording's file, and digests of it and of the text beside it."""

    path: str
    sound: str
    text: str


def digest_of(*parts: bytes | str) -> str:
    """One name for several parts, each with its length."""
    made = hashlib.blake2b(MADE_BY, digest_size=16)
    for part in parts:
        data = part.encode() if isinstance(part, str) else part
        made.update(len(data).to_bytes(8, "big"))
        made.update(data)
    return made.hexdigest()


def listening(line: Line, sound: str, lexicon: str, words_model: str) -> str:
    """The name of what is heard in a line. sound: digest of the recording."""
    said = msgspec.msgpack.encode((line.script, line.language, line.channel, line.condition))
    return digest_of("listen", sound, said, lexicon, words_model)


def later(
    step: str, line: Line, sound: str, fps: str, wish: bytes, character: Character | None, pack: str
) -> str:  # fmt: skip
    """The name of what is made of a line that was heard. pack: digest of the character's files."""
    plain = msgspec.structs.replace(line, audio="", digest="", problem="", duration=0.0)
    who = msgspec.msgpack.encode(character)
    return digest_of(step, sound, msgspec.msgpack.encode(plain), fps, wish, who, pack)


def put(path: Path, data: bytes) -> None:
    """Write a file whole. It is not flushed to the disk: whoever reads it again looks whether it is as it was."""
    beside = path.with_name(f".{path.name}.{os.getpid()}")
    try:
        try:
            beside.write_bytes(data)
        except FileNotFoundError:
            path.parent.mkdir(parents=True, exist_ok=True)
            beside.write_bytes(data)
        os.replace(beside, path)
    except OSError as error:
        with suppress(OSError):
            beside.unlink(missing_ok=True)
        raise SaveError(f"{path} cannot be written: {reason(error)}.") from None


class Kept:
    """Results in a target folder."""

    def __init__(self, target: Path) -> None:
        self.target = target
        self._place = target / PLACE

    def begin(self) -> None:
        """Make the folder; SaveError where nothing can be written."""
        make_folder(self._place)
        put(self._place / "begun", b"")

    @property
    def begun(self) -> bool:
        return (self._place / "begun").exists()

    def step(self, name: str) -> Step | None:
        """What a step gave, if it is there and its files are as they were."""
        found = self._read(self._place / "results" / name[:2] / f"{name}.json", Step)
        if found is None:
            return None
        for file, digest in found.files.items():
            try:
                if digest_of((self.target / file).read_bytes()) != digest:
                    return None
            except OSError:
                return None
        return found

    def keep(self, name: str, step: Step, files: Mapping[str, bytes] | None = None) -> Step:
        """Keep what a step gave; its files come first."""
        for file, data in (files or {}).items():
            put(self.target / file, data)
        digests = {file: digest_of(data) for file, data in (files or {}).items()}
        made = msgspec.structs.replace(step, files=digests)
        put(self._place / "results" / name[:2] / f"{name}.json", msgspec.json.encode(made))
        return made

    def record(self, slug: str) -> Record:
        return self._read(self._place / "records" / f"{slug}.json", Record) or Record()

    def keep_record(self, slug: str, record: Record) -> None:
        put(self._place / "records" / f"{slug}.json", msgspec.json.encode(record))

    def sources(self) -> dict[str, Source]:
        """By slug."""
        return self._read(self._place / "sources.json", dict[str, Source]) or {}

    def keep_sources(self, sources: Mapping[str, Source]) -> None:
        put(self._place / "sources.json", msgspec.json.encode(sources))

    def _read(self, path: Path, kind: type[T]) -> T | None:
        try:
            return msgspec.json.decode(path.read_bytes(), type=kind)
        except (OSError, msgspec.DecodeError, UnicodeDecodeError):
            return None
