"""A production: the folder that holds everything, friendly to version control.

A Production is an immutable view of documents under their keys. It tells what is there and what a
change would be (`added`, `put`, `without`, …: the new value of each key, None to take it away);
`store.Store` keeps it on disk, `app.model.Document` applies changes for the window.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from functools import cached_property
from itertools import repeat
from pathlib import Path
from typing import Any

import msgspec

from ..characters.builtin import BUILTIN, SETS, builtin_for, set_path
from ..errors import SaveError
from ..files import DISK, Disk, reason
from ..scene.documents import Scene
from ..speech.lexicon import Lexicon
from .documents import Character, Header, Line, known_as
from .kinds import (
    CHARACTER,
    HEAD,
    KINDS,
    LEX,
    LINE,
    SCENE,
    Changes,
    Key,
    Values,
    kinds_of,
    line_key,
)

_NOTHING = Lexicon()

TAKES = "takes"  # recorded takes of lines, a folder a line


@dataclass(frozen=True)
class Production:
    """A production in memory: its folder and its documents by key."""

    folder: Path
    values: Values

    @classmethod
    def of(cls, folder: str | Path, header: Header, lines: Iterable[Line] = ()) -> Production:
        """A production of a header and lines in their order."""
        lines = tuple(lines)
        header = msgspec.structs.replace(header, lines=tuple(x.slug for x in lines))
        return cls(Path(folder), {HEAD: header} | {line_key(x.slug): x for x in lines})

    @classmethod
    def create(
        cls, folder: str | Path, *, name: str, fps: str = "24", language: str = "en"
    ) -> Production:
        """A new, empty production in `folder`, which must be empty or not exist yet."""
        folder = Path(folder)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            if any(folder.iterdir()):
                raise SaveError(f"{folder} is not empty; choose a new folder for the production.")
            for part in ("lines", "audio"):
                (folder / part).mkdir()
        except FileExistsError:
            raise SaveError(f"{folder} is a file; name a folder for the production.") from None
        except OSError as error:
            raise SaveError(f"{folder} cannot be made: {reason(error)}.") from None
        production = cls.of(folder, Header(name, fps, language))
        production.save()
        return production

    @classmethod
    def open(cls, folder: str | Path) -> Production:
        """Read a production as it is kept now; DocumentError says what cannot be understood."""
        from .loading import load

        loaded = load(Path(folder))
        for _, error in loaded.damaged:
            raise error
        return cls(Path(folder), loaded.values)

    def save(self, disk: Disk = DISK) -> None:
        """Write every document, each atomically."""
        for place in {KINDS[kind].place for kind, _ in self.values if not KINDS[kind].single}:
            (self.folder / place).mkdir(exist_ok=True)
        disk.write_all(
            {
                self.folder / KINDS[kind].file(slug): KINDS[kind].encode(value)
                for (kind, slug), value in self.values.items()
            }
        )

    # ---- what is there ------------------------------------------------------------------------

    @property
    def header(self) -> Header:
        header: Header = self.values[HEAD]
        return header

    @property
    def lexicon(self) -> Lexicon:
        """The production's own pronunciations."""
        lexicon: Lexicon = self.values.get(LEX, _NOTHING)
        return lexicon

    @cached_property
    def lines(self) -> tuple[Line, ...]:
        """Lines in their order."""
        # Without a step in Python for each: there are thousands, and this is asked after every change
        return tuple(map(self.values.__getitem__, zip(repeat(LINE.name), self.header.lines)))

    @property
    def slugs(self) -> tuple[str, ...]:
        return self.header.lines

    def has(self, slug: str) -> bool:
        return line_key(slug) in self.values

    def line(self, slug: str) -> Line:
        """The line with this slug; KeyError if there is none."""
        line: Line = self.values[line_key(slug)]
        return line

    def audio_path(self, line: Line) -> Path:
        """Where the recording of a line lies."""
        return self.folder / line.audio

    def has_audio(self, line: Line) -> bool:
        """Whether the recording of a line is where it lies; asked of every line that is seen."""
        return os.path.exists(os.path.join(self.folder, line.audio))

    @cached_property
    def characters(self) -> tuple[Character, ...]:
        """Characters by name."""
        found = [v for (kind, _), v in self.values.items() if kind == CHARACTER.name]
        return tuple(sorted(found, key=lambda c: (c.name.casefold(), c.slug)))

    @cached_property
    def speakers(self) -> frozenset[str]:
        """Whose lines there are, and whom characters speak for."""
        named = {x.speaker for x in self.lines} | {s for c in self.characters for s in c.speakers}
        return frozenset(n for n in named if n)

    @cached_property
    def scenes(self) -> tuple[Scene, ...]:
        """Scenes by name."""
        found = [v for (kind, _), v in self.values.items() if kind == SCENE.name]
        return tuple(sorted(found, key=lambda s: (s.name.casefold(), s.slug)))

    def character_for(self, speaker: str) -> Character:
        """Who speaks for a speaker: the character that was given to them, else one of our heads."""
        wanted = known_as(speaker)
        for character in self.characters:
            if wanted in map(known_as, character.speakers):
                return character
        name = builtin_for(speaker)
        own = next((c for c in self.characters if c.slug == name and c.model == name), None)
        return own or Character(name, name.capitalize(), name)

    def model_path(self, character: Character) -> str:
        """The name of one of our heads, or where the model's file lies."""
        if character.model in BUILTIN:
            return character.model
        return str((self.folder / character.model).resolve())

    def drawings_folder(self, character: Character) -> Path:
        """Where the drawings of a character of drawings lie."""
        if character.model in SETS:
            return set_path(character.model)
        return (self.folder / character.model).resolve()

    # ---- what a change would be ---------------------------------------------------------------

    def put(self, *lines: Line) -> dict[Key, Any]:
        """Lines that are there already, changed."""
        return {line_key(x.slug): x for x in lines}

    def added(self, lines: Collection[Line], *, after: str = "") -> dict[Key, Any]:
        """New lines at the end, or after a line; their slugs must be free."""
        order = list(self.slugs)
        at = order.index(after) + 1 if after in order else len(order)
        order[at:at] = [x.slug for x in lines]
        return self.ordered(order) | self.put(*lines)

    def replaced(self, slug: str, lines: Collection[Line]) -> dict[Key, Any]:
        """New lines in the place of one."""
        order = list(self.slugs)
        at = order.index(slug)
        order[at : at + 1] = [x.slug for x in lines]
        return {line_key(slug): None} | self.ordered(order) | self.put(*lines)

    def without(self, slugs: Collection[str]) -> dict[Key, Any]:
        """Lines taken out."""
        gone = {line_key(s): None for s in slugs if self.has(s)}
        return self.ordered([s for s in self.slugs if line_key(s) not in gone]) | gone

    def ordered(self, slugs: Iterable[str]) -> dict[Key, Any]:
        """The lines in another order."""
        return self.headed(lines=tuple(slugs))

    def headed(self, **changes: Any) -> dict[Key, Any]:
        """Fields of the header changed."""
        return {HEAD: msgspec.structs.replace(self.header, **changes)}

    def changed(self, changes: Changes) -> Production:
        """The production once a change is made."""
        made = Production(self.folder, apply(self.values, changes))
        kinds = kinds_of(frozenset(changes))
        for kind, name in ((CHARACTER.name, "characters"), (SCENE.name, "scenes")):
            if kind not in kinds and name in self.__dict__:  # of thousands of values they are few
                made.__dict__[name] = self.__dict__[name]
        return made


def apply(values: Values, changes: Changes) -> dict[Key, Any]:
    """Values once a change is made."""
    made = {**values, **changes}
    for key in [k for k, v in changes.items() if v is None]:
        del made[key]
    return made
