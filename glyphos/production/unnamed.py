"""Productions without a name: begun in a folder of ours where nobody chose a place, so that nothing is lost."""

from __future__ import annotations

import shutil
from contextlib import suppress
from itertools import count
from pathlib import Path

from .store import Store


def begin(place: Path) -> Store:
    """A new one, open, under the first number that is free. SaveError where it cannot be."""
    place.mkdir(parents=True, exist_ok=True)
    folder = next(f for f in (place / f"untitled-{k}.glyphos" for k in count(1)) if _made(f))
    return Store.create(folder, name="Untitled")


def _made(folder: Path) -> bool:
    """Whether it was made just now; not if it is there, or somebody else was quicker."""
    with suppress(FileExistsError):
        folder.mkdir()
        return True
    return False


def discard(store: Store) -> None:
    """Away with one that nobody has seen yet."""
    store.let_go()
    shutil.rmtree(store.folder, ignore_errors=True)


def unnamed(place: Path) -> list[Path]:
    """Those that have lines, in their order."""
    return [p for p in sorted(place.glob("*.glyphos")) if any((p / "lines").glob("*.json"))]
