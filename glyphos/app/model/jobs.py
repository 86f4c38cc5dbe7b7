"""The one way to do something in the background.

A job is given values and makes a result from them in a thread; the result is applied on the
interface thread, to what is there by then, and only if what it was made from still holds.
Everything that goes wrong arrives as a sentence, and a job always ends.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from fractions import Fraction
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from ...errors import Cancelled, GlyphosError, sentence
from .talk import Talk

THREADS = 6
OFTEN = 0.05  # seconds between two reports of progress
PLAIN = (str, int, float, bool, Fraction)
TRIES = 4  # times that work is begun again because what it began with changed


class Told:
    """What work tells while it runs: its progress, and results that come one by one."""

    def __init__(self, job: Job, post: Callable[[str, Job, Any], None]) -> None:
        self._job, self._post, self._last = job, post, 0.0

    def __call__(self, fraction: float) -> None:
        """Progress 0..1; raises Cancelled once the job was cancelled."""
        if self._job.cancelled:
            raise Cancelled("Stopped.")
        now = time.monotonic()
        if now - self._last > OFTEN:
            self._last = now
            self._post("progress", self._job, fraction)

    def each(self, result: Any) -> None:
        """One of many results, to be applied as it comes."""
        self._post("each", self._job, result)


class Job:
    """Something that is being done. `what` as it is shown; quiet ones are not."""

    def __init__(
        self, jobs: Jobs, what: str, work: Callable[[Told], Any], apply: Callable[[Any], None], *,
        scope: object, name: str, quiet: bool, inputs: Callable[[], object] | None,
        again: Callable[[], object] | None, each: Callable[[Any], None] | None,
        ended: Callable[[str], None] | None, unused: Callable[[Any], None] | None,
    ) -> None:  # fmt: skip
        self.what, self.scope, self.name, self.quiet = what, scope, name, quiet
        self.fraction = 0.0
        self.cancelled = False
        self.tries = 1
        self.work, self.apply, self.inputs = work, apply, inputs
        self.again, self.each, self.ended, self.unused = again, each, ended, unused
        self.given = inputs() if inputs is not None else None
        self._jobs = jobs

    def cancel(self) -> None:
        """Stop; whatever still comes of it is not applied."""
        self._jobs.stop(self)

    @property
    def fresh(self) -> bool:
        """Whether what it began with still holds."""
        return self.inputs is None or same(self.given, self.inputs())


class Jobs(QObject):
    """All jobs of the application; lives on the interface thread."""

    changed = Signal()
    _posted = Signal(str, object, object)

    def __init__(self, talk: Talk) -> None:
        super().__init__()
        self.talk = talk
        self.scope: object = None  # of what is submitted without one: the production that is open
        self.running: list[Job] = []
        self._waiting: deque[Job] = deque()
        self._ready = threading.Condition()
        self._threads: list[threading.Thread] = []
        self._idle = 0
        self._over = False
        self._posted.connect(self._arrived, Qt.ConnectionType.QueuedConnection)

    @property
    def shown(self) -> list[Job]:
        """Jobs that a person is told of."""
        return [j for j in self.running if not j.quiet]

    def find(self, name: str) -> Job | None:
        """The running job of a name."""
        return next((j for j in self.running if j.name == name), None)

    def submit(
        self,
        what: str,
        work: Callable[[Told], Any],
        apply: Callable[[Any], None],
        *,
        scope: object = None,
        name: str = "",
        quiet: bool = False,
        instead: bool = False,
        inputs: Callable[[], object] | None = None,
        again: Callable[[], object] | None = None,
        each: Callable[[Any], None] | None = None,
        ended: Callable[[str], None] | None = None,
        unused: Callable[[Any], None] | None = None,
    ) -> Job:
        """Begin `work(told)` in a thread; its result goes to `apply` on the interface thread.

        scope: what it belongs to; the result is dropped once that is closed (`cancel`).
        name: only one job of a name runs; another is refused with a sentence, or takes its place
        (`instead`). inputs: what the work begins from, asked now and again when the result comes:
        if it differs, `again` is called to begin anew, or the result is dropped with a word.
        each: takes what the work hands out one by one. ended: called last, with "" or a sentence.
        unused: lets a result go that is not applied, for whatever reason, if it holds anything.
        """
        running = self.find(name) if name else None
        if running is not None:
            if not instead:
                raise GlyphosError(
                    f"{running.what} is being done already; wait for it or cancel it."
                )
            self._drop(running)
        job = Job(self, what, work, apply, scope=self.scope if scope is None else scope, name=name,
                  quiet=quiet, inputs=inputs, again=again, each=each, ended=ended, unused=unused)  # fmt: skip
        self.running.append(job)
        with self._ready:
            self._waiting.append(job)
            if self._idle < len(self._waiting) and len(self._threads) < THREADS:
                thread = threading.Thread(target=self._serve, daemon=True, name="job")
                self._threads.append(thread)
                thread.start()
            self._ready.notify()
        self.changed.emit()
        return job

    def cancel(self, scope: object) -> None:
        """Stop everything that belongs to a scope; nothing of it is applied any more."""
        for job in [j for j in self.running if j.scope is scope]:
            self._drop(job)
            self._end(job, "")
        self.changed.emit()

    def cancel_shown(self) -> None:
        """Stop what a person is told of."""
        for job in self.shown:
            self.stop(job)

    def stop(self, job: Job) -> None:
        """Stop one job because a person wants it."""
        if job in self.running:
            self._drop(job)
            self._end(job, "Stopped.")
            if not job.quiet:
                self.talk.say("Stopped; nothing was changed." if job.each is None else
                              "Stopped; what was done is kept.")  # fmt: skip

    def close(self) -> None:
        """Stop everything, and wait a little for threads to notice."""
        with self._ready:
            self._over = True
            for job in self.running:
                job.cancelled = True
            self._waiting.clear()
            self._ready.notify_all()
        self.running.clear()
        end = time.monotonic() + 3
        for thread in self._threads:
            thread.join(max(0.0, end - time.monotonic()))

    def _drop(self, job: Job) -> None:
        job.cancelled = True
        if job in self.running:
            self.running.remove(job)
        self.changed.emit()

    # ---- in a thread --------------------------------------------------------------------------

    def _serve(self) -> None:
        while True:
            with self._ready:
                self._idle += 1
                while not self._waiting and not self._over:
                    self._ready.wait()
                self._idle -= 1
                if self._over:
                    return
                job = self._waiting.popleft()
            if not job.cancelled:
                self._do(job)

    def _do(self, job: Job) -> None:
        try:
            result = job.work(Told(job, self._post))
        except Cancelled:
            self._post("failed", job, "")
        except BaseException as error:
            self._post("failed", job, sentence(error))
        else:
            self._post("done", job, result)

    def _post(self, kind: str, job: Job, value: Any) -> None:
        with self._ready:  # once it is closed, who would hear it may be gone
            if not self._over:
                self._posted.emit(kind, job, value)
                return
        if kind == "done":
            _let_go(job, value)

    # ---- on the interface thread --------------------------------------------------------------

    def _arrived(self, kind: str, job: Job, value: Any) -> None:
        if job.cancelled or job not in self.running:
            if kind == "done":
                _let_go(job, value)
            return
        if kind == "progress":
            job.fraction = value
            self.changed.emit()
        elif kind == "each":
            assert job.each is not None
            each = job.each
            self.talk.try_to(lambda: each(value))
        elif kind == "failed":
            self._drop(job)
            if value and not job.quiet:
                self.talk.fail(value)
            self._end(job, value or "Stopped.")
        else:
            self._done(job, value)

    def _done(self, job: Job, result: Any) -> None:
        self._drop(job)
        if job.fresh:
            try:
                job.apply(result)
            except Exception as error:
                self.talk.fail(error)
                self._end(job, sentence(error))
                return
            self._end(job, "")
            return
        _let_go(job, result)
        if job.again is not None and job.tries < TRIES:
            again = job.again
            self.talk.try_to(again)
            for begun in self.running:
                if begun.name == job.name and job.name:
                    begun.tries = job.tries + 1
            self._end(job, "")
        else:
            if not job.quiet:
                self.talk.say(f"{job.what}: something was changed meanwhile, so it was not used.")
            self._end(job, "")

    def _end(self, job: Job, problem: str) -> None:
        if job.ended is not None:
            ended = job.ended
            self.talk.try_to(lambda: ended(problem))


def _let_go(job: Job, result: Any) -> None:
    if job.unused is not None:
        with suppress(OSError):  # what cannot be taken away stays, and harms nobody
            job.unused(result)


def same(a: object, b: object) -> bool:
    """Whether two snapshots are of the same values: the same objects, or equal plain ones."""
    if isinstance(a, tuple) and isinstance(b, tuple):
        return len(a) == len(b) and all(same(x, y) for x, y in zip(a, b, strict=True))
    return a is b or (isinstance(a, PLAIN) and type(a) is type(b) and a == b)
