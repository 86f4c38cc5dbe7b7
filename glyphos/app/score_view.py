"""The score: a line read like a page. Rows of waveform, words, sounds, lip ribbon and glyphs.

The page shows what it is given and sends back what a hand wants: to hear a part, to scrub, to move
an edge or a phrase. What stays of a row is painted once and kept; only the lips are painted anew.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
)  # fmt: skip
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from ..motion.perform import Motion
from ..speech.parts import Edge, Flat, Level, Part
from ..speech.reading import Reading
from .score_bands import MARGIN, Bands
from .score_layout import Page, fitting_scale, lay_out, relaid
from .score_paint import Chosen, Painter
from .theme import Theme

DRAG = 5  # pixels before a click is a drag
NEAR = 4.0  # pixels within which an edge is taken hold of
MOST_KEPT = 40  # rows whose still part is kept painted
ZOOMS = (0.7, 0.85, 1.0, 1.25, 1.5, 2.0)


class ScorePage(QWidget):
    """The page itself, inside a scroll area."""

    chosen = Signal(object)  # a Part, or None
    played = Signal(object)  # a Part to be heard
    scrubbed = Signal(float)
    scrub_ended = Signal()
    edge_dragged = Signal(object, float)
    edge_dropped = Signal()
    pin_wanted = Signal(object)  # an Edge whose pin is to be set or lifted
    part_dragged = Signal(object, float)  # a Part and by how many seconds
    menu_wanted = Signal(QPoint, float)
    level_wanted = Signal(int)  # wider (−1) or narrower (1)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.zoom = 1.0
        self.bands = Bands()
        self.reading: Reading | None = None
        self.flat: Flat | None = None
        self.motion: Motion | None = None
        self.samples: NDArray[np.float32] = np.zeros(0, np.float32)
        self.rate = 16_000
        self.duration = 0.0
        self.playhead = 0.0
        self.part: Part | None = None
        self.room = 500
        self.lead = 0.04
        self.page: Page | None = None
        self.scale = 100.0
        self._level = 1.0
        self._kept: dict[int, QPixmap] = {}
        self._pressed: QPointF | None = None
        self._hold: Edge | None = None
        self._carried: Part | None = None
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Score")
        self.setMouseTracking(True)

    # ---- values -----------------------------------------------------------------------------

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = theme
        self._forget()

    @property
    def word(self) -> int:
        """Number of the chosen word; −1 if no word or sound of one is chosen."""
        if self.part is None or self.flat is None or self.part.level == "phrase":
            return -1
        return self.flat.word_range(self.part)[0]

    def _forget(self) -> None:
        self._kept.clear()
        self.update()

    def show_sound(self, samples: NDArray[np.float32], rate: int, duration: float) -> None:
        """Another recording."""
        self.samples, self.rate, self.duration = samples, rate, duration
        self._level = 1.0 / float(np.abs(samples).max(initial=1e-4))

    def show_reading(self, reading: Reading | None) -> None:
        """Another reading of the same recording; while nothing but times changed, the rows stay."""
        before = self.flat
        self.reading = reading
        self.flat = Flat.of(reading) if reading is not None else None
        if self._same_sounds(before) and self.page is not None and self.flat is not None:
            changed = relaid(self.page, self.flat, self.scale, word_width=self.bands.word_width,
                             letter_width=self.bands.letter_width)  # fmt: skip
            for r in changed:
                self._kept.pop(r, None)
                self.update(0, int(self.row_top(r)), self.width(), int(self.bands.height) - 1)
            return
        self.reflow()

    def _same_sounds(self, before: Flat | None) -> bool:
        """Whether only times, pins and confidences differ, so that every row keeps its words."""
        if before is None or self.flat is None or len(before.phones) != len(self.flat.phones):
            return False
        same_words = [w.text for w in before.words] == [w.text for w in self.flat.words]
        moved = max(
            (abs(a.start - b.start) for a, b in zip(before.phones, self.flat.phones, strict=True)),
            default=0.0,
        )
        alike = [p.ipa for p in before.phones] == [p.ipa for p in self.flat.phones]
        phrases = len(before.reading.phrases) == len(self.flat.reading.phrases)
        pauses = [before.touches(k) for k in range(1, len(before.phones))]
        same_pauses = pauses == [self.flat.touches(k) for k in range(1, len(self.flat.phones))]
        return same_words and alike and phrases and same_pauses and moved < 1.0

    def show_motion(self, motion: Motion | None, window: tuple[float, float] | None = None) -> None:
        """Another motion; with a `window` (seconds) it differs only there."""
        fps_changed = (self.motion and self.motion.fps) != (motion and motion.fps)
        self.motion = motion
        if fps_changed:
            self._kept.clear()
        if window is None or self.page is None:
            self.update()
            return
        for r in range(self.page.row_at(window[0]), self.page.row_at(window[1]) + 1):
            self.update(0, int(self.row_top(r)), self.width(), int(self.bands.height) - 1)

    def show_part(self, part: Part | None) -> None:
        """Show another part as chosen."""
        if part != self.part:
            rows = self._rows_of(self.part) | self._rows_of(part)
            self.part = part
            for r in rows:
                self._kept.pop(r, None)
            self.update()

    def _rows_of(self, part: Part | None) -> set[int]:
        if part is None or self.flat is None or self.page is None or not self.flat.valid(part):
            return set()
        a, b = self.flat.sound_range(part)
        return {
            r for r, row in enumerate(self.page.rows) if any(a <= p.sound < b for p in row.pieces)
        }

    def set_room(self, height: int) -> None:
        """Height of the page that is visible, which decides how wide time is drawn."""
        if height != self.room:
            self.room = height
            self.reflow()

    def set_zoom(self, zoom: float) -> None:
        """Draw everything larger or smaller."""
        self.zoom = min(max(zoom, ZOOMS[0]), ZOOMS[-1])
        self.bands = Bands(self.zoom)
        self.reflow()

    def zoom_by(self, steps: int) -> None:
        """The next larger or smaller size."""
        near = min(range(len(ZOOMS)), key=lambda k: abs(ZOOMS[k] - self.zoom))
        self.set_zoom(ZOOMS[min(max(near + steps, 0), len(ZOOMS) - 1)])

    def reflow(self) -> None:
        """Lay the page out again for the present width."""
        self._kept.clear()
        width = max(200, self.width() - 2 * MARGIN)
        if self.reading is None:
            self.page = None
            self.setMinimumHeight(0)
            self.update()
            return
        widths = {"word_width": self.bands.word_width, "letter_width": self.bands.letter_width}
        rows = max(1, int((self.room - MARGIN / 2) // self.bands.height))
        self.scale = self.zoom * fitting_scale(
            self.reading, self.duration, width=width, rows=rows, **widths
        )
        self.page = lay_out(
            self.reading, self.duration, width=width, per_second=self.scale, **widths
        )
        self.setMinimumHeight(int(len(self.page.rows) * self.bands.height + MARGIN / 2))
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.size().width() != event.oldSize().width():
            self.reflow()

    def set_playhead(self, seconds: float) -> None:
        """Move the playhead; only the strips it leaves and enters are painted."""
        if seconds != self.playhead:
            self.update(self._playhead_rect())
            self.playhead = seconds
            self.update(self._playhead_rect())

    def _playhead_rect(self) -> QRect:
        if self.page is None:
            return QRect()
        r = self.page.row_at(self.playhead)
        x = MARGIN + self.page.rows[r].x_at(self.playhead)
        return QRect(int(x) - 8, int(self.row_top(r)), 16, int(self.bands.height))

    # ---- places -----------------------------------------------------------------------------

    def row_top(self, row: int) -> float:
        return MARGIN / 2 + row * self.bands.height

    def _row_of(self, point: QPointF) -> int:
        assert self.page is not None
        row = int((point.y() - MARGIN / 2) // self.bands.height)
        return min(max(row, 0), len(self.page.rows) - 1)

    def time_at(self, point: QPointF) -> float:
        """The time under a point of the page."""
        assert self.page is not None
        return self.page.rows[self._row_of(point)].time_at(point.x() - MARGIN)

    def level_at(self, point: QPointF) -> Level:
        """What a click there means: a sound in the sounds' band, else a word."""
        inside = (point.y() - MARGIN / 2) % self.bands.height
        return "sound" if self.bands.sounds_top <= inside < self.bands.ribbon_top else "word"

    def part_at(self, point: QPointF, level: Level | None = None) -> Part | None:
        """The word (or sound) under a point, or None in a pause."""
        if self.page is None or self.flat is None:
            return None
        seconds = self.time_at(point)
        part = self.flat.part_at(level or self.level_at(point), seconds)
        if part is None:
            return None
        start, end = self.flat.span(
            self.flat.at_level(part, "sound") if part.level == "sound" else part
        )
        return part if start <= seconds < end else None

    def edge_at(self, point: QPointF) -> Edge | None:
        """The edge under a point of the words' and sounds' bands, or None."""
        if self.page is None or self.flat is None:
            return None
        inside = (point.y() - MARGIN / 2) % self.bands.height
        if not self.bands.sounds_top <= inside < self.bands.ribbon_top + 6:
            return None
        row = self.page.rows[self._row_of(point)]
        edge = self.flat.nearest_edge(row.time_at(point.x() - MARGIN))
        if edge is None:
            return None
        time = self.flat.edge_time(edge)
        if not row.start - 1e-6 <= time <= row.end + 1e-6:
            return None
        return edge if abs(MARGIN + row.x_at(time) - point.x()) <= NEAR else None

    def edge_point(self, edge: Edge) -> QPointF:
        """Where an edge stands, in the sounds' band (for tests and for reading aloud)."""
        assert self.page is not None and self.flat is not None
        time = self.flat.edge_time(edge)
        r = self.page.row_at(time - 1e-6 if edge.end else time)
        x = MARGIN + self.page.rows[r].x_at(time)
        return QPointF(x, self.row_top(r) + self.bands.sounds_top + self.bands.sounds / 2)

    def word_rects(self) -> list[QRectF]:
        """Where the text of every word stands (for tests and for reading aloud)."""
        if self.page is None:
            return []
        rects = []
        for number, word in enumerate(self.page.words):
            for r, left, right in self.page.word_span(number):
                width = self.bands.word_width(word.text)
                top = self.row_top(r) + self.bands.words_top
                rects.append(
                    QRectF((left + right - width) / 2 + MARGIN, top, width, self.bands.words)
                )
        return rects

    def visible_span(self, top: int, bottom: int) -> tuple[float, float]:
        """Time that rows between two heights of the page show."""
        if self.page is None:
            return 0.0, 0.0
        rows = self.page.rows
        first = min(max(int((top - MARGIN / 2) // self.bands.height), 0), len(rows) - 1)
        last = min(max(int((bottom - MARGIN / 2) // self.bands.height), first), len(rows) - 1)
        return rows[first].start, rows[last].end

    # ---- hands ------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.page is None:
            return
        self._pressed, self._dragging = event.position(), False
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
        if self._carried is not None:
            self.part_dragged.emit(self._carried, seconds - self._pressed_time)
        elif self._hold is not None:
            self.edge_dragged.emit(self._hold, seconds)
        else:
            self.scrubbed.emit(seconds)

    def _hover(self, point: QPointF) -> None:
        over_edge = self.edge_at(point) is not None
        self.setCursor(Qt.CursorShape.SplitHCursor if over_edge else Qt.CursorShape.ArrowCursor)
        part = self.part_at(point, "word")
        tip = ""
        if part is not None and self.flat is not None:
            word = self.flat.words[part.number]
            tip = f"{word.text}: {word.end - word.start:.2f} s, {word.confidence:.0%} sure"
            tip += ", confirmed" if word.confirmed else ""
            tip += f", pronounced from {word.source}"
        self.setToolTip(tip)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        if self._dragging and (self._hold is not None or self._carried is not None):
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
        self._pressed = self._hold = self._carried = None

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
        if event.reason() == QContextMenuEvent.Reason.Mouse:
            part = self.part_at(point)
            if part is not None:
                self.chosen.emit(part)
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

    # ---- painting ---------------------------------------------------------------------------

    def sizeHint(self) -> QSize:
        return QSize(700, 500)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(event.rect(), self.theme.color("page"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.page is None or self.reading is None:
            painter.end()
            return
        drawer = Painter(self.theme, self.bands, self.reading, self.page.words, self.samples,
                         self.rate, self._level)  # fmt: skip
        top, bottom = event.rect().top(), event.rect().bottom()
        current = self.page.row_at(self.playhead)
        for r, row in enumerate(self.page.rows):
            y = self.row_top(r)
            if y >= bottom or y + self.bands.height <= top + 1:
                continue
            painter.drawPixmap(QPointF(0, y), self._still(drawer, r))
            if self.motion is not None:
                painter.save()
                painter.translate(0, y)
                drawer.lips(painter, row, self.motion, self.lead, self.devicePixelRatioF())
                painter.restore()
            if r == current:
                self._paint_playhead(painter, row.x_at(self.playhead), y)
        painter.end()

    def _still(self, drawer: Painter, r: int) -> QPixmap:
        """The part of a row that does not move, painted once and kept."""
        assert self.page is not None
        kept = self._kept.get(r)
        ratio = self.devicePixelRatioF()
        if (
            kept is not None
            and kept.devicePixelRatio() == ratio
            and kept.width() == round(self.width() * ratio)
        ):
            return kept
        pixmap = QPixmap(round(self.width() * ratio), round(self.bands.height * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(self.theme.color("page"))
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        fps = float(self.motion.fps) if self.motion else 24.0
        drawer.still(painter, self.page.rows[r], fps, self.width(), self._chosen_sounds())
        painter.end()
        while len(self._kept) >= MOST_KEPT:
            self._kept.pop(next(iter(self._kept)))
        self._kept[r] = pixmap
        return pixmap

    def _chosen_sounds(self) -> Chosen:
        if self.part is None or self.flat is None or not self.flat.valid(self.part):
            return Chosen()
        return Chosen(*self.flat.sound_range(self.part), self.part.level)

    def _paint_playhead(self, painter: QPainter, x: float, y: float) -> None:
        x += MARGIN
        color: QColor = self.theme.color("playhead")
        painter.setPen(QPen(color, 1.6))
        painter.drawLine(QPointF(x, y + 6), QPointF(x, y + self.bands.height - self.bands.gap))
        painter.setBrush(color)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([QPointF(x - 5, y), QPointF(x + 5, y), QPointF(x, y + 8)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)


class ScoreView(QScrollArea):
    """The page in its frame; keeps the playhead's row in sight."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.page = ScorePage(theme)
        self.setWidget(self.page)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusProxy(self.page)
        self.setAccessibleName("Score page")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.page.set_room(self.viewport().height())

    def visible_span(self) -> tuple[float, float]:
        """Time that the rows in sight show."""
        top = self.verticalScrollBar().value()
        return self.page.visible_span(top, top + self.viewport().height())

    def follow(self, seconds: float) -> None:
        """Show the playhead at a time, scrolling by whole rows when it leaves the page."""
        self.page.set_playhead(seconds)
        if self.page.page is not None:
            self.bring_row(self.page.page.row_at(seconds))

    def bring_row(self, row: int) -> None:
        """Scroll so that a row is in sight."""
        top = self.page.row_top(row)
        bar = self.verticalScrollBar()
        seen = bar.value() + self.viewport().height()
        if top < bar.value() or top + self.page.bands.height > seen + 1:
            bar.setValue(int(top - 13))

    def bring_part(self, part: Part) -> None:
        """Scroll so that a part is in sight."""
        if self.page.page is not None and self.page.flat is not None and self.page.flat.valid(part):
            self.bring_row(self.page.page.row_at(self.page.flat.span(part)[0]))
