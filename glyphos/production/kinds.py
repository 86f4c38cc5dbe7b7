"""Kinds of documents: what each is, where it lies, how it is written and what must hold in it.

The store, the journal and the history know nothing else of a document. Another kind (a character,
a scene) needs a type, a folder and its checks here, and nothing anywhere else.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from operator import itemgetter
from pathlib import Path, PurePosixPath
from typing import Any

import msgspec

from ..characters.drawings.documents import check_drawings
from ..characters.drawings.pins import check_pins
from ..characters.fittings import check_fitting
from ..errors import DocumentError, GlyphosError, NewerError
from ..files import as_json, json_lines
from ..motion.life.hands import check_happenings
from ..motion.mix import check_mix
from ..motion.mood import check_moods
from ..motion.regions import ranges
from ..motion.touch.keys import check_touches
from ..rates import frame_rate
from ..scene.documents import Scene, check_scene
from ..speech.checking import check_reading
from ..speech.lexicon import Lexicon, parse_lexicon
from .documents import VERSION, Character, Header, Line, safe_slug

Key = tuple[str, str]  # kind, slug
Changes = Mapping[Key, Any]  # the new value of each key; None takes it away
Values = Mapping[Key, Any]


@dataclass(frozen=True)
class Kind:
    """One kind of document. `place`: a folder of many (`lines`), or one file of its own."""

    name: str
    place: str
    single: bool
    encode: Callable[[Any], bytes]
    decode: Callable[[bytes], Any]  # ValueError or GlyphosError says what is wrong
    pack: Callable[[Any], Any]  # for a record of the journal
    unpack: Callable[[bytes], Any]
    check: Callable[[Any], None]  # GlyphosError says what does not hold

    def file(self, slug: str) -> str:
        """Where the document lies, relative to the production."""
        return self.place if self.single else f"{self.place}/{slug}.json"

    def slugs(self, folder: Path) -> list[str]:
        """Slugs of the documents that are there, as their files are named."""
        if self.single:
            return [""] if (folder / self.place).is_file() else []
        return [p.stem for p in sorted((folder / self.place).glob("*.json")) if p.name[0] != "."]

    def read(self, data: bytes, name: str) -> Any:
        """A document from its bytes; DocumentError says what is wrong with it."""
        try:
            value = self.decode(data)
            self.check(value)
        except NewerError:
            raise NewerError(
                f"{name} was made by a newer Glyphos; please update this one."
            ) from None
        except (ValueError, GlyphosError, RecursionError) as error:
            raise DocumentError(f"{name} is damaged: {error}.".replace("..", ".")) from None
        return value


def encode(document: Any) -> bytes:
    """A document as indented UTF-8 JSON, `format` and `version` first."""
    fields = msgspec.to_builtins(document)
    first = {"format": fields.pop("format"), "version": fields.pop("version")}
    return json_lines(first | fields)


def _decoder(kind: type) -> Callable[[bytes], Any]:
    def decode(data: bytes) -> Any:
        try:
            return msgspec.json.decode(data, type=kind)
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
            if _version(data) > VERSION:
                raise NewerError("newer") from None
            raise ValueError(str(error)) from None

    return decode


def _version(data: bytes) -> int:
    try:
        version = msgspec.json.decode(data, type=dict).get("version", 0)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        return 0
    return version if isinstance(version, int) else 0


def _document(
    name: str, kind: type, place: str, single: bool, check: Callable[[Any], None]
) -> Kind:
    decode = _decoder(kind)
    return Kind(name, place, single, encode, decode, lambda v: msgspec.Raw(as_json(v)),
                decode, check)  # fmt: skip


def _check_line(line: Line) -> None:
    if line.reading is not None:
        check_reading(line.reading)
    check_pins(line.held)
    check_moods(line.moods)
    check_happenings(line.happenings)
    check_touches(line.touches, list(ranges()))
    check_mix(line.mix)
    for r in line.recorded:
        if PurePosixPath(r.file).is_absolute() or ".." in PurePosixPath(r.file).parts:
            raise DocumentError(f"the recorded curves {r.file} lie outside its folder")
        if not (
            0 <= r.strength <= 1.5
            and abs(r.offset) < 1e6
            and 0 <= r.smoothing <= 10
            and abs(r.zero or 0) < 1e6
        ):
            raise DocumentError("recorded curves have a strength of 0 to 1.5, and lie somewhere")
    if not 0 <= line.duration < 1e7:
        raise DocumentError(f"its length is {line.duration:g} seconds")


def _check_header(header: Header) -> None:
    frame_rate(header.fps)
    for slug in header.lines:
        if not safe_slug(slug):
            raise DocumentError(f"“{slug}” is no name of a line")


def _check_character(character: Character) -> None:
    if not character.model:
        raise DocumentError("it names no model")
    check_fitting(character.fitting)
    if character.drawings is not None:
        check_drawings(character.drawings)


def _lexicon(data: bytes) -> Lexicon:
    return parse_lexicon(data.decode("utf-8-sig"))


HEADER = _document("header", Header, "production.json", True, _check_header)
LINE = _document("line", Line, "lines", False, _check_line)
LEXICON = Kind(
    "lexicon", "lexicon.txt", True, lambda v: v.text().encode(), _lexicon, lambda v: v.text(),
    lambda data: parse_lexicon(msgspec.json.decode(data, type=str)), lambda _: None,
)  # fmt: skip
CHARACTER = _document("character", Character, "characters", False, _check_character)
SCENE = _document("scene", Scene, "scenes", False, check_scene)
KINDS: dict[str, Kind] = {k.name: k for k in (HEADER, LINE, LEXICON, CHARACTER, SCENE)}
HEAD: Key = ("header", "")
LEX: Key = ("lexicon", "")


def character_key(slug: str) -> Key:
    return ("character", slug)


def scene_key(slug: str) -> Key:
    return ("scene", slug)


@lru_cache(8)  # everyone who follows a document asks it of the same keys, which may be thousands
def kinds_of(keys: frozenset[Key]) -> frozenset[str]:
    """Of which kinds keys are."""
    return frozenset(map(itemgetter(0), keys))


def line_key(slug: str) -> Key:
    return ("line", slug)


def renamed(kind: Kind, value: Any, slug: str) -> Any:
    """The document under the slug that its file's name gives it."""
    if kind.single or value.slug == slug:
        return value
    return msgspec.structs.replace(value, slug=slug)


def is_production(folder: Path) -> bool:
    """Whether a folder is a production, perhaps with its header lost."""
    return folder.is_dir() and (
        (folder / "production.json").exists() or (folder / "lines").is_dir()
    )
