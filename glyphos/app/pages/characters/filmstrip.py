"""The strip of a character's page: the exposures around the playhead."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...drawing import theme as themes
from ...drawing.exposed import Exposed
from ...drawing.theme import Theme

HEIGHT = 46
PER_SECOND = 260.0
HERE = 0.4  # of the width, where the playhead stands


@dataclass(frozen=True)
class Stretch:
    """A stretch of time, evenly wide."""

    start: float
    end: float
    width: float

    def x_at(self, seconds: float) -> float:
        return (seconds - self.start) / (self.end - self.start) * self.width


class FilmStrip(QWidget):
    """Rolls along with the sound."""

    sought = Signal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.exposed: Exposed | None = None
        self.playhead = 0.0
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Exposure strip")

    def sizeHint(self) -> QSize:
        return QSize(400, HEIGHT)

    def show_exposed(self, exposed: Exposed | None) -> None:
        self.exposed = exposed
        self.update()

    def set_playhead(self, seconds: float) -> None:
        if seconds != self.playhead:
            self.playhead = seconds
            self.update()

    def stretch(self) -> Stretch:
        """What is shown."""
        seconds = self.width() / PER_SECOND
        start = self.playhead - HERE * seconds
        return Stretch(start, start + seconds, float(self.width()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        stretch = self.stretch()
        seconds = stretch.start + event.position().x() / stretch.width * (
            stretch.end - stretch.start
        )
        self.sought.emit(max(0.0, seconds))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("page"))
        if self.exposed is not None:
            stretch = self.stretch()
            self.exposed.paint(
                painter,
                stretch,
                self.height() - 3.0,
                themes.sans(7),
                self.theme,
                self.playhead,
                event.rect(),
            )
            x = stretch.x_at(self.playhead)
            painter.setPen(QPen(self.theme.color("playhead"), 1.6))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.end()
