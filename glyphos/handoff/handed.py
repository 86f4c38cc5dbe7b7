"""What was handed over, and of what: so that files that are older than their lines can be told.

A list lies beside the files, and the production remembers in which folders it handed over.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import msgspec

from ..errors import GlyphosError
from ..files import write_atomic
from ..production.documents import Character, Line
from ..production.production import Production
from ..progress import Progress
from .deliver import Plan, Wish, deliver, plan

LIST = ".glyphos-handed.json"  # beside the files
FOLDERS = ".handed.json"  # in the production
MOST = 12  # folders that are remembered
MADE_OF = ("reading", "delivery", "life", "moods", "faces", "happenings", "recorded", "touches", "mix", "held",
           "script", "speaker", "channel")  # fmt: skip


class Entry(msgspec.Struct, frozen=True):
    """A file: its line, what it was made of (digest), its rate, how long it should be, and the wish."""

    line: str
    of: str
    fps: str
    seconds: float
    wish: Wish


@dataclass(frozen=True)
class Known:
    """A folder with what was handed over into it."""

    folder: Path
    entries: Mapping[str, Entry]


def state_of(line: Line, character: Character) -> str:
    """A digest of all that a line's files are made of."""
    plain = [msgspec.to_builtins(getattr(line, name)) for name in MADE_OF]
    data = msgspec.msgpack.encode([plain, character])
    return hashlib.blake2b(data, digest_size=12).hexdigest()


def entries_of(production: Production, lines: Iterable[tuple[Line, Sequence[str]]], wish: Wish) -> dict[str, Entry]:  # fmt: skip
    """Entries for lines and the names of their files."""
    made = {}
    for line, names in lines:
        state = state_of(line, production.character_for(line.speaker))
        long = line.delivery.film(line.reading.audio.duration) if line.reading is not None else 0.0
        for name in names:
            made[name] = Entry(line.slug, state, wish.fps, long + wish.before + wish.after, wish)
    return made


def note(folder: Path, home: Path, entries: Mapping[str, Entry]) -> None:
    """Remember what was handed over into a folder. home: the production's. Where that cannot be written it is
    not remembered: the files are there all the same."""
    with suppress(GlyphosError, OSError):
        known = {**_list(folder), **entries}
        write_atomic(folder / LIST, msgspec.json.encode(known))
        place = os.path.relpath(folder.resolve(), home.resolve())
        before = _folders(home)
        if place not in before[:1]:
            others = [f for f in before if f != place]
            write_atomic(home / FOLDERS, msgspec.json.encode([place, *others][:MOST]))


def delivered(production: Production, planned: Plan, folder: Path) -> None:
    """Note a plan that was written."""
    by_line: dict[str, tuple[Line, list[str]]] = {}
    for item in planned.items:
        line = production.line(item.line.slug) if production.has(item.line.slug) else item.line
        by_line.setdefault(line.slug, (line, []))[1].append(item.name)
    note(folder, production.folder, entries_of(production, by_line.values(), planned.wish))


def known_folders(production: Production) -> list[Known]:
    """Folders that are still there."""
    found = []
    for place in _folders(production.folder):
        folder = (production.folder / place).resolve()
        if folder.is_dir() and (entries := _list(folder)):
            found.append(Known(folder, entries))
    return found


def again(
    production: Production, slug: str, fps: Fraction, *, progress: Progress | None = None
) -> list[Path]:
    """Write a line's files again in every folder where they were handed over, as they were wished, from the line
    as it is now, at this many frames a second."""
    made: list[Path] = []
    for known in known_folders(production):
        for wish in dict.fromkeys(e.wish for e in known.entries.values() if e.line == slug):
            planned = plan(production, [production.line(slug)], replace(wish, fps=str(fps)))
            deliver(planned, known.folder, progress=progress)
            delivered(production, planned, known.folder)
            made += [known.folder / item.name for item in planned.items]
    return made


def _list(folder: Path) -> dict[str, Entry]:
    try:
        return msgspec.json.decode((folder / LIST).read_bytes(), type=dict[str, Entry])
    except (OSError, msgspec.DecodeError, UnicodeDecodeError):
        return {}


def _folders(home: Path) -> list[str]:
    try:
        return msgspec.json.decode((home / FOLDERS).read_bytes(), type=list[str])
    except (OSError, msgspec.DecodeError, UnicodeDecodeError):
        return []
