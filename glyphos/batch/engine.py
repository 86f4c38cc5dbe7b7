"""Where the work of a job is done: processes on this machine, or a cluster. Both look the same from outside."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future
from pathlib import Path
from typing import Any, Protocol

from ..hands.crew import Crew, Done, Limits
from ..held import HeldFolder
from .task import work


class Engine(Protocol):
    """Takes tasks as bytes and gives their results as bytes. Exceptions of a future: TaskError where the task
    cannot be done, LostError where its process is gone."""

    workers: int

    def share(self, data: bytes) -> Any:
        """Bring what many tasks need to where they are done, once; names it for `submit`."""

    def submit(self, task: bytes, shared: Sequence[Any]) -> Future[Done]: ...
    def check(self) -> None:
        """ClusterError where it is gone."""

    def close(self, *, now: bool) -> None:
        """now: end what is being done."""


class Here:
    """Processes on this machine. doing: in place of `task.work`, for tests; loaded: what their work needs besides
    (`stem.load`)."""

    def __init__(
        self, workers: int | None = None, limits: Limits | None = None,
        doing: Callable[[bytes, Sequence[str]], bytes] = work, loaded: Sequence[str] = (),
    ) -> None:  # fmt: skip
        self.crew = Crew(workers, limits or Limits(), loaded)
        self.workers = self.crew.workers
        self._doing = doing
        self._shared = HeldFolder("glyphos-shared-")

    def share(self, data: bytes) -> str:
        path = Path(self._shared.name) / str(len(list(Path(self._shared.name).iterdir())))
        path.write_bytes(data)
        return str(path)

    def submit(self, task: bytes, shared: Sequence[Any]) -> Future[Done]:
        return self.crew.done(self._doing, task, tuple(shared))

    def check(self) -> None:
        pass

    def close(self, *, now: bool) -> None:
        self.crew.shutdown(cancel_futures=now)
        self._shared.close()
