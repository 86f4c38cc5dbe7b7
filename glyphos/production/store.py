"""A production that is open: locked against a second opener, kept as it happens, recovered.

Every change goes to the journal at once (`keep`) and to its document a little later (`settle`).
What could not be written stays wanted and goes with the next attempt. Opening replays what a crash
left in the journal; a damaged document is set aside and reported.
"""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import IO

from ..errors import DocumentError, SaveError
from ..files import DISK, Disk
from .journal import Journal
from .kinds import HEAD, KINDS, Changes, Key, Values
from .loading import JOURNAL, load, record
from .production import Production, apply

LOCK = ".lock"
ENOUGH = 4_000_000  # bytes of journal after which the documents are written


class Store:
    """One production folder, held open by one process."""

    def __init__(self, folder: Path, lock: IO[str] | None, disk: Disk = DISK) -> None:
        self.folder = folder
        self.values: Values = {}
        self.problems: list[str] = []
        self._lock = lock
        self._disk = disk
        self._journal = Journal(folder / JOURNAL, disk)
        self._unkept: set[Key] = set()  # not in the journal yet
        self._unsettled: set[Key] = set()  # not in their documents yet

    @property
    def read_only(self) -> bool:
        """Whether the folder cannot be written; everything can be looked at, nothing is kept."""
        return self._lock is None

    @property
    def production(self) -> Production:
        """Everything as it is to be kept."""
        return Production(self.folder, self.values)

    # ---- opening ----------------------------------------------------------------------------

    @classmethod
    def create(
        cls, folder: str | Path, *, name: str, fps: str = "24", language: str = "en"
    ) -> Store:
        """A new, empty production, open."""
        Production.create(folder, name=name, fps=fps, language=language)
        return cls.open(folder)

    @classmethod
    def open(cls, folder: str | Path, disk: Disk = DISK) -> Store:
        """Open a production; DocumentError if it is none, or open elsewhere already."""
        folder = Path(folder)
        lock = _locked(folder) if folder.is_dir() else None
        try:
            store = cls(folder, lock, disk)
            store._read()
        except BaseException:
            if lock is not None:
                lock.close()
            raise
        return store

    def _read(self) -> None:
        found = load(self.folder, self._disk)
        self.values, self._unsettled = found.values, found.unsettled
        self.problems = found.problems
        for path, _ in found.damaged:
            self.problems.append(self._set_aside(path))

    def _set_aside(self, path: Path) -> str:
        number = 1
        while (aside := path.with_name(f"{path.stem}.damaged-{number}")).exists():
            number += 1
        name = path.relative_to(self.folder).as_posix()
        if self.read_only:
            return f"{name} is damaged; it is left as it is, since the folder cannot be written."
        try:
            self._disk.move(path, aside)
        except OSError:
            return f"{name} is damaged and could not be set aside; it is left as it is."
        return f"{name} is damaged and was set aside as {aside.name}."

    # ---- keeping ----------------------------------------------------------------------------

    def keep(self, changes: Changes) -> None:
        """Take changes over; they are in the journal when this returns.

        SaveError if they could not be kept: they stay wanted and are tried again with the next
        `keep`, `settle` or `close`.
        """
        self.values = apply(self.values, changes)
        self._unkept |= set(changes)
        self._unsettled |= set(changes)
        if self.read_only:
            raise SaveError(
                f"{self.folder} cannot be written; save a copy elsewhere to keep changes."
            )
        if self._unkept:
            self._journal.append([record({k: self.values.get(k) for k in sorted(self._unkept)})])
            self._unkept.clear()
        if self._journal.size > ENOUGH:
            self.settle()

    @property
    def settled(self) -> bool:
        """Whether every document on disk is what stands here."""
        return not self._unsettled and not self._unkept and self._journal.size == 0

    def settle(self) -> None:
        """Write the documents that changed, each atomically, and clear the journal."""
        if self.read_only or self.settled:
            return
        files: dict[Path, bytes] = {}
        gone: list[Path] = []
        for kind, slug in sorted(self._unsettled, key=lambda k: k == HEAD):  # the header last
            path = self.folder / KINDS[kind].file(slug)
            value = self.values.get((kind, slug))
            if value is None:
                gone.append(path)
            else:
                files[path] = KINDS[kind].encode(value)
                if not KINDS[kind].single:
                    path.parent.mkdir(exist_ok=True)
        self._disk.write_all(files)
        for path in gone:
            self._disk.remove(path)
        self._journal.clear()
        self._unsettled.clear()
        self._unkept.clear()

    def close(self) -> None:
        """Write what is left and let others open the production; SaveError if it was not
        written, and the production is still held."""
        if self._lock is not None:
            self.settle()
        self.let_go()

    def let_go(self) -> None:
        """Let others open the production, whatever is left."""
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
