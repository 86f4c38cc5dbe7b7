"""What is written beside its place and takes its name once it is whole; what a writer that was killed left there goes
with the next.

Whoever writes holds a lock on what it writes, which the system lets go of when the process ends, however it ends.
"""

from __future__ import annotations

import fcntl
import os
import re
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from ..errors import SaveError
from ..files import reason, temporary_name

JUST_NOW = 60.0  # seconds in which whoever made something may not have locked it yet


@contextmanager
def beside(path: Path, *, folder: bool) -> Iterator[Path]:
    """A file or an empty folder that takes the name `path` at the end; SaveError, one sentence."""
    suffix = "" if folder else path.suffix
    try:
        if folder and path.exists() and (not path.is_dir() or any(path.iterdir())):
            raise SaveError(
                f"{path.name} is there already; choose an empty folder for the pictures."
            )
        _take_away_left(path, suffix)
        place, handle = _made(path, suffix, folder=folder)
    except OSError as error:
        raise SaveError(f"{path} cannot be written: {reason(error)}.") from None
    try:
        yield place
        if folder and path.exists():
            path.rmdir()
        os.replace(place, path)
    except OSError as error:
        raise SaveError(f"{path} cannot be written: {reason(error)}.") from None
    finally:
        _remove(place)
        os.close(handle)


def _begin(path: Path) -> str:
    """How names of what becomes `path` begin: as nobody else's do, since it is removed by its name."""
    return f"{temporary_name(path)}glyphos-"


def _made(path: Path, suffix: str, *, folder: bool) -> tuple[Path, int]:
    """Where it is written, and a handle of it that is locked, where locks are kept."""
    begin = _begin(path)
    if folder:
        place = Path(tempfile.mkdtemp(prefix=begin, dir=path.parent))
        handle = os.open(place, os.O_RDONLY)
    else:
        handle, name = tempfile.mkstemp(prefix=begin, suffix=suffix, dir=path.parent)
        place = Path(name)
    with suppress(OSError):
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    place.chmod(0o755 if folder else 0o644)
    return place, handle


def _take_away_left(path: Path, suffix: str) -> None:
    """Remove what would have become `path` and is held by nobody any more; nothing hangs on it."""
    ours = re.compile(f"{re.escape(_begin(path))}[a-z0-9_]{{8}}{re.escape(suffix)}")
    with suppress(OSError):  # one may write to a folder that one may not read
        for left in path.parent.iterdir():
            if ours.fullmatch(left.name) and not left.is_symlink():
                _take_away(left)


def _take_away(left: Path) -> None:
    with suppress(OSError):
        handle = os.open(left, os.O_RDONLY)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if time.time() - os.fstat(handle).st_mtime > JUST_NOW:
                _remove(left)
        finally:
            os.close(handle)


def _remove(place: Path) -> None:
    if place.is_dir():
        shutil.rmtree(place, ignore_errors=True)
    else:
        place.unlink(missing_ok=True)
