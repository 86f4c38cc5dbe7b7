"""The score under the hand: what mouse and keys mean on the paper. Sends back what is wanted."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent

from ....motion.life.event import Event
from ....speech.parts import Edge, Level, Part
from ...drawing.theme import Theme
from ...drawing.words import sureness
from .paper import Paper

DRAG = 5  # pixels before a click is a drag


class ScorePaper(Paper):
    """The paper with hands on it: to hear a part, to scrub, to move an edge or a phrase."""

    chosen = Signal(object)  # a Part, or None
    played = Signal(object)  # a Part to be heard
    scrubbed = Signal(float)
    scrub_ended = Signal()
    edge_dragged = Signal(object, float)
    edge_dropped = Signal()
    pin_wanted = Signal(object)  # an Edge whose pin is to be set or lifted
    part_dragged = Signal(object, float)  # a Part and by how many seconds
    menu_wanted = Signal(QPoint, float)
    exposure_chosen = Signal(object)
    change_dragged = Signal(int, int)  # a frame at which a drawing begins, and where it was put
    exposure_menu_wanted = Signal(QPoint)
    mood_dragged = Signal(int, str, float, bool)  # which, what of it, by how much, whether let go
    event_dragged = Signal(object, float)  # what happens in the face, and where it was put
    life_menu_wanted = Signal(QPoint, object, float)
    level_wanted = Signal(int)  # wider (−1) or narrower (1)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._pressed: QPointF | None = None
        self._pressed_time = 0.0
        self._hold: Edge | None = None
        self._carried: Part | None = None
        self._dragging = False
        self._event: Event | None = None  # of the face, that is held
        self._mood: tuple[int, str] | None = None  # that is held
        self._change: int | None = None  # the frame of a change that is held
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.page is None:
            return
        self._pressed, self._dragging = event.position(), False
        self._event = self.event_at(event.position())
        self._mood = self.mood_at(event.position()) if self._event is None else None
        change = self.change_at(event.position())
        self._change = change.first if change is not None else None
        self._hold = self.edge_at(event.position())
        carry = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._carried = self._to_carry(event.position()) if carry else None
        self._pressed_time = self.time_at(event.position())

    def _to_carry(self, point: QPointF) -> Part | None:
        """What Shift and a drag move: the chosen part if the point is in it, else its phrase."""
        under = self.part_at(point, "phrase")
        if under is None or self.flat is None:
            return under
        if self.part is not None:
            start, end = self.flat.span(self.part)
            if start <= self.time_at(point) < end:
                return self.part
        return under

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            self._hover(event.position())
            return
        moved = (event.position() - self._pressed).manhattanLength()
        self._dragging = self._dragging or moved > DRAG
        if not self._dragging:
            return
        seconds = self.time_at(event.position())
        if self._change is not None or self._event is not None:
            return  # it is told where it was put
        if self._mood is not None:
            self._drag_mood(seconds, done=False)
            return
        if self._carried is not None:
            self.part_dragged.emit(self._carried, seconds - self._pressed_time)
        elif self._hold is not None:
            self.edge_dragged.emit(self._hold, seconds)
        else:
            self.scrubbed.emit(seconds)

    def _drag_mood(self, seconds: float, *, done: bool) -> None:
        if self._mood is not None and self.life is not None:
            by = self.life.heard(seconds) - self.life.heard(self._pressed_time)
            self.mood_dragged.emit(*self._mood, by, done)

    def _hover(self, point: QPointF) -> None:
        mood = self.mood_at(point)
        over_edge = self.edge_at(point) is not None or self.change_at(point) is not None
        over_edge = over_edge or (mood is not None and mood[1] != "all")
        self.setCursor(Qt.CursorShape.SplitHCursor if over_edge else Qt.CursorShape.ArrowCursor)
        part = self.part_at(point, "word")
        tip = ""
        exposure = self.exposure_at(point)
        if exposure is not None and self.exposed is not None:
            held = f"{exposure.frames} frame" + ("s" if exposure.frames > 1 else "")
            by_hand = ", by hand" if exposure.pinned else ""
            tip = (
                f"{self.exposed.sheet.mouth(exposure).name}: {held} from {exposure.first}{by_hand}"
            )
        elif (event := self.event_at(point)) is not None:
            tip = event.reason
        elif part is not None and self.flat is not None:
            word = self.flat.words[part.number]
            tip = f"{word.text}: {word.end - word.start:.2f} s, {sureness(word)}"
            tip += f", pronounced from {word.source}"
        self.setToolTip(tip)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        exposure = self.exposure_at(event.position())
        if self._event is not None and self._dragging and self.life is not None:
            self.event_dragged.emit(self._event, self.life.heard(self.time_at(event.position())))
        elif self._mood is not None and self._dragging:
            self._drag_mood(self.time_at(event.position()), done=True)
        elif self._change is not None and self._dragging and self.exposed is not None:
            sheet = self.exposed.sheet
            to = round(self.time_at(event.position()) * sheet.fps)
            if to != self._change:
                self.change_dragged.emit(self._change, to)
        elif exposure is not None and not self._dragging:
            self.exposure_chosen.emit(exposure)
        elif self._dragging and (self._hold is not None or self._carried is not None):
            self.edge_dropped.emit()
        elif self._dragging:
            self.scrub_ended.emit()
        else:
            part = self.part_at(event.position())
            self.chosen.emit(part)
            if part is not None:
                self.played.emit(part)
            else:
                self.scrubbed.emit(self.time_at(event.position()))
                self.scrub_ended.emit()
        self._pressed = self._hold = self._carried = self._change = self._event = self._mood = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        edge = self.edge_at(event.position())
        if edge is not None:
            self.pin_wanted.emit(edge)
        elif (part := self.part_at(event.position(), "phrase")) is not None:
            self.chosen.emit(part)
            self.played.emit(part)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.page is None:
            return
        point = QPointF(event.pos())
        if (
            event.reason() == QContextMenuEvent.Reason.Mouse
            and self.in_life(point)
            and self.life is not None
        ):
            self.life_menu_wanted.emit(
                event.globalPos(),
                (self.event_at(point), self.mood_at(point)),
                self.life.heard(self.time_at(point)),
            )
            return
        if event.reason() == QContextMenuEvent.Reason.Mouse and (e := self.exposure_at(point)):
            self.exposure_chosen.emit(e)
            self.exposure_menu_wanted.emit(event.globalPos())
            return
        if event.reason() == QContextMenuEvent.Reason.Mouse:
            self.chosen.emit(
                self.part_at(point)
            )  # in a pause: nothing, so that nothing else is meant
            self.menu_wanted.emit(event.globalPos(), self.time_at(point))
            return
        at = self._playhead_rect().center()
        self.menu_wanted.emit(self.mapToGlobal(at), self.playhead)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(key, 0)
        modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if step and self.flat is not None and self.flat.phones:
            if modifiers == Qt.KeyboardModifier.ControlModifier:
                self._walk(step, "word")
                return
            if modifiers == Qt.KeyboardModifier.NoModifier:
                self._walk(step, self.part.level if self.part else "sound")
                return
        level = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(key, 0)
        if level and modifiers == Qt.KeyboardModifier.NoModifier:
            self.level_wanted.emit(level)
            return
        super().keyPressEvent(event)

    def _walk(self, step: int, level: Level) -> None:
        """Go to the next part of a level, from the chosen one or from the playhead."""
        assert self.flat is not None
        if self.part is not None:
            part = self.flat.step(self.flat.at_level(self.part, level), step)
        else:
            part = self._beside_playhead(step, level)
        self.chosen.emit(part)
        if level == "sound":
            self.scrubbed.emit(self.flat.span(part)[0] + 1e-3)
        else:
            self.played.emit(part)

    def _beside_playhead(self, step: int, level: Level) -> Part:
        assert self.flat is not None
        count = self.flat.count(level)
        starts = [self.flat.span(Part(level, k))[0] for k in range(count)]
        if step > 0:
            return Part(
                level,
                next((k for k, s in enumerate(starts) if s > self.playhead + 1e-3), count - 1),
            )
        return Part(
            level, max((k for k, s in enumerate(starts) if s < self.playhead - 2e-3), default=0)
        )
