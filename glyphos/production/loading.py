"""Reading a production from disk: its documents, then what the journal holds beyond them.

A file's name is its slug: a document that was renamed by hand is followed. What is damaged is
listed and left to the caller; everything else is there.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from ..errors import DocumentError, GlyphosError, NewerError
from ..files import DISK, Disk, reason
from .documents import Header, Line, safe_slug
from .journal import Journal
from .kinds import HEAD, HEADER, KINDS, LINE, Changes, Key, Kind, is_production, line_key, renamed

JOURNAL = ".journal"


@dataclass
class Loaded:
    """What was found. `damaged`: files that could not be understood and why; `unsettled`: keys
    whose document on disk is not what stands here; `problems`: sentences for the person."""

    values: dict[Key, Any] = field(default_factory=dict)
    damaged: list[tuple[Path, DocumentError]] = field(default_factory=list)
    unsettled: set[Key] = field(default_factory=set)
    problems: list[str] = field(default_factory=list)


def load(folder: Path, disk: Disk = DISK) -> Loaded:
    """Read a production; DocumentError if the folder is none, NewerError if it is too new."""
    if not is_production(folder):
        raise DocumentError(f"{folder} is not a production: it has no production.json.")
    found = Loaded()
    for kind in KINDS.values():
        for slug in kind.slugs(folder):
            _read(found, kind, slug, folder, disk)
    _replay(found, Journal(folder / JOURNAL, disk))
    _order(found, folder)
    return found


def _read(found: Loaded, kind: Kind, slug: str, folder: Path, disk: Disk) -> None:
    path = folder / kind.file(slug)
    if not kind.single and not safe_slug(slug):
        found.problems.append(f"{path.name} has a name that a document cannot have; rename it.")
        return
    try:
        value = kind.read(disk.read(path), str(path))
    except OSError as error:
        if kind is HEADER:
            raise DocumentError(f"{path} cannot be read: {reason(error)}.") from None
        found.problems.append(f"{path.name} cannot be read: {reason(error)}.")
        return
    except NewerError:
        raise
    except DocumentError as error:
        found.damaged.append((path, error))
        return
    named = renamed(kind, value, slug)
    if named is not value:
        found.unsettled.add((kind.name, slug))
    found.values[kind.name, slug] = named


class _Change(msgspec.Struct):
    kind: str
    slug: str
    document: msgspec.Raw  # null: taken away


class _Record(msgspec.Struct, omit_defaults=True):
    changes: tuple[_Change, ...] = ()
    put: Line | None = None  # records of version 0.2 and before
    drop: str = ""
    header: Header | None = None


def record(changes: Changes) -> bytes:
    """What the journal says of a change, all of it in one record: it is there whole or not."""
    made = []
    for (kind, slug), value in changes.items():
        document = None if value is None else KINDS[kind].pack(value)
        made.append({"kind": kind, "slug": slug, "document": document})
    return msgspec.json.encode({"changes": made})


def _replay(found: Loaded, journal: Journal) -> None:
    for data in journal.records():
        try:
            for key, value in _changes(msgspec.json.decode(data, type=_Record)):
                found.unsettled.add(key)
                if value is None:
                    found.values.pop(key, None)
                else:
                    found.values[key] = value
        except (msgspec.DecodeError, GlyphosError, ValueError) as error:
            found.problems.append(f"A change in the journal could not be understood: {error}.")


def _changes(entry: _Record) -> list[tuple[Key, Any]]:
    made: list[tuple[Key, Any]] = []
    if entry.put is not None:
        made.append((line_key(entry.put.slug), entry.put))
    if entry.drop:
        made.append((line_key(entry.drop), None))
    if entry.header is not None:
        made.append((HEAD, entry.header))
    for change in entry.changes:
        kind, raw = KINDS.get(change.kind), bytes(change.document)
        if kind is None:
            raise DocumentError(f"it is about “{change.kind} {change.slug}”")
        value = None if raw == b"null" else renamed(kind, kind.unpack(raw), change.slug)
        made.append(((kind.name, change.slug), value))
    for kind_name, slug in (k for k, _ in made):
        if not KINDS[kind_name].single and not safe_slug(slug):
            raise DocumentError(f"“{slug}” is no name of a document")
    return made


def _order(found: Loaded, folder: Path) -> None:
    """Every line that is there in the header's order, and nothing else."""
    header: Header | None = found.values.get(HEAD)
    if header is None:
        header = Header(folder.stem)
        found.unsettled.add(HEAD)
    there = [slug for kind, slug in found.values if kind == LINE.name]
    lost = {path.stem for path, _ in found.damaged}
    order = [s for s in dict.fromkeys(header.lines) if line_key(s) in found.values]
    known = set(order)
    new = [s for s in there if s not in known]
    for slug in header.lines:
        if slug not in known and slug not in lost:
            if new and (LINE.name, new[0]) in found.unsettled:
                order.insert(header.lines.index(slug), new.pop(0))  # it was renamed by hand
            else:
                found.problems.append(f"The line {slug} is gone from {folder.name}/lines.")
    order += new
    if tuple(order) != header.lines:
        header = msgspec.structs.replace(header, lines=tuple(order))
        found.unsettled.add(HEAD)
    found.values[HEAD] = header
