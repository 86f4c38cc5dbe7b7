"""Work off the interface thread: progress, cancel, and results that arrive where they were asked."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from ..errors import Cancelled, GlyphosError

Progress = Callable[[float], None]


class _Signals(QObject):
    progress = Signal(float)
    done = Signal(object)
    failed = Signal(str)
    cancelled = Signal()


class Task(QRunnable):
    """Runs `work(progress)` in the pool. `progress` raises Cancelled once `cancel` was called."""

    def __init__(self, work: Callable[[Progress], Any]) -> None:
        super().__init__()
        self.setAutoDelete(False)
        self._work = work
        self._stop = threading.Event()
        self.signals = _Signals()

    def start(self) -> Task:
        QThreadPool.globalInstance().start(self)
        return self

    def cancel(self) -> None:
        self._stop.set()

    def _progress(self, fraction: float) -> None:
        if self._stop.is_set():
            raise Cancelled("Stopped.")
        self.signals.progress.emit(fraction)

    def run(self) -> None:
        try:
            result = self._work(self._progress)
            if self._stop.is_set():
                raise Cancelled("Stopped.")
        except Cancelled:
            self._tell(self.signals.cancelled.emit)
        except GlyphosError as error:
            self._tell(self.signals.failed.emit, str(error))
        except MemoryError:
            self._tell(
                self.signals.failed.emit, "There is not enough memory; close other programs."
            )
        except Exception as error:
            text = f"Something went wrong inside Glyphos ({type(error).__name__}: {error})."
            self._tell(self.signals.failed.emit, text)
        else:
            self._tell(self.signals.done.emit, result)

    def _tell(self, emit: Callable[..., None], *values: object) -> None:
        try:
            emit(*values)
        except RuntimeError:  # the window was closed meanwhile
            pass
