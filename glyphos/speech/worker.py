"""A process of its own for an engine: one JSON request a line in, one answer out.

It starts on first use, is shared by everyone who asks, and is started again if it dies.
"""

from __future__ import annotations

import atexit
import json
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any


class Worker:
    """Runs a script that answers every line with {"ok": …} or {"error": …}."""

    def __init__(self, script: Path, *arguments: str) -> None:
        self._command = [sys.executable, "-I", str(script), *arguments]
        self._lock = threading.Lock()
        self._process: subprocess.Popen[str] | None = None
        atexit.register(self.close)

    def ask(self, request: dict[str, Any]) -> Any:
        """The answer. Raises WorkerDied if there is none twice, WorkerRefused with its reason."""
        with self._lock:
            try:
                reply = self._exchange(request)
            except (OSError, ValueError):
                self._stop()
                try:
                    reply = self._exchange(request)
                except (OSError, ValueError):
                    self._stop()
                    raise WorkerDied from None
        if "error" in reply:
            raise WorkerRefused(reply["error"])
        return reply["ok"]

    def _exchange(self, request: dict[str, Any]) -> dict[str, Any]:
        if self._process is None or self._process.poll() is not None:
            self._stop()  # what it left
            self._process = subprocess.Popen(
                self._command, stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL, text=True, encoding="utf-8",
            )  # fmt: skip
        assert self._process.stdin and self._process.stdout
        self._process.stdin.write(json.dumps(request) + "\n")
        self._process.stdin.flush()
        reply: dict[str, Any] = json.loads(self._process.stdout.readline())
        return reply

    def _stop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            for pipe in (self._process.stdin, self._process.stdout):
                if pipe is not None:
                    pipe.close()
            self._process = None

    def close(self) -> None:
        """End the process; the next question starts it again."""
        with self._lock:
            self._stop()


class WorkerDied(Exception):
    """The process gave no answer, twice."""


class WorkerRefused(Exception):
    """The process answered why it cannot do what was asked."""
