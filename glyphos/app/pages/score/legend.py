"""A legend of the ribbon's colours, shown on wish."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from ...drawing import theme as themes
from ...drawing.theme import KINDS, Theme

MEANINGS = {
    "closed": "lips closed", "teeth": "teeth on lip", "round": "rounded", "spread": "spread",
    "open": "wide open", "narrow": "in between",
}  # fmt: skip
DOUBT = "dotted: doubtful"


class Legend(QWidget):
    """A swatch and a word for each kind of gesture, and for doubt."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setAccessibleName("Legend of the ribbon")
        self.setAccessibleDescription("; ".join(MEANINGS.values()))
        self.setMinimumHeight(22)

    def sizeHint(self) -> QSize:
        return QSize(600, int(QFontMetricsF(themes.sans(8.5)).height() + 10))

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("page"))
        font = themes.sans(8.5)
        painter.setFont(font)
        metrics, x, middle = QFontMetricsF(font), 26.0, self.height() / 2
        for kind in KINDS:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.kind(kind))
            painter.drawRoundedRect(QRectF(x, middle - 5, 16, 10), 3, 3)
            x = self._word(painter, metrics, x + 21, MEANINGS[kind])
        pen = painter.pen()
        pen.setColor(self.theme.color("doubt"))
        pen.setWidthF(2.2)
        pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(x, middle + 3), QPointF(x + 16, middle + 3))
        self._word(painter, metrics, x + 21, DOUBT)
        painter.end()

    def _word(self, painter: QPainter, metrics: QFontMetricsF, x: float, text: str) -> float:
        painter.setPen(self.theme.color("faint"))
        painter.drawText(QPointF(x, self.height() / 2 + metrics.ascent() / 2 - 1), text)
        return x + metrics.horizontalAdvance(text) + 18
