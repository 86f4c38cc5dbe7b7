"""A text that changes often: the room that it takes stays, so that nothing around it is laid out again."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel

RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class Readout(QLabel):
    """A label as wide as the widest that it can say, or as what is around it leaves room for.

    A label of Qt's asks for another layout of the whole window with each text, a millisecond or more.
    """

    def __init__(
        self, widest: str = "", alignment: Qt.AlignmentFlag = RIGHT, *, name: str = ""
    ) -> None:
        super().__init__(objectName=name)
        self._widest, self._said = widest, ""
        self.setAlignment(alignment)

    def text(self) -> str:
        return self._said

    def setText(self, text: str) -> None:
        if text != self._said:
            self._said = text
            self.setAccessibleName(text)
            self.update()

    def sizeHint(self) -> QSize:
        metrics, edges = self.fontMetrics(), self.contentsMargins()
        return QSize(
            metrics.horizontalAdvance(self._widest) + edges.left() + edges.right(),
            metrics.height() + edges.top() + edges.bottom(),
        )

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        self.style().drawItemText(
            painter, self.contentsRect(), self.alignment(), self.palette(), self.isEnabled(), self._said,
            self.foregroundRole(),
        )  # fmt: skip
        painter.end()
