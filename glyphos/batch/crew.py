"""Work in processes of their own on this machine: one that crashes, hangs or eats all memory takes only its own
task with it.

A `Crew` is an executor of `concurrent.futures` with limits. A task that cannot be done ends in TaskError, one
whose process went away in LostError: only the latter is worth another try.
"""

from __future__ import annotations

import os
import pickle
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from time import monotonic
from typing import Any

from ..errors import Cancelled, GlyphosError
from .hand import BEGUN

EVERY = 0.1  # seconds between two looks at a process
PAGE = os.sysconf("SC_PAGE_SIZE")
ALONE = (
    "OMP_NUM_THREADS",
    "OPENBLAS_NUM_THREADS",
    "MKL_NUM_THREADS",
)  # a process keeps to one core


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
    """One process, begun when it is first needed and again after it died."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._ask: Connection | None = None
        self._answer: Connection | None = None

    def run(
        self, function: Callable[..., Any], given: tuple[Any, ...], limits: Limits = NONE,
        stop: threading.Event | None = None,
    ) -> Done:  # fmt: skip
        """Have a function called there. TaskError, LostError or Cancelled if it gives nothing."""
        request = pickle.dumps((function, given), pickle.HIGHEST_PROTOCOL)
        try:
            ask, answer = self._ready()
            ask.send_bytes(request)
            told = self._waited(answer, Limits(megabytes=limits.megabytes), stop)
            if told == BEGUN:
                told = self._waited(answer, limits, stop)
            there, value, more = pickle.loads(told)
        except (OSError, EOFError):
            raise LostError(self._ended()) from None
        except BaseException:
            self.close()
            raise
        if not there:
            raise TaskError(value)
        return Done(value, more)

    def _waited(self, answer: Connection, limits: Limits, stop: threading.Event | None) -> bytes:
        """What it tells next."""
        began = monotonic()
        while not answer.poll(EVERY):
            self._look(limits, monotonic() - began, stop)
        return answer.recv_bytes()

    def _ready(self) -> tuple[Connection, Connection]:
        if self._process is not None and self._process.poll() is not None:
            self.close()
        if self._process is None:
            theirs, ask = os.pipe()
            answer, told = os.pipe()
            environment = os.environ | dict.fromkeys(ALONE, "1")
            self._process = subprocess.Popen(
                [sys.executable, "-m", "glyphos.batch.hand", str(theirs), str(told), str(os.getpid())],
                pass_fds=(theirs, told), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, env=environment,
                start_new_session=True,
            )  # fmt: skip
            os.close(theirs)
            os.close(told)
            self._ask = Connection(ask, readable=False)
            self._answer = Connection(answer, writable=False)
        assert self._ask is not None and self._answer is not None
        return self._ask, self._answer

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
            assert self._process is not None
            pages = Path(f"/proc/{self._process.pid}/statm").read_text().split()[1]
        except (OSError, IndexError):
            return 0.0
        return int(pages) * PAGE / 1e6

    def _ended(self) -> str:
        process = self._process
        code = process.wait() if process is not None else 0
        self.close()
        how = f"by signal {-code}" if code < 0 else f"with code {code}"
        return f"The process that worked on it ended {how}; try again."

    @property
    def pid(self) -> int:
        """Of the process; 0 while there is none."""
        return self._process.pid if self._process is not None else 0

    def close(self) -> None:
        """End the process; the next task begins another."""
        if self._process is not None:
            with suppress(ProcessLookupError):
                os.killpg(self._process.pid, signal.SIGKILL)  # with the helpers it has begun
            self._process.wait()
        for pipe in (self._ask, self._answer):
            if pipe is not None:
                pipe.close()
        self._process = self._ask = self._answer = None


class Hands:
    """Processes that are lent to threads, one each."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
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
                hand = Hand()
                self._all.append(hand)
        try:
            return hand.run(function, given, limits, stop)
        finally:
            with self._lock:
                self._idle.append(hand)

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


class Crew(Executor):
    """As many processes as are wanted, one task at a time each."""

    def __init__(self, workers: int | None = None, limits: Limits = NONE) -> None:
        self.workers = workers or os.cpu_count() or 1
        self.limits = limits
        self.hands = Hands()
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
