"""Listening to many lines in the background while one goes on working."""

from __future__ import annotations

import threading

from PySide6.QtCore import QObject, Signal

from ..errors import Cancelled, GlyphosError, ScriptError
from ..production.batch import Heard, job_for, listen_many, with_heard
from .session import Session


class Batch(QObject):
    """One run over lines at a time; each result is taken over as it comes."""

    busy = Signal(object)  # slugs that are being listened to
    progress = Signal(str, float)
    _heard = Signal(object)
    _ended = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._thread: threading.Thread | None = None
        self._stop = threading.Event()
        self._left: set[str] = set()
        self._done = self._count = 0
        self._heard.connect(self._take)
        self._ended.connect(self._end)

    @property
    def running(self) -> bool:
        return self._thread is not None

    def start(self, slugs: list[str] | None = None) -> None:
        """Listen to lines; without `slugs` to all that have a script and no reading."""
        if self.running:
            raise ScriptError("Lines are being listened to already; wait for them or cancel.")
        production = self.session.production
        wanted = [
            x for x in production.lines
            if x.slug in (slugs or ()) or (slugs is None and x.reading is None and x.script.strip())
        ]  # fmt: skip
        if not wanted:
            raise ScriptError("Every line that has a script has been listened to already.")
        jobs = [job_for(production, x, self.session.lexicon) for x in wanted]
        self._left = {x.slug for x in wanted}
        self._count, self._done = len(jobs), 0
        self._stop.clear()

        def progress(_: float) -> None:
            if self._stop.is_set():
                raise Cancelled("Stopped.")

        def run() -> None:
            message = ""
            try:
                for heard in listen_many(jobs, progress=progress):
                    self._heard.emit(heard)
            except Cancelled:
                message = "Stopped; lines that were done are kept."
            except (GlyphosError, OSError, RuntimeError) as error:
                message = f"Listening stopped: {error}"
            try:
                self._ended.emit(message)
            except RuntimeError:  # the window was closed meanwhile
                pass

        self._thread = threading.Thread(target=run, daemon=True)
        self._thread.start()
        self.busy.emit(frozenset(self._left))
        self.progress.emit(self._what(), 0.0)

    def _what(self) -> str:
        return f"Listening to {self._count} lines"

    def cancel(self, *, wait: bool = False) -> None:
        """Stop after the lines that are being listened to now."""
        self._stop.set()
        if wait and self._thread is not None:
            self._thread.join(timeout=20)

    def _take(self, heard: Heard) -> None:
        self._left.discard(heard.slug)
        self._done += 1
        production = self.session.production
        if any(x.slug == heard.slug for x in production.lines):
            line = with_heard(production.line(heard.slug), heard)
            self.session.do("Listen to lines", production.with_line(line), merge=True)
        self.busy.emit(frozenset(self._left))
        self.progress.emit(self._what(), self._done / max(1, self._count))

    def _end(self, message: str) -> None:
        if self._thread is not None:
            self._thread.join(timeout=20)
        self._thread = None
        self._left.clear()
        self.busy.emit(frozenset())
        self.progress.emit("", 1.0)
        problems = sum(bool(x.problem) for x in self.session.production.lines)
        said = message or f"{self._done} lines listened to"
        self.session.said.emit(said + (f"; {problems} with a problem" if problems else ""))
