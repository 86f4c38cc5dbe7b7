"""What is written beside its place and takes its name once it is whole; what a writer that was killed left there goes
with the next."""

from __future__ import annotations

import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from .errors import SaveError
from .files import reason, temporary_name
from .held import hold, remove, take_away_left


@contextmanager
def beside(path: Path, *, folder: bool) -> Iterator[Path]:
    """A file or an empty folder that takes the name `path` at the end; SaveError, one sentence."""
    suffix = "" if folder else path.suffix
    # As nobody else's names begin, since it is removed by its name
    begin = f"{temporary_name(path)}glyphos-"
    try:
        if folder and path.exists() and (not path.is_dir() or any(path.iterdir())):
            raise SaveError(
                f"{path.name} is there already; choose an empty folder for the pictures."
            )
        left = re.compile(f"{re.escape(begin)}[a-z0-9_]{{8}}{re.escape(suffix)}")
        take_away_left(path.parent, left)
        place, handle = _made(path.parent, begin, suffix, folder=folder)
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
        remove(place)
        os.close(handle)


def _made(parent: Path, begin: str, suffix: str, *, folder: bool) -> tuple[Path, int]:
    """Where it is written, and a handle of it that is held."""
    if folder:
        place = Path(tempfile.mkdtemp(prefix=begin, dir=parent))
        handle = os.open(place, os.O_RDONLY)
    else:
        handle, name = tempfile.mkstemp(prefix=begin, suffix=suffix, dir=parent)
        place = Path(name)
    hold(handle)
    place.chmod(0o755 if folder else 0o644)
    return place, handle
