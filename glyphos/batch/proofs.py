"""Proof of many lines at once, in processes of their own."""

from __future__ import annotations

import os
from collections.abc import Sequence
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from fractions import Fraction
from multiprocessing import get_context

from ..errors import sentence
from ..processes import end_with
from ..production.documents import Line
from ..production.kinds import character_key
from ..production.production import Production
from ..progress import Progress
from ..proof.finding import Finding
from ..proof.proofing import proofed

FEW = 4  # lines that are quicker looked through here


def proof_many(
    production: Production, lines: Sequence[Line], fps: Fraction, *, workers: int | None = None,
    progress: Progress | None = None,
) -> dict[str, list[Finding]]:  # fmt: skip
    """Findings by the line's slug, in the order of the lines. progress may raise Cancelled."""
    told = progress or (lambda _: None)
    count = workers or os.cpu_count() or 1
    made: dict[str, list[Finding]] = {}
    if count == 1 or len(lines) <= FEW:
        for number, line in enumerate(lines):
            told(number / len(lines))
            made[line.slug] = _safely(line, production, fps)
        return made
    pool = ProcessPoolExecutor(
        min(count, len(lines)), mp_context=get_context("spawn"), initializer=end_with, initargs=(os.getpid(),)
    )  # fmt: skip
    try:
        waiting: dict[Future[list[Finding]], Line] = {
            pool.submit(_safely, line, _alone(production, line), fps): line for line in lines
        }
        for number, done in enumerate(as_completed(waiting), 1):
            line = waiting[done]
            try:
                made[line.slug] = done.result()
            except BrokenProcessPool:
                made[line.slug] = [
                    _failed(line, "The process that looked at it ended; try this line alone.")
                ]
            told(number / len(lines))
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
    return {x.slug: made[x.slug] for x in lines}


def _alone(production: Production, line: Line) -> Production:
    """What a process needs of a production to look at one line."""
    alone = Production.of(production.folder, production.header, [line])
    given = {character_key(c.slug): c for c in production.characters}
    return alone.changed(given)


def _safely(line: Line, production: Production, fps: Fraction) -> list[Finding]:
    try:
        return proofed(line, production, fps)
    except Exception as error:  # one bad line never stops the others
        return [_failed(line, sentence(error))]


def _failed(line: Line, text: str) -> Finding:
    return Finding("proof", "keeping", "bad", text, line.slug)
