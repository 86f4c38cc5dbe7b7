"""The demo production that ships with the application, always opened as a copy."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
import time
from contextlib import suppress
from importlib.resources import as_file, files
from pathlib import Path

from ..files import file_state
from ..held import remove
from .store import LOCK

KIND = "glyphos-demo-"
DAY = 86_400.0  # seconds after which a copy that nobody changed goes with the next


def copy_demo(target: Path | None = None) -> Path:
    """Copy the demo production to `target` or a new temporary folder; returns its folder. Such folders of days before
    go, unless somebody changed something there, or has it open."""
    with as_file(files("glyphos.data") / "demo" / "hollow-hill.glyphos") as source:
        if target is None:
            _take_away_untouched(source)
            target = Path(tempfile.mkdtemp(prefix=KIND)) / source.name
        shutil.copytree(source, target)
    return target


def _take_away_untouched(source: Path) -> None:
    with suppress(OSError):
        for folder in Path(tempfile.gettempdir()).glob(f"{KIND}????????"):
            copy = folder / source.name
            with suppress(OSError):
                old = time.time() - folder.lstat().st_mtime > DAY and not folder.is_symlink()
                if old and not _open(copy) and _states(copy) == _states(source):
                    remove(folder)


def _states(folder: Path) -> dict[str, tuple[int, int]]:
    """Time of change and size of each file, but for the lock; a copy begins with those of what it was copied from."""
    return {
        str(p.relative_to(folder)): file_state(p)
        for p in folder.rglob("*")
        if p.is_file() and p.name != LOCK
    }


def _open(folder: Path) -> bool:
    """Whether a window, or a command, has it open."""
    try:
        handle = os.open(folder / LOCK, os.O_RDONLY)
    except FileNotFoundError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    finally:
        os.close(handle)
    return False
