"""The Queue: lines of the open production that go through a recipe unattended, as `glyphos batch` does it.

What is heard goes into the document line by line, and only where nobody worked on a line since.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from ...batch.control import Control
from ...errors import ScriptError
from ...production.documents import Line
from ...production.kinds import line_key
from ..drawing.words import counted
from .document import Document
from .jobs import Jobs, Told
from .talk import Talk

if TYPE_CHECKING:  # they bring all that computes with them
    from ...batch.job import Outcome
    from ...batch.recipe import Recipe

NAME = "queue"


@dataclass
class Entry:
    """One run, as it is shown."""

    what: str
    target: Path
    total: int
    recipe: Recipe
    control: Control = field(default_factory=Control)
    began: float = field(default_factory=time.monotonic)
    ended: float = 0.0
    outcomes: list[Outcome] = field(default_factory=list)
    problem: str = ""
    overtaken: int = 0

    @property
    def running(self) -> bool:
        return not self.ended

    @property
    def failed(self) -> int:
        return sum(o.state == "failed" for o in self.outcomes)

    @property
    def seconds(self) -> float:
        return (self.ended or time.monotonic()) - self.began

    @property
    def left(self) -> float | None:
        """Seconds until it is done, as far as can be told."""
        made = [o for o in self.outcomes if o.state != "there"]
        if not self.running or not made:
            return None
        return (self.total - len(self.outcomes)) * self.seconds / len(made)


class Queue(QObject):
    """Runs, the latest last; one at a time."""

    changed = Signal()
    written = Signal(object)  # slugs of lines whose files were written
    line_wanted = Signal(str)  # to be shown where lines are worked on

    def __init__(self, document: Document, jobs: Jobs, talk: Talk) -> None:
        super().__init__()
        self._document, self._jobs, self._talk = document, jobs, talk
        self.entries: list[Entry] = []
        self._step: int | None = None

    @property
    def now(self) -> Entry | None:
        """The run that is being done."""
        return next((e for e in self.entries if e.running), None)

    def start(
        self, lines: Sequence[Line], recipe: Recipe, target: Path, *, handed: str = "", report: bool = False
    ) -> Entry:  # fmt: skip
        """Begin a run. ScriptError where there is nothing to do, or another is being done."""
        if not lines:
            raise ScriptError("There is no line to do.")
        if self.now is not None:
            raise ScriptError("The Queue is at work already; wait for it, or stop it first.")
        production, began = self._document.production, {x.slug: x for x in lines}
        entry = Entry(", ".join(recipe.steps), target, len(lines), recipe)
        self._step = None

        def work(told: Told) -> None:
            from ...batch.job import Job
            from ...batch.running import Run, done_in, engine_for, run_job

            engine = engine_for(recipe)
            calm = False
            try:
                job = Job(production, list(began), recipe, target, engine, control=entry.control, handed=handed)  # fmt: skip
                run = Run(target, recipe.fps or production.header.fps, workers=engine.workers)
                run_job(job, run, each=told.each, progress=told)
                done_in(production, run, recipe, target / handed if handed else target)
                if report:
                    from ...batch.report.writing import write_report

                    write_report(run)
                calm = True
            finally:
                engine.close(now=not calm)

        self._jobs.submit(
            f"Queue: {entry.what}", work, lambda _: self._say(entry), name=NAME,
            each=lambda o: self._take(entry, o, began[o.line.slug]), ended=lambda problem: self._end(entry, problem),
        )  # fmt: skip
        self.entries.append(entry)
        self.changed.emit()
        return entry

    def pause(self) -> None:
        """Begin no more lines, or go on."""
        if (entry := self.now) is not None:
            if entry.control.paused.is_set():
                entry.control.paused.clear()
            else:
                entry.control.paused.set()
            self.changed.emit()

    def stop(self) -> None:
        """End the run; what is done is kept."""
        if (entry := self.now) is not None:
            entry.control.stopped.set()
            if (job := self._jobs.find(NAME)) is not None:
                job.cancel()

    def _take(self, entry: Entry, outcome: Outcome, began: Line) -> None:
        entry.outcomes.append(outcome)
        self._hear(entry, outcome, began)
        self.changed.emit()

    def _hear(self, entry: Entry, outcome: Outcome, began: Line) -> None:
        """What was heard goes into the line, unless that is another by now."""
        from ...batch.running import heard_on

        now = self._document.kept_line(began.slug)
        if now is None or heard_on(began, outcome) == began:
            return
        if now is not began:
            entry.overtaken += 1
            return

        def patch(line: Line | None) -> Line | None:
            return heard_on(line, outcome) if line is began else line

        key = line_key(began.slug)
        if not self._document.amend(self._step, {key: patch}):
            self._step = self._document.change("Listen in the Queue", {key: patch(now)})

    def _say(self, entry: Entry) -> None:
        files = sum(len(o.files) for o in entry.outcomes)
        done = f"{len(entry.outcomes) - entry.failed} of {counted(entry.total, 'line')} done"
        said = f"{counted(files, 'file')} written to {entry.target}" if files else done
        if entry.failed:
            first = next(o for o in entry.outcomes if o.state == "failed")
            said += f"; {counted(entry.failed, 'line')} failed: {first.problem}"
        if entry.overtaken:
            said += f"; {entry.overtaken} changed meanwhile and were left as they are"
        self._talk.say(said)

    def _end(self, entry: Entry, problem: str) -> None:
        entry.ended, entry.problem = time.monotonic(), problem
        self.written.emit([o.line.slug for o in entry.outcomes if o.files])
        self.changed.emit()
