"""A production that is open: locked against a second opener, kept as it happens, recovered.

Every change goes to the journal at once and to its document a little later (`settle`). Opening
replays what a crash left in the journal; a damaged document is set aside and reported.
"""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import IO, Any

import msgspec

from ..errors import DocumentError, SaveError
from ..files import reason, write_atomic
from .journal import Journal
from .production import Header, Line, Production, encode, read_document

JOURNAL, LOCK = ".journal", ".lock"
ENOUGH = 4_000_000  # bytes of journal after which the documents are written


class _Record(msgspec.Struct, omit_defaults=True):
    put: Line | None = None
    drop: str = ""
    header: Header | None = None


class Store:
    """One production folder, held open by one process."""

    def __init__(self, folder: Path, production: Production, lock: IO[str] | None) -> None:
        self.folder = folder
        self.production = production
        self.problems: list[str] = []
        self._lock = lock
        self._journal = Journal(folder / JOURNAL)
        self._unsettled: set[str] = set()  # names of documents that differ from the disk

    @property
    def read_only(self) -> bool:
        """Whether the folder cannot be written; everything can be looked at, nothing is kept."""
        return self._lock is None

    # ---- opening ----------------------------------------------------------------------------

    @classmethod
    def create(cls, folder: str | Path, *, name: str, fps: str = "24") -> Store:
        """A new, empty production, open."""
        Production.create(folder, name=name, fps=fps)
        return cls.open(folder)

    @classmethod
    def open(cls, folder: str | Path) -> Store:
        """Open a production; DocumentError if it is none, or open elsewhere already."""
        folder = Path(folder)
        if not folder.is_dir() or not (
            (folder / "production.json").exists() or (folder / "lines").is_dir()
        ):
            raise DocumentError(f"{folder} is not a production: it has no production.json.")
        lock = _locked(folder)
        try:
            store = cls(folder, Production(folder, Header(folder.stem)), lock)
            store._read()
        except BaseException:
            if lock is not None:
                lock.close()
            raise
        return store

    def _read(self) -> None:
        header = self._header()
        found = {}
        for path in sorted((self.folder / "lines").glob("*.json")):
            line = self._document(path, Line, f"lines/{path.name}")
            if line is not None:
                found[line.slug] = line
        header = self._replay(header, found)
        order = [s for s in header.lines if s in found]
        missing = [s for s in header.lines if s not in found]
        order += [s for s in found if s not in header.lines]
        if order != list(header.lines):
            self._unsettled.add("production.json")
        for slug in missing:
            if not any(slug in p for p in self.problems):
                self.problems.append(f"The line {slug} is gone from {self.folder.name}/lines.")
        self.production = Production(self.folder, header, tuple(found[s] for s in order))

    def _header(self) -> Header:
        path = self.folder / "production.json"
        header: Header | None = None
        if path.exists():
            header = self._document(path, Header, "production.json")
        if header is None:
            self._unsettled.add("production.json")
            return Header(self.folder.stem)
        return header

    def _document(self, path: Path, kind: type[Any], name: str) -> Any:
        try:
            return read_document(path, kind)
        except DocumentError as error:
            if "newer" in str(error):
                raise
            aside = _aside(path)
            try:
                os.replace(path, aside)
            except OSError:
                aside = path
            self.problems.append(f"{name} is damaged and was set aside as {aside.name}.")
            return None

    def _replay(self, header: Header, found: dict[str, Line]) -> Header:
        for data in self._journal.records():
            try:
                record = msgspec.json.decode(data, type=_Record)
            except msgspec.DecodeError:
                break
            if record.put is not None:
                found[record.put.slug] = record.put
                self._unsettled.add(f"lines/{record.put.slug}.json")
            if record.drop:
                found.pop(record.drop, None)
                self._unsettled.add(f"lines/{record.drop}.json")
            if record.header is not None:
                header = record.header
                self._unsettled.add("production.json")
        return header

    # ---- keeping ----------------------------------------------------------------------------

    def keep(self, production: Production) -> None:
        """Take over a changed production; what differs is in the journal when this returns.

        SaveError if it could not be kept: the change stands in memory and is tried again with
        the next one.
        """
        records, names = _differences(self.production, production)
        if self.read_only:
            self.production = production
            raise SaveError(
                f"{self.folder} cannot be written; save a copy elsewhere to keep changes."
            )
        if records:
            self._journal.append([msgspec.json.encode(r) for r in records])
        self.production = production
        self._unsettled |= names
        if self._journal.size > ENOUGH:
            self.settle()

    @property
    def settled(self) -> bool:
        return not self._unsettled and self._journal.size == 0

    def settle(self) -> None:
        """Write the documents that changed, each atomically, and clear the journal."""
        if self.read_only or self.settled:
            return
        lines = {f"lines/{x.slug}.json": x for x in self.production.lines}
        for name in sorted(self._unsettled - {"production.json"}):
            if name in lines:
                write_atomic(self.folder / name, encode(lines[name]))
            else:
                (self.folder / name).unlink(missing_ok=True)
        write_atomic(self.folder / "production.json", encode(self.production.full_header()))
        self._journal.clear()
        self._unsettled.clear()

    def close(self) -> None:
        """Write what is left and let others open the production."""
        try:
            self.settle()
        finally:
            if self._lock is not None:
                self._lock.close()
                self._lock = None


def _locked(folder: Path) -> IO[str] | None:
    """The lock, held; None if the folder cannot be written; DocumentError if another has it."""
    try:
        lock = open(folder / LOCK, "a+", encoding="utf-8")  # noqa: SIM115  (held while open)
    except OSError:
        return None
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.seek(0)
        owner = lock.read().strip() or "another process"
        lock.close()
        raise DocumentError(
            f"{folder.name} is open in another Glyphos ({owner}); close it there first."
        ) from None
    lock.truncate(0)
    lock.write(f"process {os.getpid()}")
    lock.flush()
    return lock


def _aside(path: Path) -> Path:
    number = 1
    while (aside := path.with_name(f"{path.stem}.damaged-{number}")).exists():
        number += 1
    return aside


def _differences(old: Production, new: Production) -> tuple[list[_Record], set[str]]:
    """What to journal for a change, and which documents it touches; compared by identity."""
    records: list[_Record] = []
    names: set[str] = set()
    if old is new:
        return records, names
    before = {x.slug: x for x in old.lines}
    for line in new.lines:
        if before.pop(line.slug, None) is not line:
            records.append(_Record(put=line))
            names.add(f"lines/{line.slug}.json")
    for slug in before:
        records.append(_Record(drop=slug))
        names.add(f"lines/{slug}.json")
    order = tuple(x.slug for x in new.lines)
    if new.header != old.header or order != tuple(x.slug for x in old.lines):
        records.append(_Record(header=new.full_header()))
        names.add("production.json")
    return records, names


def save_copy(production: Production, target: str | Path) -> None:
    """Write a whole production, recordings and all, to a new folder."""
    import shutil

    target = Path(target)
    Production.create(target, name=production.header.name, fps=production.header.fps)
    copied = []
    taken: set[str] = set()
    try:
        for line in production.lines:
            source = production.audio_path(line)
            name = _free_name(source.name, taken)
            if source.is_file():
                shutil.copy2(source, target / "audio" / name)
            copied.append(msgspec.structs.replace(line, audio=f"audio/{name}"))
        for extra in ("lexicon.txt",):
            if (production.folder / extra).is_file():
                shutil.copy2(production.folder / extra, target / extra)
    except OSError as error:
        raise SaveError(f"{target} cannot be written: {reason(error)}.") from None
    Production(target, production.header, tuple(copied)).save()


def _free_name(name: str, taken: set[str]) -> str:
    stem, suffix = Path(name).stem, Path(name).suffix
    number, free = 2, name
    while free in taken:
        free, number = f"{stem}-{number}{suffix}", number + 1
    taken.add(free)
    return free
