"""Edges found again in the background after a correction, on evidence computed once for a line.

The result becomes part of the step that asked for it. Something else done meanwhile overtakes it:
then it is found again for both.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import msgspec

from ..speech.align import Evidence
from ..speech.reading import Reading
from .work import Progress, Task

if TYPE_CHECKING:
    from .session import Session


class EdgeFinder:
    """Works for one session; windows are stretches (start, end) of the line in seconds."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._evidence: tuple[str, Evidence] | None = None
        self._computing: Task | None = None
        self._waiting: list[Callable[[Evidence], None]] = []
        self._windows: list[tuple[float, float]] = []
        self._finding: Task | None = None

    @property
    def busy(self) -> bool:
        """Whether edges are being found, or are to be."""
        return self._finding is not None or bool(self._windows)

    def find(self, windows: Sequence[tuple[float, float]]) -> None:
        """Find the unpinned edges of these stretches again, soon."""
        self._windows += windows
        if self._windows and self._finding is None:
            self.with_evidence(self._begin)

    def forget(self) -> None:
        """Find nothing any more: another line or another state is shown."""
        self._windows.clear()

    def cancel(self) -> None:
        if self._computing is not None:
            self._computing.cancel()

    def _begin(self, evidence: Evidence) -> None:
        reading, windows, slug = self.session.reading, list(self._windows), self.session.slug
        if reading is None or not windows or self._finding is not None:
            return
        from ..speech.realign import realign

        task = Task(lambda _: realign(reading, evidence, windows))
        self._finding = task
        task.signals.done.connect(lambda made: self._found(slug, reading, made, len(windows)))
        task.signals.failed.connect(self._failed)
        task.signals.cancelled.connect(lambda: self._failed(""))
        task.start()

    def _failed(self, message: str) -> None:
        self._finding = None
        self._windows.clear()
        if message:
            self.session.failed.emit(message)

    def _found(self, slug: str, asked: Reading, made: Reading, count: int) -> None:
        self._finding = None
        session = self.session
        if session.slug != slug or session.dragging:
            return
        if session.reading is not asked:
            self.find(())  # something else was done meanwhile: find for that, too
            return
        del self._windows[:count]
        if made.phrases != asked.phrases and session.history.done:
            session.amend(msgspec.structs.replace(session.production.line(slug), reading=made))
        self.find(())

    # ---- evidence -----------------------------------------------------------------------------

    def ready(self) -> Evidence | None:
        """The line's evidence, if it has been computed."""
        if self._evidence is not None and self._evidence[0] == self._key():
            return self._evidence[1]
        return None

    def _key(self) -> str:
        line = self.session.line
        return f"{line.audio}:{line.channel}" if line is not None else ""

    def with_evidence(self, use: Callable[[Evidence], None]) -> None:
        """Call `use` with the line's evidence, at once if it is there, else when it is computed."""
        opened = self.session.opened
        if self.session.line is None or opened is None:
            return
        ready = self.ready()
        if ready is not None:
            use(ready)
            return
        self._waiting.append(use)
        if self._computing is not None:
            return
        key, recording = self._key(), opened.recording

        def work(progress: Progress) -> Evidence:
            from ..speech.hearing import hear

            return hear(recording, progress=progress)

        task = Task(work)
        self._computing = task
        task.signals.done.connect(lambda evidence: self._computed(key, evidence))
        task.signals.failed.connect(lambda _: self._gone())
        task.signals.cancelled.connect(self._gone)
        task.start()

    def _gone(self) -> None:
        self._computing = None
        self._waiting.clear()

    def _computed(self, key: str, evidence: Evidence) -> None:
        self._computing = None
        waiting, self._waiting = self._waiting, []
        if self._key() == key:
            self._evidence = (key, evidence)
        for use in waiting:
            self.with_evidence(use)
