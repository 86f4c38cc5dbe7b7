"""A production: the folder that holds everything, friendly to version control.

`production.json` names it; each line is a document of its own in `lines/`. Values are immutable:
a change makes a new production. `store.Store` keeps one on disk as it changes.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal, TypeVar

import msgspec

from ..errors import DocumentError, SaveError
from ..files import reason, write_atomic
from ..motion.delivery import Delivery
from ..speech.lexicon import Lexicon, read_lexicon_file
from ..speech.reading import Reading

VERSION = 1
STATES = ("problem", "not listened", "doubtful", "listened", "confirmed")
T = TypeVar("T")


class Line(msgspec.Struct, frozen=True):
    """One recording of one speaker with its script; `audio` is relative to the production.

    `confirmed`: a person found the whole line right. `problem`: why it could not be listened to.
    `digest`: of the recording's bytes, to find it again by content. `offered`: edges whose pins
    an earlier take had, as (sound, whether its end). `channel`: which one is listened to (from 1;
    0 is all of them). `condition`: listen to a cleaned copy.
    """

    slug: str
    audio: str
    speaker: str = ""
    script: str = ""
    language: str = "en"
    reading: Reading | None = None
    delivery: Delivery = Delivery()
    duration: float = 0.0
    confirmed: bool = False
    problem: str = ""
    digest: str = ""
    offered: tuple[tuple[int, bool], ...] = ()
    channel: int = 0
    condition: bool = False
    format: Literal["glyphos-line"] = "glyphos-line"
    version: Literal[1] = 1

    @property
    def state(self) -> str:
        """One of STATES."""
        if self.problem:
            return "problem"
        if self.reading is None:
            return "not listened"
        if self.confirmed:
            return "confirmed"
        doubtful = any(w.doubtful for w in self.reading.words())
        return "doubtful" if doubtful or self.reading.unread else "listened"

    @property
    def title(self) -> str:
        """First words, or the file's name while there is no script."""
        first = self.script.strip().split("\n")[0]
        return first or Path(self.audio).name


class Header(msgspec.Struct, frozen=True):
    """`production.json`: name, frame rate, usual language and the order of the lines."""

    name: str
    fps: str = "24"
    language: str = "en"
    lines: tuple[str, ...] = ()
    format: Literal["glyphos-production"] = "glyphos-production"
    version: Literal[1] = 1


@dataclass(frozen=True)
class Production:
    """A production in memory: its folder, header and lines."""

    folder: Path
    header: Header
    lines: tuple[Line, ...] = ()

    @classmethod
    def create(cls, folder: str | Path, *, name: str, fps: str = "24") -> Production:
        """A new, empty production in `folder`, which must be empty or not exist yet."""
        folder = Path(folder)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            if any(folder.iterdir()):
                raise SaveError(f"{folder} is not empty; choose a new folder for the production.")
            for part in ("lines", "audio"):
                (folder / part).mkdir()
        except OSError as error:
            raise SaveError(f"{folder} cannot be made: {reason(error)}.") from None
        production = cls(folder, Header(name, fps))
        production.save()
        return production

    @classmethod
    def open(cls, folder: str | Path) -> Production:
        """Read a production; DocumentError says which document cannot be understood."""
        folder = Path(folder)
        path = folder / "production.json"
        if not path.is_file():
            raise DocumentError(f"{folder} is not a production: it has no production.json.")
        header = read_document(path, Header)
        lines = [read_document(folder / "lines" / f"{slug}.json", Line) for slug in header.lines]
        return cls(folder, header, tuple(lines))

    def save(self) -> None:
        """Write every document, each atomically."""
        for line in self.lines:
            write_atomic(self.folder / "lines" / f"{line.slug}.json", encode(line))
        write_atomic(self.folder / "production.json", encode(self.full_header()))

    def full_header(self) -> Header:
        """The header with the lines as they stand now."""
        return msgspec.structs.replace(self.header, lines=tuple(x.slug for x in self.lines))

    def with_line(self, line: Line) -> Production:
        """With `line` in the place of the one with its slug, or at the end."""
        if any(x.slug == line.slug for x in self.lines):
            lines = tuple(line if x.slug == line.slug else x for x in self.lines)
        else:
            lines = (*self.lines, line)
        return replace(self, lines=lines)

    def without(self, slugs: Collection[str]) -> Production:
        """Without some lines."""
        return replace(self, lines=tuple(x for x in self.lines if x.slug not in slugs))

    def line(self, slug: str) -> Line:
        """The line with this slug; KeyError if there is none."""
        for line in self.lines:
            if line.slug == slug:
                return line
        raise KeyError(slug)

    def audio_path(self, line: Line) -> Path:
        """Where the recording of a line lies."""
        return self.folder / line.audio


def encode(document: Any) -> bytes:
    """A document as indented UTF-8 JSON, `format` and `version` first."""
    fields = msgspec.to_builtins(document)
    first = {"format": fields.pop("format"), "version": fields.pop("version")}
    return msgspec.json.format(msgspec.json.encode(first | fields), indent=1) + b"\n"


def read_document(path: Path, kind: type[T]) -> T:
    """Read one document; DocumentError says what is wrong with it."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise DocumentError(f"{path} cannot be read: {reason(error)}.") from None
    try:
        return msgspec.json.decode(data, type=kind)
    except msgspec.DecodeError as error:
        if _version(data) > VERSION:
            raise DocumentError(
                f"{path} was made by a newer Glyphos; please update this one."
            ) from None
        raise DocumentError(f"{path} is damaged: {error}.") from None


def _version(data: bytes) -> int:
    try:
        version = msgspec.json.decode(data, type=dict).get("version", 0)
    except msgspec.DecodeError:
        return 0
    return version if isinstance(version, int) else 0


def slugify(text: str, taken: set[str]) -> str:
    """A short file name of plain letters that is not among `taken`."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:40] or "line"
    slug, number = base, 2
    while slug in taken:
        slug, number = f"{base}-{number}", number + 1
    return slug


LEXICON = "lexicon.txt"


def read_lexicon(folder: Path) -> Lexicon:
    """The production's own pronunciations; DocumentError names a line that is not understood."""
    path = folder / LEXICON
    if not path.is_file():
        return Lexicon()
    return read_lexicon_file(path)


def write_lexicon(folder: Path, lexicon: Lexicon) -> None:
    """Keep the production's own pronunciations as a plain text file."""
    write_atomic(folder / LEXICON, lexicon.text().encode())
