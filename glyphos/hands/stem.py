"""The stem: a process that has loaded what tasks need, from which hands branch off (fork), so that none of them loads
it again.

Run as `python -m glyphos.hands.stem SOCKET PARENT`: an inherited socket over which hands are asked for, and whose it
is. It ends with that socket, hands and all. It has one thread alone, as what branches off would not have the others.
"""

from __future__ import annotations

import gc
import os
import select
import signal
import socket
import struct
import sys
from collections.abc import Sequence
from contextlib import suppress
from functools import cache
from pkgutil import resolve_name

import msgspec

from ..processes import end_with
from .hand import serve

NUMBER = struct.Struct("<i")  # of a hand's process, and how it ended
MESSAGE = 65_536  # bytes of an asking at the most
PIPES = (
    3  # that come with it: where the hand reads, where it writes, where its number and end are told
)


class Asking(msgspec.Struct, frozen=True):
    """loaded: what is to be there before it branches off, see `load`."""

    loaded: tuple[str, ...] = ()


class Stem:
    """asked: a socket that keeps messages whole."""

    def __init__(self, asked: socket.socket) -> None:
        self._asked, self._pid = asked, os.getpid()
        self._told: dict[int, int] = {}  # by the number of a hand's process, where that is told
        self._wake, self._waker = os.pipe()
        for end in (self._wake, self._waker):
            os.set_blocking(end, False)
        signal.signal(signal.SIGCHLD, lambda *_: None)  # it only has to wake
        signal.set_wakeup_fd(self._waker)

    def run(self) -> tuple[int, int] | None:
        """Until nobody can ask any more: None. In a hand: where it reads and writes."""
        while True:
            ready, _, _ = select.select([self._asked.fileno(), self._wake], [], [])
            if self._wake in ready:
                with suppress(BlockingIOError):
                    os.read(self._wake, MESSAGE)
                self._reap()
            if self._asked.fileno() in ready:
                data, pipes, _, _ = socket.recv_fds(self._asked, MESSAGE, PIPES)
                if not data:
                    self._end()
                    return None
                for name in msgspec.msgpack.decode(data, type=Asking).loaded:
                    load(name)
                if self._branch(pipes):
                    return pipes[0], pipes[1]

    def _branch(self, pipes: Sequence[int]) -> bool:
        """Whether this is the hand now."""
        gc.freeze()  # what is loaded stays shared
        pid = os.fork()
        if not pid:
            self._leave(pipes[2])
            return True
        for pipe in pipes[:2]:
            os.close(pipe)
        with suppress(OSError):  # it may have been quicker, or be gone already
            os.setpgid(pid, pid)
        self._told[pid] = pipes[2]
        self._tell(pipes[2], pid)
        return False

    def _leave(self, told: int) -> None:
        """Nothing of the stem is left in a hand."""
        with suppress(OSError):
            os.setpgid(0, 0)
        signal.set_wakeup_fd(-1)
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        for pipe in (told, *self._told.values(), self._wake, self._waker):
            os.close(pipe)
        self._asked.close()
        end_with(self._pid)

    def _reap(self) -> None:
        """Tell how those ended that did, and end the helpers that they have left behind."""
        for pid in list(self._told):
            if os.waitid(os.P_PID, pid, os.WEXITED | os.WNOHANG | os.WNOWAIT) is not None:
                self._kill(pid)
                code = os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])
                told = self._told.pop(pid)
                self._tell(told, code)
                os.close(told)

    def _tell(self, told: int, number: int) -> None:
        with suppress(OSError):  # nobody wants to know
            os.write(told, NUMBER.pack(number))

    def _kill(self, pid: int) -> None:
        with suppress(ProcessLookupError):
            os.killpg(pid, signal.SIGKILL)

    def _end(self) -> None:
        for pid in self._told:
            self._kill(pid)


@cache
def load(name: str) -> None:
    """Load a module, or call a function, "module:function", that keeps what it gives. What fails is left to the hand,
    which has somebody to tell."""
    with suppress(Exception):
        found = resolve_name(name)
        if ":" in name:
            found()


if __name__ == "__main__":
    hand = Stem(socket.socket(fileno=int(sys.argv[1]))).run()
    if hand is not None:
        serve(*hand)
