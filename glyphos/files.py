"""Files written whole or not at all: all that Glyphos asks of the file system in one small layer.

Tests put a layer in its place that fails, delays or tears at a chosen point.
"""

from __future__ import annotations

import os
import resource
import tempfile
from collections.abc import Collection, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from itertools import islice
from pathlib import Path
from stat import S_ISREG
from threading import Thread

import msgspec

from .errors import DocumentError, GlyphosError, RecordingError, SaveError, printable

State = tuple[int, int]
GONE: State = (0, 0)
HANDS = 8  # files that are flushed at the same time: the disk takes them together


class Disk:
    """Reading and writing of documents and journals. Failures are SaveError, or OSError on
    reading."""

    def read(self, path: Path) -> bytes:
        return path.read_bytes()

    def write(self, path: Path, data: bytes) -> None:
        """Write `data` to `path` through a temporary file beside it."""
        self.write_all({path: data})

    def write_all(self, files: Mapping[Path, bytes]) -> None:
        """Write several files, each atomically: all are flushed before the first takes its place."""
        beside: list[tuple[str, Path]] = []

        def put(path: Path) -> tuple[str, Path]:
            made = (self._put_beside(path, files[path]), path)
            beside.append(made)
            return made

        try:
            if len(files) > HANDS:
                with ThreadPoolExecutor(HANDS) as pool:
                    ready = list(pool.map(put, files))
            else:
                ready = [put(path) for path in files]
            with _replaced_later(files):
                for temporary, path in ready:
                    with _named(path):
                        os.replace(temporary, path)
        finally:
            for temporary, _ in beside:
                if os.path.exists(temporary):
                    os.unlink(temporary)

    def _put_beside(self, path: Path, data: bytes) -> str:
        """A flushed temporary file in the same folder; its name."""
        temporary = ""
        try:
            with _named(path):
                handle, temporary = tempfile.mkstemp(prefix=temporary_name(path), dir=path.parent)
                with os.fdopen(handle, "wb") as file:
                    file.write(data)
                    file.flush()
                    os.fsync(file.fileno())
                os.chmod(temporary, 0o644)
        except SaveError:
            if temporary:
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


def temporary_name(path: Path) -> str:
    """How the name of a temporary file beside another begins: a name may be as long as a folder allows."""
    return f".{path.name[:40]}-"


@contextmanager
def _named(path: Path) -> Iterator[None]:
    """What fails inside is a SaveError that names the file."""
    try:
        yield
    except OSError as error:
        raise SaveError(f"{path} cannot be written: {reason(error)}.") from None


@contextmanager
def _replaced_later(paths: Collection[Path]) -> Iterator[None]:
    """Keep many files open while others take their places, so that what they held is given back
    afterwards, in a thread: some disks take longer for that than for writing."""
    if len(paths) <= HANDS:
        yield
        return
    most = resource.getrlimit(resource.RLIMIT_NOFILE)[0] // 2
    held: list[int] = []
    for path in islice(paths, most):
        with suppress(OSError):
            held.append(os.open(path, os.O_RDONLY))
    try:
        yield
    finally:
        Thread(target=_close, args=(held,), daemon=True).start()


def _close(handles: list[int]) -> None:
    for handle in handles:
        os.close(handle)


DISK = Disk()


def write_atomic(path: str | Path, data: bytes) -> None:
    """Write `data` to `path` whole or not at all; SaveError if it cannot be done."""
    DISK.write(Path(path), data)


def as_json(value: object) -> bytes:
    """A value as JSON; SaveError where a name in it is no text."""
    try:
        return msgspec.json.encode(value)
    except UnicodeEncodeError as error:
        raise SaveError(
            f"“{error.object}” cannot be kept, as it is not all text (UTF-8); rename the file or the folder."
        ) from None


def json_lines(document: object) -> bytes:
    """A document as JSON with each value in a line; the standard library takes ten times as long."""
    return msgspec.json.format(as_json(document), indent=1) + b"\n"


def kept_path(recording: Path, folder: Path | None = None) -> str:
    """Where a recording lies, as lines keep it: relative to their production's folder if it lies in it; RecordingError
    where that is no text."""
    place = recording.resolve()
    if folder is not None and place.is_relative_to(folder.resolve()):
        place = place.relative_to(folder.resolve())
    kept = place.as_posix()
    if printable(kept) != kept:
        raise RecordingError(
            f"{recording} cannot be used where it lies, since its name, or that of a folder around it, is not text "
            "(UTF-8); rename it."
        )
    return kept


def make_folder(folder: Path) -> None:
    """Make a folder where there is none; SaveError if that cannot be done."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except FileExistsError:
        raise SaveError(f"{folder} is a file; name a folder to write into.") from None
    except OSError as error:
        raise SaveError(f"{folder} cannot be made: {reason(error)}.") from None


def text_of(data: bytes, name: str, error: type[GlyphosError] = DocumentError) -> str:
    """What a text file holds: UTF-8, or UTF-16 that says so, with any ends of lines; `error` where it is none."""
    if data.startswith(b"{\\rtf"):
        raise error(f"{name} is rich text (RTF); save it as plain text.")
    encoding = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig"
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError as problem:
        if b"\0" in data:
            raise error(f"{name} is not a text file; save it as plain text.") from None
        line = data[: problem.start].count(b"\n") + 1
        raise error(
            f"{name} is not in UTF-8 (see line {line}); save it as UTF-8 and try again."
        ) from None
    if "\0" in text:
        raise error(f"{name} is not a text file; save it as plain text.")
    return text.replace("\r\n", "\n").replace("\r", "\n")


def file_state(path: Path) -> State:
    """Time of change (ns) and size of a file, by which another in its place is known; GONE where there is none."""
    try:
        found = path.stat()
    except OSError:
        return GONE
    return (found.st_mtime_ns, found.st_size) if S_ISREG(found.st_mode) else GONE


def reason(error: OSError) -> str:
    """Why an operation on a file failed, in lower case, as the end of a sentence."""
    text = error.strerror or str(error)
    return text[:1].lower() + text[1:]
