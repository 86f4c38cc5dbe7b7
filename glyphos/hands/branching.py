"""Asking the stem for hands: it begins with the first, and again if it died."""

from __future__ import annotations

import atexit
import os
import select
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Sequence
from contextlib import suppress

import msgspec

from .stem import NUMBER, Asking

ALONE = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS")  # a hand keeps to one core


class Branch:
    """A hand's process."""

    def __init__(self, told: int) -> None:
        self._told = told  # where the stem tells its number, and how it ended
        self.pid = 0  # as soon as it is known
        self._code: int | None = None

    def wait(self, seconds: float | None = None) -> int | None:
        """How it ended, if it does so in that time: what it gave, or minus the signal."""
        while self._code is None and self._heard(seconds):
            pass
        return self._code

    def begun(self, seconds: float) -> bool:
        """Whether it has its number within that time, or ended before."""
        return bool(self.pid) or self._code is not None or self._heard(seconds)

    def _heard(self, seconds: float | None) -> bool:
        if not select.select([self._told], [], [], seconds)[0]:
            return False
        data = os.read(self._told, NUMBER.size)
        number = NUMBER.unpack(data)[0] if data else -int(signal.SIGKILL)  # the stem was ended
        if data and not self.pid:
            self.pid = number
        else:
            self._code = number
            os.close(self._told)
        return True

    def end(self) -> None:
        """At once, with the helpers it has begun."""
        if not self.pid and self._code is None:  # it ends by itself, as nobody asks it
            self._code = -int(signal.SIGKILL)
            os.close(self._told)
        elif self.wait(0) is None:
            for kill in (os.killpg, os.kill):  # it may have no group of its own yet
                with suppress(ProcessLookupError):
                    kill(self.pid, signal.SIGKILL)
            self.wait()


class _Stem:
    """One for all hands of this process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._asked: socket.socket | None = None

    def branch(self, read: int, write: int, loaded: Sequence[str]) -> Branch:
        """A hand that reads and writes there, once that is loaded (`stem.load`)."""
        asking = msgspec.msgpack.encode(Asking(tuple(loaded)))
        told, tell = os.pipe()
        try:
            with self._lock:
                try:
                    socket.send_fds(self._ready(), [asking], [read, write, tell])
                except OSError:  # it died meanwhile
                    self._end()
                    socket.send_fds(self._ready(), [asking], [read, write, tell])
        except BaseException:
            os.close(told)
            raise
        finally:
            os.close(tell)
        return Branch(told)

    def _ready(self) -> socket.socket:
        if self._asked is None:
            ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
            with theirs:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "glyphos.hands.stem", str(theirs.fileno()), str(os.getpid())],
                    pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
                    env=os.environ | dict.fromkeys(ALONE, "1"), start_new_session=True,
                )  # fmt: skip
            self._asked = ours
        return self._asked

    def _end(self) -> None:
        if self._asked is not None:
            self._asked.close()
        if self._process is not None:
            self._process.kill()
            self._process.wait()
        self._asked = self._process = None

    def close(self) -> None:
        """End it and all of its hands; the next that is asked for begins another."""
        with self._lock:
            if self._asked is not None:
                self._asked.close()  # it ends its hands by itself
            if self._process is not None:
                with suppress(subprocess.TimeoutExpired):
                    self._process.wait(5)
            self._end()

    def leave(self) -> None:
        """This process ends; who is tired of waiting has been told all there is."""
        with suppress(KeyboardInterrupt):
            self.close()


stem = _Stem()
atexit.register(stem.leave)
