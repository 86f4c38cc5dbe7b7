"""Files written whole or not at all: all that Glyphos asks of the file system in one small layer.

Tests put a layer in its place that fails, delays or tears at a chosen point.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Mapping
from pathlib import Path

from .errors import SaveError

MANY = 12  # files from which on one flush of the whole system is quicker than one a file


class Disk:
    """Reading and writing of documents and journals. Failures are SaveError, or OSError on
    reading."""

    def read(self, path: Path) -> bytes:
        return path.read_bytes()

    def write(self, path: Path, data: bytes) -> None:
        """Write `data` to `path` through a temporary file beside it."""
        self.write_all({path: data})

    def write_all(self, files: Mapping[Path, bytes]) -> None:
        """Write several files, each atomically; with many of them the disk is flushed once."""
        waiting: list[tuple[str, Path]] = []
        path = Path()
        try:
            for path, data in files.items():
                waiting.append((self._put_beside(path, data, len(files) < MANY), path))
            if len(files) >= MANY:
                os.sync()
            while waiting:
                temporary, path = waiting[0]
                os.replace(temporary, path)
                waiting.pop(0)
        except OSError as error:
            raise SaveError(f"{path} cannot be written: {reason(error)}.") from None
        finally:
            for temporary, _ in waiting:
                Path(temporary).unlink(missing_ok=True)

    def _put_beside(self, path: Path, data: bytes, flush: bool) -> str:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}-", dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                if flush:
                    os.fsync(file.fileno())
            os.chmod(temporary, 0o644)
        except BaseException:
            Path(temporary).unlink(missing_ok=True)
            raise
        return temporary

    def append(self, path: Path, data: bytes, size: int) -> None:
        """Add `data` to a file of `size` bytes, on disk when this returns; else it stays as it
        was."""
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o644)
        try:
            written = 0
            while written < len(data):
                written += os.write(handle, data[written:])
            os.fsync(handle)
        except OSError:
            os.ftruncate(handle, size)
            raise
        finally:
            os.close(handle)

    def cut(self, path: Path, size: int) -> None:
        """Shorten a file to `size` bytes."""
        os.truncate(path, size)

    def remove(self, path: Path) -> None:
        path.unlink(missing_ok=True)

    def move(self, path: Path, target: Path) -> None:
        os.replace(path, target)


DISK = Disk()


def write_atomic(path: str | Path, data: bytes) -> None:
    """Write `data` to `path` whole or not at all; SaveError if it cannot be done."""
    DISK.write(Path(path), data)


def reason(error: OSError) -> str:
    """Why an operation on a file failed, in lower case, as the end of a sentence."""
    text = error.strerror or str(error)
    return text[:1].lower() + text[1:]
