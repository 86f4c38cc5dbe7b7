"""A cluster of dask.distributed as an engine: tasks and results travel as bytes, no disk is shared.

On each worker a task is done in a process of its own, with the same limits as here: a recording that crashes a
decoder ends that process and not the worker.
"""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Callable, Sequence
from concurrent.futures import CancelledError, Future
from pathlib import Path
from typing import Any

from .. import __version__
from ..errors import GlyphosError
from ..hands.crew import NONE, Done, Hands, Limits, LostError, TaskError
from .kept import digest_of
from .task import work

PATIENCE = 10.0  # seconds to reach a cluster
HINT = "start one as docs/cluster.md says, or leave --cluster out"
_hands = Hands()  # of this worker


class ClusterError(GlyphosError):
    """The cluster cannot be reached, or is gone."""


def remote(
    doing: Callable[[bytes, Sequence[str]], bytes], task: bytes, limits: Limits, *packs: bytes
) -> tuple[str, Any, float]:  # fmt: skip
    """Done on a worker: what became of a task, as ("done", bytes, seconds), ("not", sentence, 0) or
    ("lost", sentence, 0)."""
    try:
        done = _hands.run(doing, (task, [_file_of(p) for p in packs]), limits)
    except TaskError as error:
        return "not", str(error), 0.0
    except LostError as error:
        return "lost", str(error), 0.0
    return "done", done.value, done.cpu


def _file_of(pack: bytes) -> str:
    """A file of this machine with what was sent."""
    path = Path(tempfile.gettempdir()) / f"glyphos-pack-{digest_of(pack)}"
    if not path.exists() or path.stat().st_size != len(pack):
        with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as file:
            file.write(pack)
        Path(file.name).replace(path)
    return str(path)


class Cluster:
    """A scheduler that is running somewhere, by its address or its scheduler file."""

    def __init__(
        self, address: str, limits: Limits = NONE, *, retries: int = 2,
        doing: Callable[[bytes, Sequence[str]], bytes] = work,
    ) -> None:  # fmt: skip
        """ClusterError, one sentence, where it cannot be used."""
        self.address, self._limits, self._retries, self._doing = address, limits, retries, doing
        self._client = _connected(address)
        workers = self._client.scheduler_info(n_workers=-1)["workers"]
        self.workers = sum(int(w["nthreads"]) for w in workers.values())
        try:
            self._check_workers()
        except BaseException:
            self._client.close()
            raise
        self._executor = self._client.get_executor(pure=False, retries=retries)

    def _check_workers(self) -> None:
        if not self.workers:
            raise ClusterError(f"The cluster at {self.address} has no workers yet; {HINT}.")
        try:
            versions = self._client.run(_version)
        except Exception as error:  # whatever another machine says
            raise ClusterError(
                f"Glyphos does not run on the workers at {self.address} ({type(error).__name__}); install it there, too."
            ) from None
        others = sorted(set(versions.values()) - {__version__})
        if others:
            raise ClusterError(
                f"Workers at {self.address} have Glyphos {others[0]}, here it is {__version__}; make them the same."
            )

    def share(self, data: bytes) -> Any:
        return self._client.scatter(data, hash=True)

    def submit(self, task: bytes, shared: Sequence[Any]) -> Future[Done]:
        made: Future[Done] = Future()
        made.set_running_or_notify_cancel()
        theirs = self._executor.submit(remote, self._doing, task, self._limits, *shared)
        theirs.add_done_callback(lambda f: self._pass_on(f, made))
        return made

    def _pass_on(self, theirs: Future[tuple[str, Any, float]], ours: Future[Done]) -> None:
        try:
            how, value, cpu = theirs.result()
        except CancelledError:
            ours.set_exception(LostError("The cluster gave the line up; try again."))
        except Exception as error:  # a worker that was killed more often than it may
            ours.set_exception(LostError(f"The worker that had it is gone ({type(error).__name__}); try again."))  # fmt: skip
        else:
            if how == "done":
                ours.set_result(Done(value, cpu))
            else:
                ours.set_exception((TaskError if how == "not" else LostError)(value))

    def check(self) -> None:
        if self._client.status not in ("running", "newly-created"):
            raise ClusterError(
                f"The cluster at {self.address} is gone; what is done is kept: run it again with --resume."
            )

    def close(self, *, now: bool) -> None:
        self._executor.shutdown(wait=False)
        self._client.close(timeout=2 if now else 10)


def _version() -> str:
    return __version__


def _connected(address: str) -> Any:
    try:
        import distributed
    except ImportError:
        raise ClusterError(
            "For a cluster the package “distributed” is needed: pip install distributed."
        ) from None
    for name in list(logging.root.manager.loggerDict):  # some of them have a level of their own
        if name.partition(".")[0] == "distributed":
            logging.getLogger(name).setLevel(logging.CRITICAL)  # what matters is said in a sentence
    file = Path(address)
    there = {"scheduler_file": str(file)} if file.is_file() else {"address": address}
    try:
        made: Any = distributed.Client
        return made(**there, timeout=PATIENCE, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as error:
        raise ClusterError(
            f"The cluster at {address} cannot be reached ({type(error).__name__}); {HINT}."
        ) from None
