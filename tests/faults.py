"""Things that go wrong at a chosen point: a disk that fails, waits or tears; work that is late or
dies."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest import mock

from glyphos.errors import SaveError
from glyphos.files import Disk
from tests.patience import PATIENCE

FULL = OSError(28, "No space left on device")


class FaultyDisk(Disk):
    """A disk on which the next calls of a kind fail, wait or tear what they write.

    `calls`: every call with the thread that made it. Kinds: read, write, append, cut, move.
    """

    def __init__(self) -> None:
        self.calls: list[tuple[str, str, str]] = []
        self._faults: dict[str, list[Any]] = {}
        self._lock = threading.Lock()

    def fail(self, kind: str, times: int = 1, fault: Any = "fail", *, after: int = 0) -> None:
        """Let calls of a kind fail (or `tear`, or wait some seconds), after some that go well."""
        self._faults.setdefault(kind, []).extend([None] * after + [fault] * times)

    def mend(self) -> None:
        self._faults.clear()

    def _point(self, kind: str, path: Path) -> Any:
        with self._lock:
            self.calls.append((kind, path.name, threading.current_thread().name))
            waiting = self._faults.get(kind)
            fault = waiting.pop(0) if waiting else None
        if isinstance(fault, float):
            time.sleep(fault)
        return fault

    def read(self, path: Path) -> bytes:
        if self._point("read", path) == "fail":
            raise OSError(5, "Input/output error")
        return super().read(path)

    def write_all(self, files: Any) -> None:
        for path in files:
            if self._point("write", path) == "fail":
                raise SaveError(f"{path} cannot be written: no space left on device.")
        super().write_all(files)

    def append(self, path: Path, data: bytes, size: int) -> None:
        fault = self._point("append", path)
        if fault == "tear":
            with path.open("ab") as file:
                file.write(data[: len(data) // 2])
        if fault in ("tear", "fail"):
            raise FULL
        super().append(path, data, size)

    def cut(self, path: Path, size: int) -> None:
        if self._point("cut", path) == "fail":
            raise FULL
        super().cut(path, size)

    def move(self, path: Path, target: Path) -> None:
        if self._point("move", path) == "fail":
            raise OSError(13, "Permission denied")
        super().move(path, target)


class Gate:
    """Work waits in front of it until it is opened."""

    def __init__(self) -> None:
        self._open = threading.Event()
        self.reached = threading.Event()

    def open(self) -> None:
        self._open.set()

    def wait(self) -> None:
        self.reached.set()
        self._open.wait(PATIENCE)


@contextmanager
def late(target: str, *, done: bool = False) -> Iterator[Gate]:
    """A function of ours that does its work only once the gate is opened; or that has done it and ends then."""
    module, name = target.rsplit(".", 1)
    original = getattr(__import__(module, fromlist=[name]), name)
    gate = Gate()

    def waiting(*values: Any, **named: Any) -> Any:
        if not done:
            gate.wait()
        made = original(*values, **named)
        if done:
            gate.wait()
        return made

    with mock.patch(target, waiting):
        try:
            yield gate
        finally:
            gate.open()


@contextmanager
def dying(target: str, error: BaseException) -> Iterator[None]:
    """A function of ours that ends in an error nobody thought of."""
    with mock.patch(target, side_effect=error):
        yield
