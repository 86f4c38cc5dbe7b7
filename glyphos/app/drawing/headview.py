"""A head on the stage, as a widget: shows poses as they come, orbits and zooms under the hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import astuple, dataclass, replace

import msgspec
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...stage.messages import Ask, Request
from ...stage.views import VIEWS, Camera
from .staging import Staging
from .theme import Theme

SOON = 0.016  # seconds that a picture of something that moves may take
STILL = 600  # milliseconds without a change until the finer picture is drawn
KEYS = Qt.Key
OWN = {
    KEYS.Key_Left, KEYS.Key_Right, KEYS.Key_Up, KEYS.Key_Down, KEYS.Key_Plus, KEYS.Key_Equal,
    KEYS.Key_Minus, KEYS.Key_0,
}  # fmt: skip
PLAIN, KEYPAD = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier
TURN, STEP, ZOOM = 0.4, 6.0, 1.12  # degrees a pixel and a key, of a step of the wheel


@dataclass(frozen=True)
class Look:
    """How heads are shown, whatever they do."""

    camera: Camera = VIEWS["front"]
    mirror: bool = False
    wire: bool = False
    through: bool = False


class HeadView(QWidget):
    """Shows one head, or two side by side."""

    looked = Signal()  # another camera, or another look
    shown = Signal()  # a picture has come
    failed = Signal(str)
    pointed = Signal(float, float)  # where, from −1 to 1, after `ask_for_point`

    def __init__(self, staging: Staging, theme: Theme, *, name: str = "Head") -> None:
        super().__init__()
        self.theme = theme
        self.look = Look()
        self.image: QImage | None = None
        self.problem = ""
        self.fine = False  # whether the picture is that of now, as fine as it gets
        self._staging = staging
        self._asks: list[Ask] = []
        self._hand: QPointF | None = None
        self._asking = False
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.setInterval(STILL)
        self._still.timeout.connect(lambda: self._wish(fine=True))
        self.setMinimumSize(160, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setAccessibleDescription(
            "Drag or arrow keys turn the head, wheel or + and − come nearer, 0 is the front"
        )

    def sizeHint(self) -> QSize:
        return QSize(300, 330)

    # ---- what is shown ------------------------------------------------------------------------

    def show_asks(self, asks: Sequence[Ask]) -> None:
        """Show heads in poses; their camera is this view's own."""
        asks = list(asks)
        if asks != self._asks:
            self._asks = asks
            self.refresh()

    def set_look(self, look: Look) -> None:
        """Look at it otherwise."""
        if look != self.look:
            self.look = look
            self.refresh()
            self.looked.emit()

    def set_view(self, name: str) -> None:
        """Look from a fixed place."""
        self.set_look(replace(self.look, camera=VIEWS[name]))

    def refresh(self) -> None:
        """Draw again, quickly now and finely once it stays."""
        self.fine = False
        self._wish(fine=False)
        self._still.start()

    def wish_unseen(self, size: QSize) -> None:
        """Draw as large as it will be, before it is shown for the first time."""
        if not self.isVisible():
            self.resize(size)
            self._wish(fine=False, unseen=True)

    def _wish(self, *, fine: bool, unseen: bool = False) -> None:
        if not self._asks or not (unseen or self.isVisible()):
            return
        look, ratio = self.look, self.devicePixelRatioF()
        camera = astuple(look.camera)
        asks = [
            msgspec.structs.replace(
                a, camera=camera, mirror=look.mirror, wire=look.wire, through=look.through
            )
            for a in self._asks
        ]
        size = (max(16, round(self.width() * ratio)), max(16, round(self.height() * ratio)))
        request = Request(asks, size, self.theme.name, fine, 0.0 if fine else SOON)
        self._staging.draw(self, request, lambda image, problem: self._take(image, problem, fine))

    def _take(self, image: QImage | None, problem: str, fine: bool) -> None:
        self.problem = problem
        if image is not None:
            self.image, self.fine = image, fine
        elif problem:
            self.image = None
            self.failed.emit(problem)
        self.update()
        self.shown.emit()

    # ---- events -------------------------------------------------------------------------------

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.color("panel"))
        if self.image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self.image)
        elif self.problem:
            painter.setPen(self.theme.color("faint"))
            painter.drawText(
                self.rect().adjusted(16, 16, -16, -16),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.problem,
            )
        if self.hasFocus():
            painter.setPen(self.theme.color("chosen"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def showEvent(self, _: object) -> None:
        self.refresh()

    def resizeEvent(self, _: QResizeEvent) -> None:
        self.refresh()

    def ask_for_point(self) -> None:
        """The next click points to something."""
        self._asking = True
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocus()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._asking:
            self._asking = False
            self.unsetCursor()
            x, y = event.position().x() / self.width(), event.position().y() / self.height()
            self.pointed.emit(2 * x - 1, 1 - 2 * y)
            return
        self._hand = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._hand is not None:
            moved = event.position() - self._hand
            self._hand = event.position()
            self._turn(-moved.x() * TURN, moved.y() * TURN)

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._hand = None

    def mouseDoubleClickEvent(self, _: QMouseEvent) -> None:
        self.set_view("front")

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._zoom(ZOOM ** (event.angleDelta().y() / 120))

    def event(self, event: QEvent) -> bool:
        """Its own keys come before commands that have the same."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if event.key() in OWN and event.modifiers() in (PLAIN, KEYPAD):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = Qt.Key
        turns = {
            keys.Key_Left: (-STEP, 0.0),
            keys.Key_Right: (STEP, 0.0),
            keys.Key_Up: (0.0, STEP),
            keys.Key_Down: (0.0, -STEP),
        }
        if event.key() in turns:
            self._turn(*turns[Qt.Key(event.key())])
        elif event.key() in (keys.Key_Plus, keys.Key_Equal):
            self._zoom(ZOOM)
        elif event.key() == keys.Key_Minus:
            self._zoom(1 / ZOOM)
        elif event.key() == keys.Key_0:
            self.set_view("front")
        else:
            super().keyPressEvent(event)

    def _turn(self, right: float, up: float) -> None:
        self.set_look(replace(self.look, camera=self.look.camera.orbited(right, up)))

    def _zoom(self, factor: float) -> None:
        self.set_look(replace(self.look, camera=self.look.camera.zoomed(factor)))
