"""A whole run: a source is opened, its lines go through a job, what is heard is kept in the production, and a
report tells what to look at. The shell, the window and Python all come through here."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from ..errors import DocumentError, ScriptError
from ..files import make_folder
from ..handoff import deliver
from ..handoff.handed import entries_of, note
from ..hands.crew import Limits
from ..production.carrying import with_reading
from ..production.documents import Line
from ..production.kinds import Key, is_production
from ..production.production import Production
from ..production.store import Store
from ..progress import Progress
from . import listening, proofs
from .bringing import brought, dressed, opened
from .cluster import Cluster
from .control import Control
from .engine import Engine, Here
from .job import HANDED, Job, Outcome
from .kept import Kept
from .recipe import Recipe, check_recipe
from .scripts import check_command

AGAIN = "say --resume to go on with it, or choose another folder"


@dataclass
class Run:
    """What became of all lines. refused: a sentence for each file that is no line."""

    target: Path
    fps: str
    began: float = field(default_factory=time.time)
    seconds: float = 0.0
    workers: int = 0
    outcomes: list[Outcome] = field(default_factory=list)
    refused: tuple[str, ...] = ()

    @property
    def failed(self) -> list[Outcome]:
        return [o for o in self.outcomes if o.state == "failed"]

    @property
    def cpu(self) -> float:
        return sum(o.cpu for o in self.outcomes)


def engine_for(recipe: Recipe, *, workers: int | None = None, cluster: str = "") -> Engine:
    """Processes here, or a cluster by its address or scheduler file."""
    limits = Limits(recipe.limits.seconds, recipe.limits.megabytes)
    if cluster:
        return Cluster(cluster, limits, retries=recipe.limits.retries)
    return Here(workers, limits, loaded=needed_by(recipe))


def needed_by(recipe: Recipe) -> list[str]:
    """What processes that take its steps need, loaded once for all of them (`stem.load`)."""
    handing = deliver.LOADED if recipe.hand.character else ()
    needed = {"listen": listening.LOADED, "proof": proofs.LOADED, "hand": handing}
    return [name for step in recipe.steps for name in needed.get(step, ())]


def run_batch(
    source: Path, target: Path, recipe: Recipe, engine: Engine, *, resume: bool = False,
    each: Callable[[Outcome], object] | None = None, progress: Progress | None = None,
    control: Control | None = None, only: Callable[[str], bool] | None = None,
) -> Run:  # fmt: skip
    """Do a whole job. GlyphosErrors before it begins say what cannot be; Cancelled if it was stopped.

    only: of which lines (slugs) of the source; else of all. Lines of a source that is no production become lines
    of a production in the target.
    """
    _check(source, target, recipe, resume)
    kept = Kept(target)
    store = opened(source, target, recipe)
    run = Run(target, recipe.fps or store.production.header.fps, workers=engine.workers)
    try:
        kept.begin()
        found = brought(store, source, kept, recipe)
        run.refused = found.refused
        slugs = [s for s in found.slugs if only is None or only(s)]
        changes = dressed(store.production, slugs, recipe)
        own = not is_production(source)
        if own and changes:
            store.keep(changes)
        job = Job(store.production.changed(changes), slugs, recipe, target, engine, control=control)

        def taken(outcome: Outcome) -> None:
            _keep(store, outcome, own)
            if each is not None:
                each(outcome)

        try:
            run_job(job, run, each=taken, progress=progress)
        finally:
            done_in(store.production, run, recipe, target / HANDED)
    finally:
        store.close()
    return run


def run_job(
    job: Job, run: Run, *, each: Callable[[Outcome], object] | None = None, progress: Progress | None = None
) -> None:  # fmt: skip
    """Do a job and note what became of its lines, in their order."""
    began = time.monotonic()

    def taken(outcome: Outcome) -> None:
        run.outcomes.append(outcome)
        if each is not None:
            each(outcome)

    try:
        job.run(taken, progress=progress)
    finally:
        run.seconds = time.monotonic() - began
        order = {s: k for k, s in enumerate(job.slugs)}
        run.outcomes.sort(key=lambda o: order[o.line.slug])


def done_in(production: Production, run: Run, recipe: Recipe, folder: Path) -> None:
    """Remember what was handed over into a folder, so that Proof knows when it is old."""
    wish = recipe.wish(production.header.fps)
    made = [
        (heard_on(production.line(o.line.slug), o), [str((run.target / f).relative_to(folder)) for f in o.files])
        for o in run.outcomes if o.files and production.has(o.line.slug)
    ]  # fmt: skip
    if made:
        note(folder, production.folder, entries_of(production, made, wish))


def _check(source: Path, target: Path, recipe: Recipe, resume: bool) -> None:
    check_recipe(recipe)
    if not source.exists():
        raise ScriptError(f"There is nothing at {source}; name a production, a folder or a table.")
    for command in (
        recipe.scripts.before,
        recipe.scripts.after,
        recipe.scripts.job_before,
        recipe.scripts.job_after,
    ):
        if command:
            check_command(command)
    make_folder(target)
    if Kept(target).begun and not resume:
        raise DocumentError(f"{target} holds an earlier run; {AGAIN}.")


def _keep(store: Store, outcome: Outcome, own: bool) -> None:
    """What is heard goes into the production, unless it is there already. own: the production was made by the job,
    so that all of the line is of it."""
    production, line = store.production, outcome.line
    if store.read_only or not production.has(line.slug):
        return
    now = production.line(line.slug)
    made = line if own else heard_on(now, outcome)
    made = msgspec.structs.replace(made, audio=now.audio)
    if made != now:
        changes: dict[Key, Any] = production.put(made)
        store.keep(changes)


def heard_on(now: Line, outcome: Outcome) -> Line:
    """A line of somebody's production with what was heard in it, or why nothing was."""
    line = outcome.line
    if outcome.state == "failed" and now.reading is None:
        return msgspec.structs.replace(now, problem=outcome.problem)
    if line.reading is None or line.reading == now.reading:
        return now
    script = now.script if now.script.strip() else line.script  # what was heard is its draft
    scripted = msgspec.structs.replace(now, script=script, duration=line.duration)
    return with_reading(scripted, line.reading)
