"""Garbage of the interpreter is collected on the interface thread alone.

A cycle with a widget in it that is collected by a thread of its own destroys that widget there: Qt then waits
for the interpreter and the interpreter for Qt, for ever, or the process ends. So while a window is open nobody
collects by themselves; what is due is collected between two events.
"""

from __future__ import annotations

import gc
from collections.abc import Callable
from time import monotonic

from PySide6.QtCore import QObject, QTimer

OFTEN = 250  # milliseconds between two looks
WHOLE = 20.0  # seconds at least between two collections of everything, which take a moment


class Collecting(QObject):
    """One for each window; with the last the interpreter has its own way again."""

    open = 0

    def __init__(self, busy: Callable[[], bool]) -> None:
        """busy(): whether a moment would be noticed, as while something is dragged or plays."""
        super().__init__()
        self._busy = busy
        self._whole = monotonic()
        self._on = True
        Collecting.open += 1
        gc.disable()
        timer = QTimer(self)
        timer.setInterval(OFTEN)
        timer.timeout.connect(self.collect)
        timer.start()

    def collect(self) -> None:
        """Collect what is due."""
        due = [n > most for n, most in zip(gc.get_count(), gc.get_threshold(), strict=True)]
        now = monotonic()
        if due[2] and now - self._whole > WHOLE and not self._busy():
            gc.collect(2)
            self._whole = now
        elif due[1]:
            gc.collect(1)
        elif due[0]:
            gc.collect(0)

    def close(self) -> None:
        """The window is gone."""
        if self._on:
            self._on = False
            Collecting.open -= 1
            if not Collecting.open:
                gc.enable()
