"""The chart of a set: every mouth where it stands between shut and wide open, puckered and spread.

A mouth that is dragged shows something else from then on; arrows move the chosen one, too.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from ....characters.drawings.documents import Mouth
from ....characters.drawings.naming import short_names
from ....characters.drawings.pad import Pad, pad_of
from ...drawing import theme as themes
from ...drawing.drawnhead import thumbnail
from ...drawing.pictures import Pictures
from ...drawing.theme import PAPER, Theme

SIDE, TOP, BELOW = 44.0, 20.0, 48.0  # pixels around the field
THUMB = 34.0  # height of a mouth
FINE = 0.02  # of the field, what an arrow moves
DRAG = 5


class Chart(QWidget):
    """Shows mouths by their poses; one of them is chosen."""

    chosen = Signal(str)
    moved = Signal(str, object)  # a mouth and its new Pad

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.mouths: Sequence[Mouth] = ()
        self.pictures: Pictures | None = None
        self.current = ""
        self._pads: dict[str, Pad] = {}
        self._beside: dict[str, float] = {}  # pixels that a mouth lies beside its place, to be seen
        self._hold: tuple[str, QPointF, Pad] | None = None
        self._dragged = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(220, 160)
        self.setAccessibleName("Chart of mouths")
        self.setAccessibleDescription(
            "Opening upwards, width to the right; arrows move the chosen mouth"
        )

    def sizeHint(self) -> QSize:
        return QSize(420, 300)

    def show_mouths(self, mouths: Sequence[Mouth], pictures: Pictures | None, current: str) -> None:
        self.mouths, self.pictures, self.current = mouths, pictures, current
        if self._hold is None:
            self._pads = {m.name: pad_of(m.pose) for m in mouths}
        self._spread()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._spread()
        super().resizeEvent(event)

    def _spread(self) -> None:
        """Let mouths that show nearly the same lie beside each other."""
        self._beside = {}
        laid: list[QPointF] = []
        for name in sorted(self._pads, key=lambda n: (-self._pads[n].opening, n)):
            true, found = self.place(name), QPointF()
            for k in range(2 * len(self._pads) + 1):
                by = (k + 1) // 2 * 1.9 * THUMB * (1 if k % 2 else -1)
                found = QPointF(true.x() + by, true.y())
                if not any(
                    abs(p.x() - found.x()) < 1.8 * THUMB and abs(p.y() - found.y()) < 1.25 * THUMB
                    for p in laid
                ):
                    self._beside[name] = by
                    break
            laid.append(found)

    # ---- places -------------------------------------------------------------------------------

    def field(self) -> QRectF:
        return QRectF(self.rect()).adjusted(SIDE, TOP, -SIDE, -BELOW)

    def place(self, name: str) -> QPointF:
        """Where the middle of a mouth is painted."""
        pad, field = self._pads[name], self.field()
        return QPointF(
            field.center().x() + pad.width * field.width() / 2 + self._beside.get(name, 0.0),
            field.bottom() - pad.opening * field.height(),
        )

    def _box(self, name: str) -> QRectF:
        at = self.place(name)
        return QRectF(at.x() - 0.8 * THUMB, at.y() - THUMB / 2, 1.6 * THUMB, THUMB)

    def at(self, point: QPointF) -> str:
        """The mouth under a point: of several the nearest."""
        near = [
            m.name for m in self.mouths if self._box(m.name).adjusted(-3, -3, 3, 3).contains(point)
        ]
        return min(near, key=lambda n: (self.place(n) - point).manhattanLength(), default="")

    # ---- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        name = self.at(event.position())
        if name and event.button() == Qt.MouseButton.LeftButton:
            self._hold, self._dragged = (name, event.position(), self._pads[name]), False
            self.chosen.emit(name)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._hold is None:
            return
        name, pressed, pad = self._hold
        by, field = event.position() - pressed, self.field()
        self._dragged = self._dragged or by.manhattanLength() > DRAG
        if self._dragged:
            self._pads[name] = _within(replace(
                pad, opening=pad.opening - by.y() / field.height(), width=pad.width + 2 * by.x() / field.width(),
            ))  # fmt: skip
            self.update()

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        hold, self._hold = self._hold, None
        if hold is not None and self._dragged:
            self.moved.emit(hold[0], self._pads[hold[0]])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        names = [m.name for m in self.mouths]
        steps = {
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
        }
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp) and names:
            by = 1 if key == Qt.Key.Key_PageDown else -1
            k = names.index(self.current) + by if self.current in names else 0
            self.chosen.emit(names[k % len(names)])
        elif key in steps and self.current in self._pads:
            x, y = steps[key]
            pad = self._pads[self.current]
            made = _within(
                replace(pad, opening=pad.opening + FINE * y, width=pad.width + 2 * FINE * x)
            )
            self._pads[self.current] = made
            self.moved.emit(self.current, made)
        else:
            super().keyPressEvent(event)

    def event(self, event) -> bool:  # type: ignore[no-untyped-def]
        if event.type() == event.Type.ToolTip:
            name = self.at(QPointF(event.pos()))
            mouth = next((m for m in self.mouths if m.name == name), None)
            if mouth is not None:
                QToolTip.showText(event.globalPos(), f"{mouth.name}\n{HOW[mouth.how]}", self)
            return True
        return bool(super().event(event))

    # ---- painting -----------------------------------------------------------------------------

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("page"))
        self._paint_field(painter)
        names = short_names([m.name for m in self.mouths])
        order = sorted(self.mouths, key=lambda m: m.name == self.current)
        for mouth in order:
            self._paint_mouth(painter, mouth, names.get(mouth.name, mouth.name))
        painter.end()

    def _paint_field(self, painter: QPainter) -> None:
        field = self.field()
        painter.setPen(QPen(self.theme.color("rule"), 1))
        painter.drawLine(field.bottomLeft(), field.bottomRight())
        painter.drawLine(
            QPointF(field.center().x(), field.top()), QPointF(field.center().x(), field.bottom())
        )
        painter.setPen(self.theme.color("faint"))
        painter.setFont(themes.sans(8))
        low = QRectF(field.left() - SIDE, field.bottom() + 31, field.width() + 2 * SIDE, 16)
        for text, align in (
            ("puckered", Qt.AlignmentFlag.AlignLeft),
            ("shut", Qt.AlignmentFlag.AlignHCenter),
            ("spread", Qt.AlignmentFlag.AlignRight),
        ):
            painter.drawText(low.adjusted(8, 0, -8, 0), align, text)
        painter.drawText(
            QRectF(field.left() - SIDE, 2, field.width() + 2 * SIDE, 16),
            Qt.AlignmentFlag.AlignHCenter,
            "wide open",
        )

    def _paint_mouth(self, painter: QPainter, mouth: Mouth, name: str) -> None:
        box, current = self._box(mouth.name), mouth.name == self.current
        ratio = painter.device().devicePixelRatioF()
        picture = (
            thumbnail(self.pictures, mouth, int(THUMB), ratio)
            if self.pictures is not None
            else None
        )
        if current:
            painter.setPen(QPen(self.theme.color("chosen"), 1.6))
            painter.setBrush(self.theme.color("panel"))
            painter.drawRoundedRect(box.adjusted(-3, -3, 3, 12), 4, 4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        if picture is not None:
            if self.theme.name != PAPER.name:  # drawings are made for paper, by night too
                painter.fillRect(box.adjusted(0, -1, 0, 1), PAPER.color("panel"))
            wide = picture.width() / ratio
            painter.drawPixmap(QPointF(box.center().x() - wide / 2, box.top()), picture)
        painter.setPen(
            self.theme.color("chosen" if current else "doubt" if mouth.how == "name" else "faint")
        )
        painter.setFont(themes.sans(7))
        sign = "◆ " if mouth.how == "name" else "✎ " if mouth.how == "hand" else ""
        painter.drawText(
            QRectF(box.left() - 20, box.bottom() - 1, box.width() + 40, 13),
            Qt.AlignmentFlag.AlignCenter,
            sign + name,
        )


HOW = {
    "both": "name and picture agree", "name": "by its name; its picture looks otherwise",
    "picture": "by its picture", "hand": "set by hand", "": "as the document says",
}  # fmt: skip


def _within(pad: Pad) -> Pad:
    return replace(
        pad, opening=min(max(pad.opening, 0.0), 1.0), width=min(max(pad.width, -1.0), 1.0)
    )
