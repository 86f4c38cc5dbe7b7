"""The paper of curves under the hand: choose, pull, move keys. Sends back what is wanted."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy

from ....motion.regions import channel_words, region_of, value_text
from ....motion.touch.keys import Handle, handles_of, times_of
from ....speech.parts import Level
from ...drawing import theme as themes
from ...drawing.theme import Theme
from ...drawing.themed import Themed
from .paint import RING, Painter
from .shown import Shown
from .staves import Bands, bands_of, regions_shown

DRAG = 4  # pixels before a click is a drag
NEAR = 12.0  # pixels within which a curve is meant


class CurvesPaper(Themed):
    """Shows a stretch of a line; what a hand does to it is told in signals. Times are of the recording."""

    channel_chosen = Signal(str)
    part_chosen = Signal(object)  # a Part
    sought = Signal(float)  # a time of the face
    key_chosen = Signal(object)  # touch-up and key, or None
    pulled = Signal(float, float, bool)  # where, by how much, whether it is let go
    key_moved = Signal(int, int, float, float, bool)
    turned = Signal(
        object, object, bool
    )  # rises into and out of the chosen key (None: as it can be), let go
    key_wanted = Signal(float, float)
    given_up = Signal()
    menu_wanted = Signal(QPoint, float)
    nudged = Signal(int)
    stepped = Signal(int)  # frames
    zoomed = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.shown = Shown()
        self.playhead = 0.0
        self._pressed: QPointF | None = None
        self._grip: tuple[int, int] | None = None
        self._one_sided = False
        self._turn: Handle | None = None  # of the chosen key, that is held
        self._headed: tuple[tuple[object, ...], QPixmap] | None = None
        self._pulling = self._dragging = False
        self._held: tuple[float, float] | None = (
            None  # values of the open stave while it is dragged
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.MinimumExpanding)
        self.setAccessibleName("Curves of the face")
        self.room = 600

    # ---- showing ------------------------------------------------------------------------------

    def show_all(self, shown: Shown) -> None:
        """Another picture. While a curve is dragged only its own staves are painted anew."""
        old, self.shown = self.shown, shown
        if self._dragging and (old.channel, old.view, old.part) == (
            shown.channel,
            shown.view,
            shown.part,
        ):
            for top, bottom in (self.bands.open, self.bands.staves[region_of(shown.channel)]):
                self.update(QRect(0, int(top) - 2, self.width(), int(bottom - top) + 4))
            return
        self.setMinimumHeight(int(self.bands.height))
        self._tell()
        self.update()

    def set_room(self, height: int) -> None:
        """How much of it is in sight."""
        if height != self.room:
            self.room = height
            self.setMinimumHeight(int(self.bands.height))
            self.update()

    def set_playhead(self, seconds: float) -> None:
        if seconds != self.playhead:
            brush = self.painter()
            for t in (self.playhead, seconds):
                self.update(QRect(int(brush.x(t)) - 3, 0, 7, self.height()))
            self.playhead = seconds
            top, _ = self.bands.open
            self.update(QRect(self.width() // 2, int(top), self.width() // 2, 30))

    def _tell(self) -> None:
        """For those who do not see it: the channel and its value at the playhead."""
        if self.shown.channel:
            value = value_text(
                self.shown.channel, self.shown.value_at(self.shown.channel, self.playhead)
            )
            self.setAccessibleDescription(
                f"{channel_words(self.shown.channel)}: {value} at the playhead"
            )

    @property
    def bands(self) -> Bands:
        return bands_of(
            self.shown.channel or "jaw_open", self.room, themes.scale(), regions_shown()
        )

    def painter(self) -> Painter:
        return Painter(self.theme, self.shown, self.bands, float(self.width()), self._held)

    def sizeHint(self) -> QSize:
        return QSize(700, int(self.bands.height))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, brush, dirty = QPainter(self), self.painter(), event.rect()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(dirty, self.theme.color("page"))
        if self.shown.channel:
            brush.tint(painter)
            if dirty.top() <= self.bands.sounds[1]:
                painter.drawPixmap(0, 0, self._head(brush))
            for region, (top, bottom) in self.bands.staves.items():
                if top <= dirty.bottom() and bottom >= dirty.top():
                    brush.stave(painter, region)
            top, bottom = self.bands.open
            if top <= dirty.bottom() and bottom >= dirty.top():
                brush.open_stave(painter, self.playhead)
            x = brush.x(self.playhead)
            painter.setPen(QPen(self.theme.color("playhead"), 1.4))
            painter.drawLine(QPointF(x, self.bands.wave[0]), QPointF(x, self.bands.height - 6))
        if self.hasFocus():
            painter.setPen(QPen(self.theme.color("chosen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _head(self, brush: Painter) -> QPixmap:
        """Waveform, words and sounds, painted once for a view."""
        shown, ratio = self.shown, self.devicePixelRatioF()
        key = (
            shown.reading, shown.view, shown.part, shown.delivery, shown.samples, self.width(), ratio,
            self.theme, self.bands,
        )  # fmt: skip
        if self._headed is None or not all(a is b or (not isinstance(a, np.ndarray) and a == b)
                                           for a, b in zip(key, self._headed[0], strict=True)):  # fmt: skip
            size = QSize(self.width(), int(self.bands.sounds[1]) + 4) * ratio
            pixmap = QPixmap(size)
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(Qt.GlobalColor.transparent)
            painter = QPainter(pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            brush.head(painter)
            painter.end()
            self._headed = (key, pixmap)
        return self._headed[1]

    # ---- what is under a point ------------------------------------------------------------------

    def _on_top(self, point: QPointF) -> Level | None:
        if point.y() < self.bands.wave[1]:
            return "phrase"
        if point.y() < self.bands.words[1]:
            return "word"
        return "sound" if point.y() < self.bands.sounds[1] + 3 else None

    def key_at(self, point: QPointF) -> tuple[int, int] | None:
        """The key under a point, the nearest of several; those of the chosen touch-up first."""
        brush = self.painter()
        found = [
            (
                (at - point).manhattanLength()
                - (3 if self.shown.chosen and self.shown.chosen[0] == n else 0),
                n,
                k,
            )
            for n, k, at in brush.rings
        ]
        nearest = min(found, default=None)
        return (
            (nearest[1], nearest[2]) if nearest is not None and nearest[0] <= 2 * RING + 2 else None
        )

    def handle_at(self, point: QPointF) -> Handle | None:
        """The handle of the chosen key under a point."""
        near = [(at - point).manhattanLength() for _, at in self.painter().grips()]
        if not near or min(near) > 8:
            return None
        return self.painter().grips()[near.index(min(near))][0]

    def in_open(self, point: QPointF) -> bool:
        top, bottom = self.painter().lines
        return top - 8 <= point.y() <= bottom + 8

    def _curve_at(self, point: QPointF) -> str | None:
        """The channel whose curve in a small stave is nearest to a point."""
        brush, shown = self.painter(), self.shown
        for region, (top, bottom) in self.bands.staves.items():
            if top <= point.y() <= bottom and shown.motion is not None:
                names = [n for n in shown.motion.names if region_of(n) == region]
                t = brush.seconds(point.x())
                share = 1 - (point.y() - top - 14) / max(1.0, bottom - top - 17)
                near = sorted(
                    (abs(_share(shown, n, t) - share), n)
                    for n in names if np.ptp(shown.values(n)) > 0
                )  # fmt: skip
                return near[0][1] if near else (names[0] if names else None)
        return None

    # ---- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or not self.shown.channel:
            return
        point = event.position()
        self._pressed, self._dragging = point, False
        self._held = self.painter().extent  # it does not slip away under the hand
        self._grip = self.key_at(point)
        self._turn = self.handle_at(point) if self._grip is None else None
        self._one_sided = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._pulling = self._grip is None and self._turn is None and self.in_open(point)
        if self._grip is not None:
            self.key_chosen.emit(self._grip)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        point = event.position()
        if self._pressed is None:
            over = self.key_at(point) is not None or self.handle_at(point) is not None
            self.setCursor(
                Qt.CursorShape.SizeAllCursor if over
                else Qt.CursorShape.SizeVerCursor if self.in_open(point) else Qt.CursorShape.ArrowCursor
            )  # fmt: skip
            return
        moved = (point - self._pressed).manhattanLength()
        self._dragging = self._dragging or moved > DRAG
        if self._dragging:
            self._drag(point, done=False)

    def _drag(self, point: QPointF, *, done: bool) -> None:
        brush, pressed = self.painter(), self._pressed
        assert pressed is not None
        by = brush.value(point.y()) - brush.value(pressed.y())
        if self._turn is not None:
            self._drag_turn(brush, point, done)
        elif self._grip is not None:
            at = self.shown.heard(brush.seconds(point.x()))
            self.key_moved.emit(*self._grip, at, by, done)
        elif self._pulling:
            self.pulled.emit(self.shown.heard(brush.seconds(pressed.x())), by, done)
        else:
            self.sought.emit(max(0.0, brush.seconds(point.x())))

    def _drag_turn(self, brush: Painter, point: QPointF, done: bool) -> None:
        """The slope at the chosen key goes towards a point; on its other side too, unless Shift is held."""
        handle, chosen, shown = self._turn, self.shown.chosen, self.shown
        touch = next((t for n, t in shown.touches if chosen is not None and n == chosen[0]), None)
        if handle is None or chosen is None or touch is None or shown.reading is None:
            return
        k = chosen[1]
        at = shown.film(float(times_of(touch, shown.reading)[k]))
        value = shown.value_at(shown.channel, at)
        way = -1 if handle.side == "into" else 1
        away = max((brush.seconds(point.x()) - at) * way, handle.gap / 12)
        rise = (brush.value(point.y()) - value) * way * handle.gap / away
        rise /= brush.unit(touch, k, value) or 1.0
        rises = {"into": touch.keys[k].into, "out": touch.keys[k].out, handle.side: rise}
        if not self._one_sided:
            for other in handles_of(touch, shown.reading, k):
                rises[other.side] = rise * other.gap / handle.gap
        self.turned.emit(rises["into"], rises["out"], done)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None or event.button() != Qt.MouseButton.LeftButton:
            return
        point = event.position()
        if self._dragging:
            self._dragging = False  # all of it is painted anew
            self._drag(point, done=True)
        elif self._grip is None and self._turn is None:
            self._click(point)
        self._let_go()

    def _let_go(self) -> None:
        self._pressed = self._grip = self._turn = self._held = None
        self._dragging = False
        self.update()

    def _click(self, point: QPointF) -> None:
        seconds = max(0.0, self.painter().seconds(point.x()))
        level, flat = self._on_top(point), self.shown.flat
        if level is not None and flat is not None:
            self.part_chosen.emit(flat.part_at(level, self.shown.heard(seconds)))
        elif not self.in_open(point):
            name = self._curve_at(point)
            if name is not None:
                self.channel_chosen.emit(name)
        else:
            self.key_chosen.emit(None)
        self.sought.emit(seconds)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        point = event.position()
        if self.handle_at(point) is not None:
            self.turned.emit(None, None, True)
        elif self.shown.channel and self.in_open(point) and self.key_at(point) is None:
            brush = self.painter()
            self.key_wanted.emit(self.shown.heard(brush.seconds(point.x())), brush.value(point.y()))

    def give_up(self) -> bool:
        """Let go of what is dragged, as it was; whether something was."""
        if self._pressed is None or not self._dragging:
            return False
        self._let_go()
        self.given_up.emit()
        return True

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        at = QPointF(event.pos())
        if self.shown.channel:
            key = self.key_at(at)
            if key is not None:
                self.key_chosen.emit(key)
            self.menu_wanted.emit(
                event.globalPos(), self.shown.heard(self.painter().seconds(at.x()))
            )

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoomed.emit(1 if event.angleDelta().y() > 0 else -1)
        else:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, big = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.nudged.emit((5 if big else 1) * (1 if key == Qt.Key.Key_Up else -1))
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.stepped.emit((5 if big else 1) * (1 if key == Qt.Key.Key_Right else -1))
        else:
            super().keyPressEvent(event)


def _share(shown: Shown, name: str, seconds: float) -> float:
    from ....motion.regions import ranges

    low, high = ranges()[name]
    value = shown.value_at(name, seconds)
    return value if low >= 0 else 0.5 + value / (2 * high)
