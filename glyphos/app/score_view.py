"""The score: a line read like a page. Rows of waveform, words, sounds, lip ribbon and glyphs."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)  # fmt: skip
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from ..motion.gestures import closes_lips, is_vowel
from ..motion.perform import Motion
from ..speech.reading import Phone, Reading
from . import theme as themes
from .mouth import gesture_kind, paint_glyph
from .score_layout import Page, Row, fitting_scale, lay_out
from .theme import Theme

MARGIN = 26
DRAG = 5  # pixels before a click is a drag
KIND_WORDS = {
    "closed": "lips closed", "teeth": "lip to teeth", "round": "rounded", "spread": "spread",
    "open": "open", "narrow": "narrow",
}  # fmt: skip


class Bands:
    """Heights of a row's bands, from the size of the text."""

    def __init__(self) -> None:
        self.words_font = themes.serif(15)
        self.sounds_font = themes.serif(11.5)
        self.ruler_font = themes.sans(7.5)
        word, sound = QFontMetricsF(self.words_font), QFontMetricsF(self.sounds_font)
        self.ruler = QFontMetricsF(self.ruler_font).height() + 3
        self.wave = 34.0
        self.words = word.height() + 2
        self.sounds = sound.height() + 2
        self.ribbon = 38.0
        self.glyphs = 24.0
        self.gap = 16.0
        self.height = (
            self.ruler + self.wave + self.words + self.sounds + self.ribbon + self.glyphs + self.gap
        )
        self.word_width = lru_cache(4096)(word.horizontalAdvance)
        advance = lru_cache(512)(sound.horizontalAdvance)
        self.letter_width = lambda text: advance(text) + 3.0


class ScorePage(QWidget):
    """The page itself, inside a scroll area."""

    word_clicked = Signal(int)
    scrubbed = Signal(float)
    scrub_ended = Signal()
    selected = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.bands = Bands()
        self.reading: Reading | None = None
        self.motion: Motion | None = None
        self.samples: NDArray[np.float32] = np.zeros(0, np.float32)
        self.rate = 16_000
        self.duration = 0.0
        self.playhead = 0.0
        self.word = -1
        self.room = 500
        self.lead = 0.04
        self.page: Page | None = None
        self._pressed: QPointF | None = None
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Score")
        self.setMouseTracking(True)

    # ---- values -----------------------------------------------------------------------------

    def show_line(
        self, reading: Reading | None, samples: NDArray[np.float32], rate: int, duration: float
    ) -> None:
        """Another reading or recording."""
        self.reading, self.samples, self.rate, self.duration = reading, samples, rate, duration
        self.word = -1
        peak = float(np.abs(samples).max(initial=1e-4))
        self._level = 1.0 / peak
        self.reflow()

    def show_motion(self, motion: Motion | None) -> None:
        self.motion = motion
        self.update()

    def set_room(self, height: int) -> None:
        """Height of the page that is visible, which decides how wide time is drawn."""
        if height != self.room:
            self.room = height
            self.reflow()

    def reflow(self) -> None:
        """Lay the page out again for the present width."""
        width = max(200, self.width() - 2 * MARGIN)
        if self.reading is None:
            self.page = None
            self.setMinimumHeight(0)
            self.update()
            return
        widths = {"word_width": self.bands.word_width, "letter_width": self.bands.letter_width}
        rows = max(1, int((self.room - MARGIN) // self.bands.height))
        scale = fitting_scale(self.reading, self.duration, width=width, rows=rows, **widths)
        self.page = lay_out(self.reading, self.duration, width=width, per_second=scale, **widths)
        self.setMinimumHeight(int(len(self.page.rows) * self.bands.height + MARGIN))
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

    def select(self, word: int) -> None:
        """Choose a word by number; −1 for none."""
        if word != self.word:
            self.word = word
            self.selected.emit(word)
            self.update()

    # ---- places -----------------------------------------------------------------------------

    def row_top(self, row: int) -> float:
        return MARGIN / 2 + row * self.bands.height

    def time_at(self, point: QPointF) -> float:
        """The time under a point of the page."""
        assert self.page is not None
        row = int((point.y() - MARGIN / 2) // self.bands.height)
        row = min(max(row, 0), len(self.page.rows) - 1)
        return self.page.rows[row].time_at(point.x() - MARGIN)

    def word_at(self, point: QPointF) -> int:
        """The word under a point, or −1."""
        if self.page is None:
            return -1
        seconds = self.time_at(point)
        for number, word in enumerate(self.page.words):
            if word.start <= seconds < word.end:
                return number
        return -1

    def word_rects(self) -> list[QRectF]:
        """Where the text of every word stands (for tests and for reading aloud)."""
        if self.page is None:
            return []
        rects = []
        for number, word in enumerate(self.page.words):
            for r, left, right in self.page.word_span(number):
                width = self.bands.word_width(word.text)
                top = self.row_top(r) + self.bands.ruler + self.bands.wave
                rects.append(
                    QRectF((left + right - width) / 2 + MARGIN, top, width, self.bands.words)
                )
        return rects

    # ---- hands ------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.page is not None:
            self._pressed, self._dragging = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None:
            moved = (event.position() - self._pressed).manhattanLength()
            self._dragging = self._dragging or moved > DRAG
            if self._dragging:
                self.scrubbed.emit(self.time_at(event.position()))
            return
        number = self.word_at(event.position())
        tip = ""
        if self.page is not None and number >= 0:
            word = self.page.words[number]
            tip = f"{word.text}: {word.end - word.start:.2f} s, {word.confidence:.0%} sure"
            tip += f", pronounced from {word.source}"
        self.setToolTip(tip)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        if self._dragging:
            self.scrub_ended.emit()
        else:
            number = self.word_at(event.position())
            self.select(number)
            if number >= 0:
                self.word_clicked.emit(number)
            else:
                self.scrubbed.emit(self.time_at(event.position()))
                self.scrub_ended.emit()
        self._pressed = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, count = event.key(), len(self.page.words) if self.page else 0
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(key), 0)
        if step and count and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.select(min(max(self.word + step, 0), count - 1))
            self.word_clicked.emit(self.word)
        elif step and count:
            self.scrubbed.emit(self._next_sound(step))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.word >= 0:
            self.word_clicked.emit(self.word)
        else:
            super().keyPressEvent(event)

    def _next_sound(self, step: int) -> float:
        assert self.reading is not None
        starts = np.array([p.start for p in self.reading.phones()])
        if step > 0:
            later = starts[starts > self.playhead + 1e-3]
            return float(later[0]) + 1e-3 if len(later) else self.duration
        earlier = starts[starts < self.playhead - 2e-3]
        return float(earlier[-1]) + 1e-3 if len(earlier) else 0.0

    # ---- painting ---------------------------------------------------------------------------

    def sizeHint(self) -> QSize:
        return QSize(700, 500)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(event.rect(), self.theme.color("page"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.page is None:
            painter.end()
            return
        top, bottom = event.rect().top(), event.rect().bottom()
        current = self.page.row_at(self.playhead)
        for r, row in enumerate(self.page.rows):
            y = self.row_top(r)
            if y > bottom or y + self.bands.height < top:
                continue
            self._paint_row(painter, row, y, event.rect())
            if r == current:
                self._paint_playhead(painter, row, y)
        painter.end()

    def _paint_row(self, painter: QPainter, row: Row, y: float, clip: QRect) -> None:
        b = self.bands
        self._paint_chosen(painter, row, y)
        self._paint_unread(painter, row, y)
        self._paint_ruler(painter, row, y)
        y += b.ruler
        self._paint_wave(painter, row, y, clip)
        y += b.wave
        self._paint_words(painter, row, y)
        y += b.words
        self._paint_sounds(painter, row, y)
        y += b.sounds
        self._paint_ribbon(painter, row, y, clip)
        y += b.ribbon
        self._paint_glyphs(painter, row, y)
        y += b.glyphs + b.gap / 2
        painter.setPen(QPen(self.theme.color("rule"), 1))
        painter.drawLine(QPointF(MARGIN, y), QPointF(self.width() - MARGIN, y))

    def _paint_chosen(self, painter: QPainter, row: Row, y: float) -> None:
        own = [k for k, p in enumerate(row.pieces) if p.word == self.word and self.word >= 0]
        if own:
            color = self.theme.color("chosen")
            color.setAlpha(34)
            left = MARGIN + row.x[own[0]]
            right = MARGIN + row.x[own[-1]] + row.pieces[own[-1]].width
            height = self.bands.height - self.bands.gap
            painter.fillRect(
                QRectF(left, y + self.bands.ruler, right - left, height - self.bands.ruler), color
            )

    def _paint_unread(self, painter: QPainter, row: Row, y: float) -> None:
        assert self.reading is not None
        for span in self.reading.unread:
            if span.end > row.start and span.start < row.end:
                left, right = row.x_at(max(span.start, row.start)), row.x_at(min(span.end, row.end))
                color = self.theme.color("doubt")
                painter.setPen(QPen(color, 1.5, Qt.PenStyle.DashLine))
                painter.drawRect(
                    QRectF(
                        MARGIN + left, y + self.bands.ruler, max(6.0, right - left), self.bands.wave
                    )
                )
                painter.setFont(self.bands.ruler_font)
                painter.drawText(
                    QPointF(MARGIN + left + 2, y + self.bands.ruler + self.bands.wave + 10), "?"
                )

    def _paint_ruler(self, painter: QPainter, row: Row, y: float) -> None:
        fps = float(self.motion.fps) if self.motion else 24.0
        painter.setFont(self.bands.ruler_font)
        faint = self.theme.color("faint")
        step = max(1, round(fps / 2))
        first = int(np.ceil(row.start * fps / step)) * step
        last_x = -100.0
        for frame in range(first, int(row.end * fps) + 1, step):
            x = MARGIN + row.x_at(frame / fps)
            painter.setPen(QPen(self.theme.color("rule"), 1))
            painter.drawLine(QPointF(x, y + self.bands.ruler - 3), QPointF(x, y + self.bands.ruler))
            if x - last_x > 44 and x < self.width() - MARGIN - 26:
                painter.setPen(faint)
                whole = round(fps)
                painter.drawText(
                    QPointF(x + 2, y + self.bands.ruler - 4),
                    f"{frame // whole}:{frame % whole:02d}",
                )
                last_x = x

    def _paint_wave(self, painter: QPainter, row: Row, y: float, clip: QRect) -> None:
        middle, half = y + self.bands.wave / 2, self.bands.wave / 2 - 1
        color = self.theme.color("faint")
        color.setAlpha(150)
        painter.setPen(QPen(color, 1))
        low = max(0, int(clip.left() - MARGIN))
        high = min(int(row.width), int(clip.right() - MARGIN) + 2)
        if high <= low:
            return
        times = np.interp(
            np.arange(low, high + 1), [*row.x, row.width], [*(p.start for p in row.pieces), row.end]
        )
        edges = np.clip((times * self.rate).astype(int), 0, max(0, len(self.samples) - 1))
        for k in range(len(edges) - 1):
            part = self.samples[edges[k] : max(edges[k] + 1, edges[k + 1])]
            if len(part):
                a, b = float(part.max()) * self._level, float(part.min()) * self._level
                x = MARGIN + low + k + 0.5
                painter.drawLine(QPointF(x, middle - a * half), QPointF(x, middle - b * half))

    def _paint_words(self, painter: QPainter, row: Row, y: float) -> None:
        assert self.page is not None
        painter.setFont(self.bands.words_font)
        done = -1
        base = y + self.bands.words - 7
        for k, piece in enumerate(row.pieces):
            if piece.word < 0 or piece.word == done:
                continue
            done = piece.word
            last = max(j for j in range(k, len(row.pieces)) if row.pieces[j].word == done)
            left, right = row.x[k], row.x[last] + row.pieces[last].width
            word = self.page.words[done]
            width = self.bands.word_width(word.text)
            painter.setPen(self.theme.color("chosen" if done == self.word else "ink"))
            painter.drawText(QPointF(MARGIN + (left + right - width) / 2, base), word.text)
            doubtful = word.doubtful
            pen = QPen(self.theme.color("doubt" if doubtful else "rule"), 2.2 if doubtful else 1.2)
            if doubtful:
                pen.setStyle(Qt.PenStyle.DotLine)
            painter.setPen(pen)
            line = y + self.bands.words - 1
            painter.drawLine(
                QPointF(MARGIN + left + 1.5, line), QPointF(MARGIN + right - 1.5, line)
            )
            if doubtful:
                painter.setFont(self.bands.ruler_font)
                painter.drawText(QPointF(MARGIN + (left + right + width) / 2 + 1, base - 8), "?")
                painter.setFont(self.bands.words_font)

    def _paint_sounds(self, painter: QPainter, row: Row, y: float) -> None:
        painter.setFont(self.bands.sounds_font)
        for k, piece in enumerate(row.pieces):
            if piece.phone is None:
                continue
            painter.setPen(self.theme.color("doubt" if piece.phone.confidence < 0.3 else "faint"))
            box = QRectF(MARGIN + row.x[k], y, piece.width, self.bands.sounds)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, piece.phone.ipa)

    def _paint_ribbon(self, painter: QPainter, row: Row, y: float, clip: QRect) -> None:
        if self.motion is None:
            return
        middle, half = y + self.bands.ribbon / 2, self.bands.ribbon / 2 - 2
        gap, fps = self.motion.channel("lips_part"), float(self.motion.fps)
        frames = np.arange(len(gap)) / fps
        for k, piece in enumerate(row.pieces):
            left, right = row.x[k], row.x[k] + piece.width
            if MARGIN + right < clip.left() or MARGIN + left > clip.right():
                continue
            xs = np.linspace(left, right, max(2, int(piece.width / 2.5) + 1))
            ts = np.linspace(piece.start, piece.end, len(xs))
            opening = 1.4 + np.interp(ts, frames, gap) * half * 1.25
            kind = gesture_kind(self._pose(piece.phone)) if piece.phone else "narrow"
            color = self.theme.kind(kind) if piece.phone else self.theme.color("rule")
            upper = [
                QPointF(MARGIN + x, middle - min(o, half)) for x, o in zip(xs, opening, strict=True)
            ]
            lower = [
                QPointF(MARGIN + x, middle + min(o, half)) for x, o in zip(xs, opening, strict=True)
            ]
            painter.setPen(QPen(color, 0.6))
            painter.setBrush(color)
            painter.drawPolygon(QPolygonF(upper + lower[::-1]))
            if kind == "closed":
                painter.drawEllipse(QPointF(MARGIN + (left + right) / 2, middle), 3.6, 3.6)
            elif kind == "teeth":
                x = MARGIN + (left + right) / 2
                painter.setPen(QPen(color, 1.6))
                painter.drawLine(QPointF(x, middle - half * 0.7), QPointF(x, middle))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_glyphs(self, painter: QPainter, row: Row, y: float) -> None:
        if self.motion is None:
            return
        taken = -100.0
        wanted = [k for k, p in enumerate(row.pieces) if p.phone is not None]
        for k in wanted:
            piece = row.pieces[k]
            assert piece.phone is not None
            x = row.x[k] + piece.width / 2
            pose = self._pose(piece.phone)
            kind = gesture_kind(pose)
            telling = kind in ("closed", "teeth") or is_vowel(piece.phone.ipa)
            if x - taken < (20 if telling else 27):
                continue
            taken = x
            center = QPointF(MARGIN + x, y + self.bands.glyphs / 2)
            paint_glyph(painter, pose, center, 19, self.theme.kind(kind))

    def _pose(self, phone: Phone) -> Mapping[str, float]:
        """The most telling moment of a sound: the closure of one that closes, else its middle."""
        assert self.motion is not None
        fps = float(self.motion.fps)
        start, end = phone.start, phone.end
        a, b = round((start - self.lead) * fps), round((end - self.lead) * fps)
        middle = (start + end) / 2 - self.lead
        if closes_lips(phone.ipa) and 0 <= a <= b < self.motion.frames:
            gap = self.motion.channel("lips_part")[a : b + 1]
            if gap.min() <= 0.03:
                return self.motion.at((a + int(gap.argmin())) / fps)
        return self.motion.at(max(0.0, middle))

    def _paint_playhead(self, painter: QPainter, row: Row, y: float) -> None:
        x = MARGIN + row.x_at(self.playhead)
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

    def follow(self, seconds: float) -> None:
        """Show the playhead at a time, scrolling by whole rows when it leaves the page."""
        self.page.set_playhead(seconds)
        if self.page.page is None:
            return
        top = self.page.row_top(self.page.page.row_at(seconds))
        bar = self.verticalScrollBar()
        if (
            top < bar.value()
            or top + self.page.bands.height > bar.value() + self.viewport().height()
        ):
            bar.setValue(int(top - MARGIN / 2))
