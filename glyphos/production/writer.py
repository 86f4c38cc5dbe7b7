"""One thread that writes: changes are handed to it and are on disk a moment later.

Typing waits until the fingers rest; everything else goes to the journal at once. What could not be
written is tried again until it succeeds, and is told until then.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any

from ..errors import sentence
from .kinds import Changes, Key
from .store import Store

SOON = 0.02  # seconds until anything else is: what is seen of it comes first
TYPING = 0.3  # seconds of rest after which what was typed is kept
LONGEST = 1.2  # seconds that typing may put it off
SETTLE = 1.5  # seconds after the last change until documents are written
AGAIN = 1.0  # seconds until a failed write is tried again


class Writer:
    """Keeps one open store from a thread of its own. `told` is called there: with a sentence
    while something cannot be written, with "" once it is."""

    def __init__(self, store: Store, told: Callable[[str], None]) -> None:
        self.store = store
        self._told = told
        self._changed = threading.Condition()
        self._pending: dict[Key, Any] = {}
        self._due = self._latest = 0.0
        self._settle_at: float | None = None if store.settled else time.monotonic() + SETTLE
        self._flushing = self._ending = self._busy = False
        self._trouble = ""
        self._thread = threading.Thread(target=self._run, name="writer", daemon=True)
        self._thread.start()

    def put(self, changes: Changes, *, typing: bool = False) -> None:
        """Take changes to be written; returns at once."""
        now = time.monotonic()
        with self._changed:
            if not self._pending:
                self._latest = now + LONGEST
            self._pending.update(changes)
            self._due = min(now + TYPING, self._latest) if typing else now + SOON
            self._changed.notify_all()

    def flush(self, seconds: float = 20.0) -> str:
        """Write everything, documents too, and wait for it; "" or why it could not be done."""
        with self._changed:
            self._flushing = True
            self._changed.notify_all()
            done = self._changed.wait_for(lambda: not self._flushing, seconds)
            return (
                self._trouble if done else "Writing takes unusually long; the disk does not answer."
            )

    def close(self, seconds: float = 20.0) -> str:
        """Write what is left and let the store go; "" or why not: then it is still open."""
        problem = self.flush(seconds)
        if problem and not self.store.read_only:
            return problem
        self.give_up()
        return ""

    def give_up(self) -> None:
        """Stop writing and let the store go, whatever is left."""
        with self._changed:
            self._ending = True
            self._changed.notify_all()
        self._thread.join(timeout=5)
        self.store.let_go()

    # ---- in the thread ------------------------------------------------------------------------

    def _run(self) -> None:
        while True:
            with self._changed:
                while not self._ending and not self._flushing and (wait := self._rest()) > 0:
                    self._changed.wait(wait if wait < 3600 else None)
                if self._ending:
                    return
                changes, self._pending = self._pending, {}
                settle = self._flushing or (
                    self._settle_at is not None and time.monotonic() >= self._settle_at
                )
            self._write(changes, settle)

    def _rest(self) -> float:
        """Seconds until there is something to do."""
        due = self._due if self._pending else float("inf")
        return min(due, self._settle_at or float("inf")) - time.monotonic()

    def _tried(self, work: Callable[[], None]) -> str:
        try:
            work()
        except Exception as error:
            return sentence(error)
        return ""

    def _write(self, changes: Changes, settle: bool) -> None:
        problem = self._tried(lambda: self.store.keep(changes)) if changes else ""
        if settle:  # this writes whatever the journal would not take, too
            problem = self._tried(self.store.settle) or (problem if self.store.read_only else "")
        now = time.monotonic()
        with self._changed:
            if problem:
                self._settle_at = None if self.store.read_only else now + AGAIN
            elif settle:
                self._settle_at = None
            else:
                self._settle_at = now + SETTLE
            changed = problem != self._trouble
            self._trouble = problem
            if settle and (problem or not self._pending):
                self._flushing = False
            self._changed.notify_all()
            if (changed or problem) and not self._ending:  # who would hear it may be gone by then
                self._told(problem)
