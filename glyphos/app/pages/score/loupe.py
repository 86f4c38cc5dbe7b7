"""The Loupe under the hand: edges are taken hold of, walked and nudged."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent

from ....speech.parts import Edge
from ...drawing.theme import Theme
from .loupe_paper import LoupePaper


class Loupe(LoupePaper):
    """Sends back what a hand wants of edges and sounds."""

    edge_chosen = Signal(object)
    edge_dragged = Signal(object, float)
    edge_dropped = Signal()
    edge_nudged = Signal(object, int, float)  # edge, frames, milliseconds
    pin_wanted = Signal(object)
    chosen = Signal(object)
    played = Signal(object)
    scrubbed = Signal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._hold: Edge | None = None
        self._pressed: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.flat is None:
            return
        self._pressed, self._dragging = event.position(), False
        self._hold = self.edge_at(event.position())
        if self._hold is not None:
            self.edge_chosen.emit(self._hold)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            over = self.edge_at(event.position()) is not None
            self.setCursor(Qt.CursorShape.SplitHCursor if over else Qt.CursorShape.ArrowCursor)
            return
        if not self._dragging and abs(event.position().x() - self._pressed.x()) < 2:
            return
        self._dragging = True
        seconds = self.time_at(event.position().x())
        if self._hold is not None:
            self.edge_dragged.emit(self._hold, self.snapped(seconds))
        else:
            self.scrubbed.emit(seconds)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        dragged, self._dragging = self._dragging, False
        if dragged and self._hold is not None:
            self.edge_dropped.emit()
        elif not dragged and self._hold is None and self.flat is not None:
            part = self.flat.part_at("sound", self.time_at(event.position().x()))
            if part is not None:
                self.chosen.emit(part)
                self.played.emit(part)
        self._pressed = self._hold = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        edge = self.edge_at(event.position())
        if edge is not None:
            self.pin_wanted.emit(edge)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()), 0)
        edges = self.edges()
        if not step or not edges:
            super().keyPressEvent(event)
            return
        modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if modifiers == Qt.KeyboardModifier.NoModifier or self.edge not in edges:
            at = edges.index(self.edge) + step if self.edge in edges else (0 if step > 0 else -1)
            self.edge_chosen.emit(edges[min(max(at, -1), len(edges) - 1)])
        elif modifiers == Qt.KeyboardModifier.ControlModifier:
            self.edge_nudged.emit(self.edge, step, 0.0)
        elif modifiers == Qt.KeyboardModifier.AltModifier:
            self.edge_nudged.emit(self.edge, 0, 5.0 * step)
