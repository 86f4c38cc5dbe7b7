"""Proof of many lines at once, in processes of their own."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, as_completed
from fractions import Fraction
from itertools import islice

from ..errors import sentence
from ..handoff import looking  # noqa: F401  (its checks make themselves known)
from ..hands.crew import Crew
from ..production.documents import Line
from ..production.kinds import character_key
from ..production.production import Production
from ..progress import Progress
from ..proof.finding import Finding
from ..proof.proofing import Looked, looked
from ..proof.whole import Whole, proofed_whole

FEW = 4  # lines that are quicker looked through here
# What it needs besides, for processes that do much of it (`stem.load`)
LOADED = ("av", "glyphos.speech.recording", "scipy.ndimage")
TOGETHER = 16  # lines that go to a process in one message


def proof_many(
    production: Production, lines: Sequence[Line], fps: Fraction, *, workers: int | None = None,
    progress: Progress | None = None,
) -> dict[str, list[Finding]]:  # fmt: skip
    """Findings by the line's slug, in the order of the lines; under "" what is found of no single line, where all
    were looked at and there is something. progress may raise Cancelled."""
    made = _all_of(production, lines, fps, workers, progress)
    found = {slug: list(one.findings) for slug, one in made.items()}
    drawings = {slug: one.drawings for slug, one in made.items() if one.drawings}
    for finding in proofed_whole(Whole(production, fps, drawings, found)):
        if finding.line in found:
            found[finding.line].append(finding)
        elif not finding.line and len(found) == len(production.lines):
            found.setdefault("", []).append(finding)
    return found


def _all_of(
    production: Production, lines: Sequence[Line], fps: Fraction, workers: int | None, progress: Progress | None
) -> dict[str, Looked]:  # fmt: skip
    told = progress or (lambda _: None)
    count = workers or os.cpu_count() or 1
    made: dict[str, Looked] = {}
    if count == 1 or len(lines) <= FEW:
        for number, line in enumerate(lines):
            told(number / len(lines))
            made[line.slug] = _safely(line, production, fps)
        return made
    crew = Crew(min(count, len(lines)), loaded=LOADED)
    try:
        waiting: dict[Future[list[Looked]], tuple[Line, ...]] = {}
        for few in _batched(lines, max(1, min(TOGETHER, len(lines) // (4 * count)))):
            waiting[crew.submit(_several, few, _alone(production, few), fps)] = few
        for future in as_completed(waiting):
            few, broken = waiting[future], future.exception()
            for k, line in enumerate(few):
                made[line.slug] = (
                    Looked([_failed(line, sentence(broken))])
                    if broken is not None
                    else future.result()[k]
                )
            told(len(made) / len(lines))
    finally:
        crew.shutdown(cancel_futures=True)
    return {x.slug: made[x.slug] for x in lines}


def _batched(lines: Sequence[Line], size: int) -> Iterator[tuple[Line, ...]]:
    left = iter(lines)
    while few := tuple(islice(left, size)):
        yield few


def _several(lines: Sequence[Line], production: Production, fps: Fraction) -> list[Looked]:
    return [_safely(line, production, fps) for line in lines]


def _alone(production: Production, lines: Sequence[Line]) -> Production:
    """What a process needs of a production to look at some lines."""
    alone = Production.of(production.folder, production.header, lines)
    given = {character_key(c.slug): c for c in production.characters}
    return alone.changed(given)


def _safely(line: Line, production: Production, fps: Fraction) -> Looked:
    try:
        return looked(line, production, fps)
    except Exception as error:  # one bad line never stops the others
        return Looked([_failed(line, sentence(error))])


def _failed(line: Line, text: str) -> Finding:
    return Finding("proof", "keeping", "bad", text, line.slug)
