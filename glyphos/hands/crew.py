"""Work in processes of their own on this machine: one that crashes, hangs or eats all memory takes only its own
task with it.

A `Crew` is an executor of `concurrent.futures` with limits. A task that cannot be done ends in TaskError, one
whose process went away in LostError: only the latter is worth another try.
"""

from __future__ import annotations

import os
import pickle
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from time import monotonic
from typing import Any

from ..errors import Cancelled, GlyphosError
from ..held import HeldFolder
from .branching import ALONE, Branch, stem
from .hand import BEGUN, live_in

EVERY = 0.1  # seconds between two looks at a process
PAGE = os.sysconf("SC_PAGE_SIZE")


class TaskError(GlyphosError):
    """The task cannot be done; its text says why."""


class LostError(GlyphosError):
    """The process that did the task is gone."""


@dataclass(frozen=True)
class Limits:
    """Of one task: seconds it may take, megabytes its process may hold; 0 for none."""

    seconds: float = 0.0
    megabytes: float = 0.0


NONE = Limits()


@dataclass(frozen=True)
class Done:
    """What a task gave, and the seconds of a processor it took."""

    value: Any
    cpu: float


class Hand:
    """One process, begun when it is first needed and again after it died. folder: where its temporary files are kept;
    loaded: what it has from the start, beside the functions it is asked for (`stem.load`)."""

    def __init__(self, folder: str = "", loaded: Sequence[str] = ()) -> None:
        self._folder, self._loaded = folder, tuple(loaded)
        self._branch: Branch | None = None
        self._ask: Connection | None = None
        self._answer: Connection | None = None

    def run(
        self, function: Callable[..., Any], given: tuple[Any, ...], limits: Limits = NONE,
        stop: threading.Event | None = None,
    ) -> Done:  # fmt: skip
        """Have a function called there. TaskError, LostError or Cancelled if it gives nothing."""
        try:
            if self._branch is None or self._branch.wait(0) is not None:
                self._begin((*self._loaded, function.__module__), stop)
            there, value, more = self._asked(function, given, limits, stop)
        except (OSError, EOFError):
            raise LostError(self._ended()) from None
        except BaseException:
            self.close()
            raise
        if not there:
            raise TaskError(value)
        return Done(value, more)

    def _begin(self, loaded: Sequence[str], stop: threading.Event | None) -> None:
        """Another process."""
        self.close()
        theirs, ask = os.pipe()
        answer, told = os.pipe()
        self._ask, self._answer = (
            Connection(ask, readable=False),
            Connection(answer, writable=False),
        )
        try:
            self._branch = stem.branch(theirs, told, loaded)
        finally:
            os.close(theirs)
            os.close(told)
        while not self._branch.begun(EVERY):
            if stop is not None and stop.is_set():
                raise Cancelled("Stopped.")
        environment = os.environ | dict.fromkeys(ALONE, "1")
        self._asked(live_in, (environment, self._folder), NONE, stop)

    def _asked(
        self, function: Callable[..., Any], given: tuple[Any, ...], limits: Limits, stop: threading.Event | None
    ) -> tuple[bool, Any, Any]:  # fmt: skip
        """What it answers."""
        assert self._ask is not None and self._answer is not None
        self._ask.send_bytes(pickle.dumps((function, given), pickle.HIGHEST_PROTOCOL))
        told = self._waited(self._answer, Limits(megabytes=limits.megabytes), stop)
        if told == BEGUN:
            told = self._waited(self._answer, limits, stop)
        answer: tuple[bool, Any, Any] = pickle.loads(told)
        return answer

    def _waited(self, answer: Connection, limits: Limits, stop: threading.Event | None) -> bytes:
        """What it tells next."""
        began = monotonic()
        while not answer.poll(EVERY):
            self._look(limits, monotonic() - began, stop)
        return answer.recv_bytes()

    def _look(self, limits: Limits, spent: float, stop: threading.Event | None) -> None:
        if stop is not None and stop.is_set():
            raise Cancelled("Stopped.")
        if limits.seconds and spent > limits.seconds:
            raise TaskError(
                f"It was not done after {limits.seconds:g} seconds and was ended; allow more time, or cut the line."
            )
        if limits.megabytes and self._megabytes() > limits.megabytes:
            raise TaskError(
                f"It needed more than {limits.megabytes:g} MB of memory and was ended; allow more, or cut the line."
            )

    def _megabytes(self) -> float:
        try:
            pages = Path(f"/proc/{self.pid}/statm").read_text().split()[1]
        except (OSError, IndexError):
            return 0.0
        return int(pages) * PAGE / 1e6

    def _ended(self) -> str:
        code = (self._branch.wait() if self._branch is not None else None) or 0
        self.close()
        how = f"by signal {-code}" if code < 0 else f"with code {code}"
        return f"The process that worked on it ended {how}; try again."

    @property
    def pid(self) -> int:
        """Of the process; 0 while there is none."""
        return self._branch.pid if self._branch is not None else 0

    def close(self) -> None:
        """End the process; the next task begins another."""
        for pipe in (self._ask, self._answer):
            if pipe is not None:
                pipe.close()
        if self._branch is not None:
            self._branch.end()
        self._branch = self._ask = self._answer = None


class Hands:
    """Processes that are lent to threads, one each. loaded: as for `Hand`."""

    def __init__(self, loaded: Sequence[str] = ()) -> None:
        self._loaded = loaded
        self._lock = threading.Lock()
        # What they leave there goes with them
        self._folder: HeldFolder | None = None
        self._idle: list[Hand] = []
        self._all: list[Hand] = []

    def run(
        self, function: Callable[..., Any], given: tuple[Any, ...], limits: Limits = NONE,
        stop: threading.Event | None = None,
    ) -> Done:  # fmt: skip
        """As `Hand.run`, in whichever is free."""
        with self._lock:
            if self._idle:
                hand = self._idle.pop()
            else:
                hand = self._another()
        try:
            return hand.run(function, given, limits, stop)
        finally:
            with self._lock:
                self._idle.append(hand)

    def _another(self) -> Hand:
        if self._folder is None:
            self._folder = HeldFolder("glyphos-hands-")
        hand = Hand(self._folder.name, self._loaded)
        self._all.append(hand)
        return hand

    @property
    def pids(self) -> list[int]:
        """Of the processes there are."""
        with self._lock:
            return [h.pid for h in self._all if h.pid]

    def close(self) -> None:
        """End those that are idle."""
        with self._lock:
            for hand in self._idle:
                hand.close()
                self._all.remove(hand)
            self._idle.clear()
            if self._folder is not None and not self._all:
                self._folder.close()
                self._folder = None


class Crew(Executor):
    """As many processes as are wanted, one task at a time each."""

    def __init__(
        self, workers: int | None = None, limits: Limits = NONE, loaded: Sequence[str] = ()
    ) -> None:
        self.workers = workers or os.cpu_count() or 1
        self.limits = limits
        self.hands = Hands(loaded)
        self._stop = threading.Event()
        self._threads = ThreadPoolExecutor(self.workers, thread_name_prefix="crew")

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """`fn` and what it is given must be importable in another process; the result is its value."""
        assert not kwargs
        return self._threads.submit(lambda: self.hands.run(fn, args, self.limits, self._stop).value)

    def done(self, function: Callable[..., Any], *given: Any) -> Future[Done]:
        """As `submit`, but the result tells the time of the processor too."""
        return self._threads.submit(
            lambda: self.hands.run(function, given, self.limits, self._stop)
        )

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """wait: for what is being done; else it is ended at once."""
        if not wait or cancel_futures:
            self._stop.set()
        self._threads.shutdown(wait=True, cancel_futures=cancel_futures)
        self.hands.close()
