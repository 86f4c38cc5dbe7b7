"""Pictures of heads for whoever wants them soon: the newest wish of each view, drawn by the stage's
own process; who asks never waits."""

from __future__ import annotations

import fcntl
import subprocess
import sys
import threading
from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import dataclass

import msgspec
import numpy as np
from numpy.typing import NDArray

from .messages import Reply, Request, receive, send

Pixels = NDArray[np.uint8]
ROOM = 1 << 20  # bytes of the pipe that pictures come through, as much as the system gives anybody
TRIES = 3  # times that a process which died is begun again
Done = Callable[[Pixels | None, str], None]  # pixels, or what is wrong


@dataclass
class _Wish:
    request: Request
    done: Done


class StageClient:
    """Begun when it is first asked; `trouble` says why nothing can be drawn, "" while it can."""

    def __init__(self) -> None:
        self.trouble = ""
        self._wishes: dict[Hashable, _Wish] = {}
        self._ready = threading.Condition()
        self._thread: threading.Thread | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._over = False
        self._deaths = 0

    def draw(self, view: Hashable, request: Request, done: Done) -> None:
        """Draw for a view; an older wish of the same view that is not begun is dropped. `done` is
        called in another thread."""
        if self.trouble or self._over:
            done(None, self.trouble)
            return
        with self._ready:
            self._wishes.pop(view, None)
            self._wishes[view] = _Wish(request, done)
            self._ready.notify()
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="stage", daemon=True)
                self._thread.start()

    def drop(self, view: Hashable) -> None:
        """Forget what a view wishes."""
        with self._ready:
            self._wishes.pop(view, None)

    def close(self) -> None:
        """End the process."""
        with self._ready:
            self._over = True
            self._wishes.clear()
            self._ready.notify()
        if self._process is not None:
            self._process.kill()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join(2.0)
        self._end()

    # ---- in the thread -----------------------------------------------------------------------
    def _run(self) -> None:
        while True:
            with self._ready:
                while not self._wishes and not self._over:
                    self._ready.wait()
                if self._over:
                    return
                view = next(iter(self._wishes))
                wish = self._wishes.pop(view)
            pixels, problem = self._drawn(wish.request)
            with self._ready:  # who would hear it may be gone once it is closed
                if not self._over:
                    wish.done(pixels, problem)

    def _drawn(self, request: Request) -> tuple[Pixels | None, str]:
        if self.trouble or not self._begun():
            return None, self.trouble
        process = self._process
        assert process is not None and process.stdin is not None and process.stdout is not None
        try:
            send(process.stdin, request)
            data = receive(process.stdout)
            if data is None:
                return self._died()
            reply = msgspec.msgpack.decode(data, type=Reply)
            if reply.problem:
                return None, reply.problem
            width, height = reply.size
            pixels = process.stdout.read(width * height * 4)
        except TypeError as error:  # a wish that cannot be told; the next one can
            return None, f"This pose cannot be drawn: {error}."
        except (OSError, ValueError):
            return self._died()
        if len(pixels) < width * height * 4:
            return self._died()
        return np.frombuffer(pixels, np.uint8).reshape(height, width, 4), ""

    def _begun(self) -> bool:
        if self._process is not None:
            return True
        # No terminal and no display: it draws off screen.
        process = subprocess.Popen(
            [sys.executable, "-m", "glyphos.stage.worker"], stdin=subprocess.PIPE,
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        self._process = process
        if self._over:
            process.kill()
        assert process.stdout is not None
        # A picture in one go, not in a dozen pieces that each wait for their turn
        with suppress(OSError):
            fcntl.fcntl(process.stdout, fcntl.F_SETPIPE_SZ, ROOM)
        data = receive(process.stdout)
        reply = msgspec.msgpack.decode(data, type=Reply) if data is not None else None
        if reply is None:
            self._died()
            return False
        if reply.final:
            self.trouble = reply.problem
            return False
        return True

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe is not None:
                    with suppress(OSError):  # what it would still have been told
                        pipe.close()

    def _died(self) -> tuple[None, str]:
        self._end()
        self._deaths += 1
        if self._deaths >= TRIES and not self._over:
            self.trouble = (
                "The graphics driver ends whatever draws with it, so faces are shown as drawings; install "
                "the Mesa drivers (libgl1-mesa-dri) and start again."
            )
        return None, self.trouble
