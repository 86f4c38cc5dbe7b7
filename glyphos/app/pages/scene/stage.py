"""The stage of a scene: what the camera sees at a time, heads and drawings in the columns of the shot."""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import partial

from PySide6.QtCore import QEvent, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....scene.picture import Drawn, Picture
from ....stage.messages import Ask, Request
from ....stage.views import BACKGROUNDS
from ...drawing import theme as themes
from ...drawing.drawnhead import DrawnPainter
from ...drawing.pictures import Pictures
from ...drawing.staging import Staging
from ...drawing.theme import Theme

TURN, STEP, ZOOM = 0.4, 6.0, 1.12  # degrees a pixel and a key, of a step of the wheel
KEYS = Qt.Key
TURNS = {  # degrees round and up, how much nearer
    KEYS.Key_Left: (-STEP, 0.0, 1.0), KEYS.Key_Right: (STEP, 0.0, 1.0), KEYS.Key_Up: (0.0, STEP, 1.0),
    KEYS.Key_Down: (0.0, -STEP, 1.0), KEYS.Key_Plus: (0.0, 0.0, ZOOM), KEYS.Key_Equal: (0.0, 0.0, ZOOM),
    KEYS.Key_Minus: (0.0, 0.0, 1 / ZOOM),
}  # fmt: skip
PLAIN, KEYPAD = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier
FIRST, OTHERS = 0, 1  # processes: whoever speaks need not wait for those who listen


class SceneStage(QWidget):
    """Shows one frame; a hand on it turns the camera of the shot."""

    turned = Signal(
        float, float, float, bool
    )  # degrees round and up, how much nearer, whether done
    come = Signal(int)  # the picture of a column

    def __init__(
        self, staging: Staging, theme: Theme, pictures: Callable[[str], Pictures | None]
    ) -> None:
        super().__init__()
        self.theme = theme
        self.picture: Picture | None = None
        self.said = ""  # over the picture
        self.empty = ""  # in place of one
        self.images: list[QImage | None] = []  # of the columns that are heads
        self.problem = ""
        self._staging, self._pictures = staging, pictures
        self._drawn = DrawnPainter()
        self._opened: dict[str, Pictures | None] = {}
        self._asked: list[object] = []
        self._warm: set[str] = set()  # models that both processes know
        self._speaking: tuple[int, ...] = ()
        self._looks: object = None  # of all that is not a head
        self._hand: QPointF | None = None
        self._pressed = QPointF()
        self.setMinimumSize(240, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Stage")
        self.setAccessibleDescription(
            "Drag or arrow keys turn the camera of the shot, wheel or + and − come nearer"
        )

    def sizeHint(self) -> QSize:
        return QSize(900, 300)

    # ---- what is shown ------------------------------------------------------------------------

    def show_picture(
        self, picture: Picture | None, said: str = "", *, speaking: Collection[int] = (), less: Collection[int] = (),
    ) -> None:  # fmt: skip
        """Show a frame, and what shot it is of. speaking: columns that come first; less: those in which a
        moment ago will do."""
        if picture is self.picture and said == self.said:
            return
        self.picture, self.said = picture, said
        self.open_pictures()
        self._speaking = tuple(speaking)
        self._wish(less)

    def open_pictures(self) -> None:
        """Have the pictures of drawings that are to be seen; painting asks for nothing."""
        columns = self.picture.columns if self.picture is not None else ()
        self._opened = {c.folder: self._pictures(c.folder) for c in columns if isinstance(c, Drawn)}
        looks = (
            len(columns),
            self.said,
            [c for c in columns if isinstance(c, Drawn)],
            list(map(id, self._opened.values())),
        )
        if looks != self._looks:  # heads are painted when their pictures come
            self._looks = looks
            self.update()

    def _wish(self, less: Collection[int] = ()) -> None:
        """Ask for what is not shown yet, each head by itself: the one that speaks need not wait for others."""
        columns = self.picture.columns if self.picture is not None else ()
        if self.picture is None or not self.isVisible():
            return
        ratio, across = self.devicePixelRatioF(), max(1, len(columns))
        size = (
            max(16, round(self.width() * ratio / across)),
            max(16, round(self.height() * ratio)),
        )
        ground = self.picture.background if self.picture.background in BACKGROUNDS else "none"
        ground = ground if ground != "none" else self.theme.name
        while len(self._asked) < len(columns):
            self._asked.append(None)
            self.images.append(None)
        for k, column in enumerate(columns):
            wide, high = self._room(k, across).width(), self.height()
            size = (max(16, round(wide * ratio)), max(16, round(high * ratio)))
            if not isinstance(column, Ask) or (k in less and self._alike(k, column, size, ground)):
                continue
            key = (column, size, ground)
            if key != self._asked[k]:
                self._asked[k] = key
                request = Request([column], size, ground, False)
                then = partial(self._take, k, column.model, across)
                first = across == 1 or k in self._speaking
                self._staging.draw((self, k), request, then, process=FIRST if first else OTHERS)
                if across > 1 and column.model not in self._warm:  # it will be wanted there as well
                    self._warm.add(column.model)
                    other = OTHERS if first else FIRST
                    self._staging.draw(
                        (self, column.model), request, lambda *_: None, process=other
                    )

    def _room(self, k: int, across: int) -> QRect:
        """A column, in whole pixels, so that nothing is scaled."""
        left, right = (round(self.width() * j / across) for j in (k, k + 1))
        return QRect(left, 0, right - left, self.height())

    def _alike(self, k: int, column: Ask, size: tuple[int, int], ground: str) -> bool:
        """Whether what was asked last is the same head, seen from the same place."""
        asked = self._asked[k]
        if not isinstance(asked, tuple) or asked[1:] != (size, ground):
            return False
        return bool((asked[0].model, asked[0].camera) == (column.model, column.camera))

    def _take(self, k: int, model: str, across: int, image: QImage | None, problem: str) -> None:
        columns = self.picture.columns if self.picture is not None else ()
        column = columns[k] if k < len(columns) else None
        if len(columns) != across or not isinstance(column, Ask) or column.model != model:
            return  # of a shot before
        self.problem = problem
        self.images[k] = image
        self.update(self._room(k, across))
        self.come.emit(k)

    # ---- painting -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        ground = self.picture.background if self.picture is not None else self.theme.name
        painter.fillRect(self.rect(), QColor(*BACKGROUNDS[ground if ground in ("paper", "night") else self.theme.name]))  # fmt: skip
        if self.picture is None:
            painter.setPen(self.theme.color("ink" if self.theme.name == ground else "faint"))
            painter.setFont(themes.sans(10))
            painter.drawText(
                self.rect().adjusted(24, 16, -24, -16), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.empty
            )  # fmt: skip
        else:
            self._columns(painter, self.picture, event.rect())
            self._say(painter)
        if self.hasFocus():
            painter.setPen(self.theme.color("chosen"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _columns(self, painter: QPainter, picture: Picture, part: QRect) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        across = max(1, len(picture.columns))
        for k, column in enumerate(picture.columns):
            room = self._room(k, across)
            if not room.intersects(part):
                continue
            if isinstance(column, Drawn):
                pictures = self._opened.get(column.folder)
                if pictures is not None:
                    high = 0.04 * self.height()
                    self._drawn.paint(
                        painter, column.view, pictures, column.mouth, dict(column.states), QRectF(room).adjusted(8, high, -8, -high)
                    )  # fmt: skip
            elif k < len(self.images) and (image := self.images[k]) is not None:
                painter.drawImage(room, image)
            elif self.problem:
                painter.setPen(self.theme.color("faint"))
                painter.drawText(
                    room.adjusted(12, 12, -12, -12), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.problem
                )  # fmt: skip

    def _say(self, painter: QPainter) -> None:
        if not self.said:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(themes.sans(8.5))
        metrics = painter.fontMetrics()
        box = QRectF(14, 12, metrics.horizontalAdvance(self.said) + 24, metrics.height() + 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.faded("page", 225))
        painter.drawRoundedRect(box, box.height() / 2, box.height() / 2)
        painter.setPen(self.theme.color("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.said)

    def resizeEvent(self, _: QResizeEvent) -> None:
        self._wish()

    def showEvent(self, _: object) -> None:
        self._asked = [None] * len(self._asked)
        self._wish()

    # ---- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.picture is not None:
            self._hand = self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._hand is not None:
            self._hand = event.position()
            self._turn(event.position(), False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._hand is not None and (event.position() - self._pressed).manhattanLength() > 3:
            self._turn(event.position(), True)
        self._hand = None

    def _turn(self, point: QPointF, done: bool) -> None:
        gone = point - self._pressed
        self.turned.emit(-gone.x() * TURN, gone.y() * TURN, 1.0, done)

    def give_up(self) -> bool:
        """Let go of what is held; whether anything was."""
        held, self._hand = self._hand is not None, None
        return held

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.picture is not None:
            self.turned.emit(0.0, 0.0, ZOOM ** (event.angleDelta().y() / 120), True)

    def event(self, event: QEvent) -> bool:
        """Its own keys come before commands that have the same."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if event.key() in TURNS and event.modifiers() in (PLAIN, KEYPAD):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        found = TURNS.get(event.key())
        if found is None or self.picture is None:
            super().keyPressEvent(event)
        else:
            self.turned.emit(*found, True)
