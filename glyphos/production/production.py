"""A production: the folder that holds everything, friendly to version control.

`production.json` names it; each line is a document of its own in `lines/`. Values are immutable:
a change makes a new production, and `save` writes only the documents that differ.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal, TypeVar

import msgspec

from ..errors import DocumentError, SaveError
from ..files import reason, write_atomic
from ..motion.delivery import Delivery
from ..speech.reading import Reading

VERSION = 1
T = TypeVar("T")


class Line(msgspec.Struct, frozen=True):
    """One recording of one speaker with its script; `audio` is relative to the production."""

    slug: str
    audio: str
    speaker: str = ""
    script: str = ""
    language: str = "en"
    reading: Reading | None = None
    delivery: Delivery = Delivery()
    duration: float = 0.0
    format: Literal["glyphos-line"] = "glyphos-line"
    version: Literal[1] = 1

    @property
    def state(self) -> str:
        """`not listened`, `doubtful` or `listened`."""
        if self.reading is None:
            return "not listened"
        doubtful = any(w.doubtful for w in self.reading.words())
        return "doubtful" if doubtful or self.reading.unread else "listened"

    @property
    def title(self) -> str:
        """First words, or the file's name while there is no script."""
        first = self.script.strip().split("\n")[0]
        return first or Path(self.audio).name


class Header(msgspec.Struct, frozen=True):
    """`production.json`: name, frame rate and the order of the lines."""

    name: str
    fps: str = "24"
    lines: tuple[str, ...] = ()
    format: Literal["glyphos-production"] = "glyphos-production"
    version: Literal[1] = 1


@dataclass(frozen=True)
class Production:
    """A production in memory; `saved` remembers what the disk holds."""

    folder: Path
    header: Header
    lines: tuple[Line, ...] = ()
    saved: dict[str, bytes] = field(default_factory=dict, compare=False, repr=False)

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
        saved: dict[str, bytes] = {}
        header = _read(path, Header, saved, "production.json")
        lines = [
            _read(folder / "lines" / f"{slug}.json", Line, saved, f"lines/{slug}.json")
            for slug in header.lines
        ]
        return cls(folder, header, tuple(lines), saved)

    def save(self) -> None:
        """Write every document that differs from the disk, each atomically."""
        for name, data in self.documents().items():
            if self.saved.get(name) != data:
                write_atomic(self.folder / name, data)
                self.saved[name] = data

    def documents(self) -> dict[str, bytes]:
        """Every document as it stands on disk, lines first, by path within the folder."""
        header = msgspec.structs.replace(self.header, lines=tuple(x.slug for x in self.lines))
        made = {f"lines/{line.slug}.json": encode(line) for line in self.lines}
        return made | {"production.json": encode(header)}

    def with_line(self, line: Line) -> Production:
        """With `line` in the place of the one with its slug, or at the end."""
        if any(x.slug == line.slug for x in self.lines):
            lines = tuple(line if x.slug == line.slug else x for x in self.lines)
        else:
            lines = (*self.lines, line)
        return replace(self, lines=lines)

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


def _read(path: Path, kind: type[T], saved: dict[str, bytes], name: str) -> T:
    try:
        data = path.read_bytes()
    except OSError as error:
        raise DocumentError(f"{path} cannot be read: {reason(error)}.") from None
    try:
        version = msgspec.json.decode(data, type=dict).get("version", 0)
        if isinstance(version, int) and version > VERSION:
            raise DocumentError(f"{path} was made by a newer Glyphos; please update this one.")
        document = msgspec.json.decode(data, type=kind)
    except msgspec.DecodeError as error:
        raise DocumentError(f"{path} is damaged: {error}.") from None
    saved[name] = data
    return document


def slugify(text: str, taken: set[str]) -> str:
    """A short file name of plain letters that is not among `taken`."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:40] or "line"
    slug, number = base, 2
    while slug in taken:
        slug, number = f"{base}-{number}", number + 1
    return slug
