"""The score of a scene under a hand: what hands and keys do on it become wishes."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
)

from ....scene.editing import Where
from ...drawing.theme import Theme, scale
from ...panels.lines.model import DRAGGED
from .layout import Bracket, Spot
from .paint import sizes
from .sheet import SceneSheet

EDGE = 6.0  # pixels beside the end of a clip that take hold of it
SLACK = 4.0  # pixels that a hand may tremble
KEYS = Qt.Key


@dataclass(frozen=True)
class Grip:
    """What a hand has taken hold of: `clip`, `start`, `end`, `shot` or `span`, at a time of the scene."""

    what: str
    at: float
    where: Where = (-1, -1)
    shot: int = -1


class ScenePaper(SceneSheet):
    """Asks for what is wanted."""

    chosen = Signal(object, str)  # a Where, or None; and how: "", "more"
    shot_chosen = Signal(int)
    sought = Signal(float)
    spanned = Signal(object)  # (start, end) to be looped, or None
    moved = Signal(float, bool)  # the chosen clips, by seconds; whether it is done
    trimmed = Signal(object, str, float, bool)
    shot_moved = Signal(int, float, bool)
    shot_wanted = Signal(float)
    opened = Signal(object)
    nudged = Signal(int)
    stepped = Signal(int)  # another clip
    zoomed = Signal(int)
    given_up = Signal()
    menu_wanted = Signal(QPoint, float)
    dropped = Signal(object, float)  # slugs of lines, at a time

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.free = False  # Alt is held: nothing snaps
        self._grip: Grip | None = None
        self._pressed = QPointF()
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setAccessibleName("Score of the scene")

    # ---- hands --------------------------------------------------------------------------------

    def time_at(self, point: QPointF) -> float:
        """Time under a point."""
        if self.plan is None:
            return 0.0
        system = self.plan.systems[self.plan.system_under(point.y())]
        return system.time_at(point.x())

    def grip_at(self, point: QPointF) -> Grip:
        """What a hand would take hold of."""
        at = self.time_at(point)
        if self.plan is None:
            return Grip("span", at)
        bracket = self._bracket_at(point)
        if bracket is not None:
            near = bracket.begins and bracket.number >= 0 and point.x() - bracket.left < EDGE + 2
            return Grip("shot" if near else "bracket", at, shot=bracket.number)
        spot = self.plan.spot_under(point.x(), point.y())
        if spot is None:
            return Grip("span", at)
        return Grip(self._side(spot, point.x()), at, spot.where)

    @staticmethod
    def _side(spot: Spot, x: float) -> str:
        wide = min(EDGE, (spot.right - spot.left) / 4)
        if spot.begins and x < spot.left + wide:
            return "start"
        return "end" if spot.ends and x > spot.right - wide else "clip"

    def _bracket_at(self, point: QPointF) -> Bracket | None:
        assert self.plan is not None
        size = sizes(scale())
        system = self.plan.systems[self.plan.system_under(point.y())]
        y = point.y() - system.top - size.ruler
        if not 0 <= y <= size.shots:
            return None
        found = [b for b in system.brackets if b.left - 3 <= point.x() <= b.right + 1]
        return found[-1] if found else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        grip = self._grip = self.grip_at(event.position())
        self._pressed, self._dragging = event.position(), False
        more = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))  # fmt: skip
        if grip.what in ("clip", "start", "end"):
            if more or grip.where not in self._chosen:
                self.chosen.emit(grip.where, "more" if more else "")
        elif grip.what in ("shot", "bracket"):
            self.shot_chosen.emit(grip.shot)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if self._grip is None:
            what = self.grip_at(event.position()).what
            side = what in ("start", "end", "shot")
            self.setCursor(Qt.CursorShape.SizeHorCursor if side else Qt.CursorShape.OpenHandCursor if what == "clip" else Qt.CursorShape.ArrowCursor)  # fmt: skip
            return
        gone = event.position() - self._pressed
        if not self._dragging and abs(gone.x()) + abs(gone.y()) < SLACK:
            return
        self._dragging = True
        self._drag(event.position(), False)

    def _drag(self, point: QPointF, done: bool) -> None:
        grip = self._grip
        assert grip is not None
        at = self.time_at(point)
        if grip.what == "clip":
            self.moved.emit(at - grip.at, done)
        elif grip.what in ("start", "end"):
            self.trimmed.emit(grip.where, grip.what, at, done)
        elif grip.what == "shot" and grip.shot >= 0:
            self.shot_moved.emit(grip.shot, at, done)
        elif grip.what == "span":
            a, b = sorted((grip.at, at))
            self.spanned.emit((a, b))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, self._grip = self._grip, None
        if grip is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if self._dragging:
            self._grip = grip
            self._drag(event.position(), True)
            self._grip = None
        elif grip.what == "span":
            self.spanned.emit(None)
            self.chosen.emit(None, "")
            self.sought.emit(grip.at)
        elif grip.what in ("clip", "start", "end") and not event.modifiers():
            self.chosen.emit(grip.where, "")
            self.sought.emit(grip.at)
        self._dragging = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        grip = self.grip_at(event.position())
        if grip.what in ("clip", "start", "end"):
            self.opened.emit(grip.where)
        elif grip.what in ("bracket", "shot"):
            self.shot_wanted.emit(grip.at)

    def give_up(self) -> bool:
        """Let go of what is held; whether anything was."""
        held, self._grip = self._grip is not None and self._dragging, None
        self._dragging = False
        if held:
            self.given_up.emit()
        return held

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        point = QPointF(event.pos())
        grip = self.grip_at(point)
        if grip.what in ("clip", "start", "end") and grip.where not in self._chosen:
            self.chosen.emit(grip.where, "")
        elif grip.what in ("shot", "bracket"):
            self.shot_chosen.emit(grip.shot)
        self.menu_wanted.emit(event.globalPos(), grip.at)

    # ---- keys ---------------------------------------------------------------------------------

    def event(self, event: QEvent) -> bool:
        """Its own keys come before commands that have the same."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if event.key() in (
                KEYS.Key_Left,
                KEYS.Key_Right,
                KEYS.Key_Up,
                KEYS.Key_Down,
                KEYS.Key_Return,
            ):
                if not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):  # fmt: skip
                    event.accept()
                    return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        key = event.key()
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):  # fmt: skip
            super().keyPressEvent(event)
        elif key in (KEYS.Key_Left, KEYS.Key_Right):
            self.nudged.emit(-far if key == KEYS.Key_Left else far)
        elif key in (KEYS.Key_Up, KEYS.Key_Down):
            self.stepped.emit(-1 if key == KEYS.Key_Up else 1)
        elif key == KEYS.Key_Return and self._chosen:
            self.opened.emit(self._chosen[0])
        else:
            super().keyPressEvent(event)

    # ---- lines from the list ------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(DRAGGED):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        if event.mimeData().hasFormat(DRAGGED):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        data = event.mimeData().data(DRAGGED).data()
        slugs = tuple(bytes(data).decode().split("\n"))
        self.dropped.emit(slugs, self.time_at(event.position()))
        event.acceptProposedAction()
