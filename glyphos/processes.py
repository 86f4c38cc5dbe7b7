"""Processes that work for another one."""

from __future__ import annotations

import os
import signal
import threading
import time

EVERY = 0.5  # seconds


def end_with(parent: int) -> None:
    """End this process once its parent is gone: one that was killed tells nobody, and whoever waits for
    work from it would wait for ever. To be called first in a process that works for `parent`."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(EVERY)
        os.kill(os.getpid(), signal.SIGKILL)

    threading.Thread(target=watch, name="parent", daemon=True).start()
