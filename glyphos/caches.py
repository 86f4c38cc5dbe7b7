"""What takes long to make and hangs on nothing but its source, kept on disk: for the next start, and for processes
that work side by side. Losing it costs time and nothing else, so nothing that fails here is said."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable
from hashlib import blake2b, shake_256
from pathlib import Path

SUM = 16  # bytes at the end of a file that tell whether it is whole


def cache_folder() -> Path | None:
    """The user's folder for what can be made again (XDG Base Directory Specification); None if there can be none."""
    said = Path(os.environ.get("XDG_CACHE_HOME", ""))
    try:
        folder = (said if said.is_absolute() else Path.home() / ".cache") / "glyphos"
        folder.mkdir(parents=True, exist_ok=True)
    except (OSError, RuntimeError):  # the latter for somebody without a home
        return None
    return folder


class Shelf:
    """Files of one kind, named after what they were made of. Beyond `room` bytes the longest unused go.

    sealed: only who has the source can read what was made of it.
    """

    def __init__(self, name: str, room: int, *, sealed: bool = False) -> None:
        self._name, self._room, self._sealed = name, room, sealed

    def of(self, source: bytes, make: Callable[[], bytes]) -> bytes:
        """What `make` gives, or gave before for the same source."""
        folder = cache_folder()
        if folder is None:
            return make()
        path = folder / self._name / blake2b(source, digest_size=20).hexdigest()
        with contextlib.suppress(OSError):
            made = path.read_bytes()
            if _whole(made):
                os.utime(path)
                return self._seal(source, made[:-SUM])
        made = make()
        with contextlib.suppress(OSError):
            self._put(path, self._seal(source, made))
        return made

    def _seal(self, source: bytes, made: bytes) -> bytes:
        """Closed, or opened again: the source's own endless digest (FIPS 202, SHAKE256) laid over it."""
        if not self._sealed:
            return made
        return bytes(a ^ b for a, b in zip(made, shake_256(source).digest(len(made)), strict=True))

    def _put(self, path: Path, made: bytes) -> None:
        path.parent.mkdir(exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(made + _sum(made))
            os.replace(name, path)
        except OSError:
            os.unlink(name)
            raise
        self._tidy(path.parent)

    def _tidy(self, folder: Path) -> None:
        there = []
        for entry in os.scandir(folder):
            with contextlib.suppress(FileNotFoundError):  # somebody else tidies, too
                state = entry.stat()
                there.append((state.st_mtime, state.st_size, entry.path))
        used = sum(size for _, size, _ in there)
        for _, size, path in sorted(there):
            if used <= self._room:
                break
            with contextlib.suppress(FileNotFoundError):
                os.unlink(path)
            used -= size


def _sum(made: bytes) -> bytes:
    return blake2b(made, digest_size=SUM).digest()


def _whole(made: bytes) -> bool:
    """Whether a file is what was written: a power cut may leave less."""
    return len(made) > SUM and _sum(made[:-SUM]) == made[-SUM:]
