"""What is made for a while and held by whoever works on it; what somebody who was killed left there goes with the next.

Whoever makes something holds a lock on it, which the system lets go of when the process ends, however it ends.
"""

from __future__ import annotations

import fcntl
import os
import re
import shutil
import tempfile
import time
import weakref
from contextlib import suppress
from pathlib import Path

JUST_NOW = 60.0  # seconds in which whoever made something may not have locked it yet


class HeldFolder:
    """A temporary folder, gone once it is closed; with it those of the same kind that killed processes left."""

    def __init__(self, kind: str) -> None:
        """kind: how its name begins, as no name of others does."""
        ours = re.compile(f"{re.escape(kind)}[a-z0-9_]{{8}}")
        take_away_left(Path(tempfile.gettempdir()), ours)
        self._made = tempfile.TemporaryDirectory(prefix=kind)
        self.name = self._made.name
        handle = os.open(self.name, os.O_RDONLY)
        self._let_go = weakref.finalize(self, os.close, handle)
        hold(handle)

    def close(self) -> None:
        self._made.cleanup()
        self._let_go()


def hold(handle: int) -> None:
    """Lock what an open handle stands for, until it is closed; where no locks are kept, it is not."""
    with suppress(OSError):
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)


def take_away_left(folder: Path, ours: re.Pattern[str]) -> None:
    """Remove what has such a name in a folder and is held by nobody any more; nothing hangs on it."""
    with suppress(OSError):  # one may write to a folder that one may not read
        for left in folder.iterdir():
            if ours.fullmatch(left.name) and not left.is_symlink():
                _take_away(left)


def remove(place: Path) -> None:
    """A file, or a folder with all that is in it."""
    if place.is_dir():
        shutil.rmtree(place, ignore_errors=True)
    else:
        place.unlink(missing_ok=True)


def _take_away(left: Path) -> None:
    with suppress(OSError):
        handle = os.open(left, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if time.time() - os.fstat(handle).st_mtime > JUST_NOW:
                remove(left)
        finally:
            os.close(handle)
