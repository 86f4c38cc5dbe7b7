"""A character of drawings at a moment: head, mouth, eyes and brows as they are held there."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....characters.drawings.documents import Mouth, View
from ...drawing.drawnhead import DrawnPainter
from ...drawing.pictures import Pictures
from ...drawing.theme import PAPER, Theme


class DrawingsView(QWidget):
    """Shows one frame."""

    def __init__(self, theme: Theme, name: str = "Drawn face") -> None:
        super().__init__()
        self.theme = theme
        self.view: View | None = None
        self.mouth: Mouth | None = None
        self.states: Mapping[str, Mouth] = {}
        self.pictures: Pictures | None = None
        self._painter = DrawnPainter()
        self.setMinimumSize(180, 130)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(name)
        self.setAccessibleDescription("The character's drawings at the playhead")

    def sizeHint(self) -> QSize:
        return QSize(300, 330)

    def show_frame(
        self, view: View, mouth: Mouth | None, states: Mapping[str, Mouth], pictures: Pictures | None
    ) -> None:  # fmt: skip
        """Another frame; painted only if it looks another."""
        new = (view, mouth, dict(states), pictures)
        if new != (self.view, self.mouth, dict(self.states), self.pictures):
            self.view, self.mouth, self.states, self.pictures = view, mouth, states, pictures
            self.update()

    def place(self) -> QRectF:
        """Where the head is painted on the widget."""
        if self.view is None or self.pictures is None:
            return QRectF()
        return self._painter.target(self.view, self.pictures, self._room())

    def _room(self) -> QRectF:
        return QRectF(self.rect()).adjusted(6, 6, -6, -2)

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        bare = self.view is not None and not self.view.head  # a mouth alone is made for paper
        painter.fillRect(self.rect(), (PAPER if bare else self.theme).color("panel"))
        if self.view is not None and self.pictures is not None:
            self._painter.paint(
                painter, self.view, self.pictures, self.mouth, self.states, self._room()
            )
        painter.end()
