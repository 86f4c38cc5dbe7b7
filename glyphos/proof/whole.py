"""What can only be seen over all lines of a production."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction

from ..errors import GlyphosError
from ..production.production import Production
from .finding import Family, Finding, Severity, found_by
from .proofing import marked

ENOUGH = 60.0  # seconds of speech after which every drawing should have been seen
COMMON = "common practice, no source"


@dataclass(frozen=True)
class Whole:
    """A production whose lines were looked through. drawings: of mouths that show, by line; only: slugs of the
    lines that are asked about, else all."""

    production: Production
    fps: Fraction
    drawings: Mapping[str, frozenset[str]]
    only: Collection[str] | None = None


Pieces = Iterator[
    tuple[str, Severity, str, float, float, float]
]  # a line's slug or "", then as Found

Run = Callable[[Whole], Pieces]


@dataclass(frozen=True)
class WholeCheck:
    """A rule over all lines of a production at once."""

    name: str
    family: Family
    about: str
    source: str
    run: Run


WHOLE: dict[str, WholeCheck] = {}


def check_whole(name: str, family: Family, about: str, source: str) -> Callable[[Run], Run]:
    """Make a function one of the checks of whole productions."""

    def take(run: Run) -> Run:
        WHOLE[name] = WholeCheck(name, family, about, source, run)
        return run

    return take


def proofed_whole(whole: Whole) -> list[Finding]:
    """What is found, each under the slug of its line, or under none."""
    found = []
    for rule in WHOLE.values():
        try:
            made = list(rule.run(whole))
        except GlyphosError as error:
            made = [("", "bad", str(error), 0.0, 0.0, 0.0)]
        found += [found_by(rule, *one) for one in made]
    return [marked(whole.production.line(f.line), f) if f.line else f for f in found]


@check_whole("drawing-unused", "character", "drawings that never show", COMMON)
def unused(whole: Whole) -> Pieces:
    production = whole.production
    for character in production.characters:
        if character.drawings is None:
            continue
        own = [x for x in production.lines if production.character_for(x.speaker) == character and x.slug in whole.drawings]  # fmt: skip
        spoken = sum(x.duration for x in own)
        seen = frozenset().union(*(whole.drawings[x.slug] for x in own))
        missing = [m.name for m in character.drawings.mouths if m.name not in seen]
        if missing and spoken >= ENOUGH:
            names = ", ".join(missing[:4]) + (" …" if len(missing) > 4 else "")
            yield "", "note", f"Of {character.name}, {names} never shows in {spoken / 60:.1f} minutes; look at what it is taken for.", 0.0, 0.0, float(len(missing))  # fmt: skip
