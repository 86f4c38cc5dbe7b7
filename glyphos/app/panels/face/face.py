"""The drawn face: whoever speaks, in vectors, driven by the channels of the motion."""

from __future__ import annotations

import time
from collections.abc import Mapping
from math import ceil

from PySide6.QtCore import QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....characters.drawn.cast import person_of
from ...drawing.portrait import VIEW, Portrait
from ...drawing.theme import Theme

SOON = 12  # milliseconds
LEFT = 40  # milliseconds until what was left of a picture is painted in any case
HEAVY = 0.012  # seconds of painting, after which whoever listens meanwhile gets as much time


class FaceView(QWidget):
    """Shows one moment of the motion; `show_pose` is told channel values."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.pose: Mapping[str, float] = {}
        self.person = person_of("")
        self._portrait = Portrait()
        self._live = False
        self._rested = 0.0  # when it may be painted again while somebody listens
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(lambda: self.update())
        self.setMinimumSize(180, 130)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Face")
        self.setAccessibleDescription("The character speaking at the playhead")

    def sizeHint(self) -> QSize:
        return QSize(300, 330)

    def show_speaker(self, speaker: str) -> None:
        """Show the one who speaks: one of the cast, else Mabel."""
        if (person := person_of(speaker)) is not self.person:
            self.person = person
            self.update()

    def show_pose(
        self, pose: Mapping[str, float], *, soon: bool = False, live: bool = False
    ) -> None:
        """soon: not in this turn, so that what is under the hand is painted first; live: somebody listens meanwhile,
        who must not come late: after a picture that took long the newest pose is painted a little later."""
        if pose != self.pose or live != self._live:
            self.pose, self._live = pose, live
            rest = max(0.0, self._rested - time.monotonic()) if live else 0.0
            if not soon and not rest:
                self.update()
            elif not self._soon.isActive():
                self._soon.start(SOON if soon else ceil(1000 * rest))

    def paintEvent(self, _: QPaintEvent) -> None:
        began = time.monotonic()
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.color("panel"))
        self._portrait.paint(
            painter, self.person, self.pose, QRectF(self.rect()), hurried=self._live
        )
        painter.end()
        if self._portrait.left and not self._soon.isActive():
            self._soon.start(LEFT)  # should no other pose come
        spent = time.monotonic() - began
        self._rested = time.monotonic() + (spent if spent > HEAVY else 0.0)

    def rect_of_mouth(self) -> QRectF:
        """Where the mouth is on the widget (for tests)."""
        target, scale = self._portrait.place(QRectF(self.rect()))
        left, top = 200 - 60 - VIEW[0], self.person.mouth.y - 35 - VIEW[1]
        return QRectF(target.x() + left * scale, target.y() + top * scale, 120 * scale, 100 * scale)
