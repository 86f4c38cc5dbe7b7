"""What is spoken into a live face becomes a line; what was left of it, by a crash or a closed window, waits.

It is recorded as a take in a place of its own, and goes to the line's takes once the line is there.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

import msgspec

from ..production.adding import Wanted, add_lines
from ..production.documents import Line, slugify
from ..production.production import Production
from .takes import PLACE, long_enough, take_files

LIVE = "_live"  # in place of a slug, which it cannot be


def left(folder: Path, running: Path | None = None) -> list[Path]:
    """Takes of live sessions that are no lines yet; without the one that is being recorded. Their sound, which may
    be hours, is not read."""
    return [p for p in take_files(folder, LIVE) if p != running and long_enough(p)]


@dataclass(frozen=True)
class Spoken:
    """Lines for `production.added`, the take of each, and a sentence for each that cannot be read."""

    lines: tuple[Line, ...]
    takes: tuple[Path, ...]
    refused: tuple[str, ...] = ()


def lines_of(production: Production, takes: Collection[Path]) -> Spoken:
    """A line of each take."""
    taken, lines, own = set(production.slugs), [], []
    refused: list[str] = []
    for path in takes:
        made = add_lines(production, [Wanted(path)])
        refused += made.refused
        for line in made.lines:
            taken.add(slug := slugify("spoken", taken))
            lines.append(msgspec.structs.replace(line, slug=slug))
            own.append(path)
    return Spoken(tuple(lines), tuple(own), tuple(refused))


def settle(folder: Path, slug: str, path: Path) -> None:
    """The take belongs to the line that was made of it."""
    own = folder / PLACE / slug
    number = 1 + len(take_files(folder, slug))
    try:
        own.mkdir(parents=True, exist_ok=True)
        while (to := own / f"take-{number:02d}.wav").exists():
            number += 1
        path.rename(to)
    except OSError:  # it stays where it is, and is offered again
        return
