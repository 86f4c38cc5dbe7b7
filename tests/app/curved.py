"""The Curves page in a real window, on a line of the demo whose face speaks alone."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from glyphos.motion.mood import MoodSpan
from tests.app.harness import WindowCase

CORNER = "lip_corner_up_left"


class Curves(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.show("01-mabel-beam")
        self.do("page-curves")
        self.curves = self.window.pages["curves"]
        self.paper_, self.hand = self.curves.paper, self.curves.desk
        self.hand.take(
            CORNER
        )  # what is worked on, and how far, is kept from one production to the next
        self.hand.reach("word")
        self.living = self.context.living
        self.k = [w.text.strip(".,").lower() for w in self.words()].index("map")
        self.transport.seek(self.middle())
        self.window.show_moment()
        self.application.processEvents()

    def feel(self) -> None:
        self.change_line("Feel", moods=(MoodSpan("joy", 0.2, 11.0, 0.7, 0.2, 0.2),))
        self.idle()

    def values(self, channel: str = CORNER) -> np.ndarray:
        motion = self.living.motion
        there = motion is not None and channel in motion.names
        return (
            motion.channel(channel)
            if there
            else np.zeros(self.current.motion.frames if motion is not None else 1)
        )

    def word(self, number: int | None = None) -> tuple[float, float]:
        word = self.words()[self.k if number is None else number]
        return word.start, word.end

    def middle(self, number: int | None = None) -> float:
        return sum(self.word(number)) / 2

    def point(self, seconds: float, value: float | None = None) -> QPoint:
        brush = self.paper_.painter()
        at = self.paper_.shown.value_at(self.hand.channel, seconds) if value is None else value
        return QPointF(brush.x(seconds), brush.y(at)).toPoint()

    def drag(self, start: QPoint, end: QPoint, *, let_go: bool = True) -> None:
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(self.paper_, left, pos=start)
        for k in range(1, 5):
            QTest.mouseMove(self.paper_, start + (end - start) * k / 4)
        if let_go:
            QTest.mouseRelease(self.paper_, left, pos=end)

    @property
    def touch(self):  # type: ignore[no-untyped-def]
        return self.line.touches[-1]
