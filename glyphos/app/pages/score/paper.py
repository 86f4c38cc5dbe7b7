"""The paper of the score: rows of waveform, words, sounds, lip ribbon and glyphs, painted.

What stays of a row is painted once and kept; the lips are painted anew for another motion. What
would take too long at once comes with the next paintings, the row of the playhead first.
"""

from __future__ import annotations

from time import perf_counter

from PySide6.QtCore import QPointF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF

from ....speech.reading import AudioInfo, Reading
from ...drawing.theme import Theme
from .bands import MARGIN
from .paint import Chosen, Painter
from .sheet import Sheet

BUDGET = 0.006  # seconds of one painting after which the rest waits for the next
MOST_KEPT = 40  # rows whose painted parts are kept
NOTHING = Reading("", AudioInfo("", 0.0, 0))


class Paper(Sheet):
    """The painted page."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(lambda: self.update())

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
        drawer = Painter(self.theme, self.bands, self.reading or NOTHING, self.page.words,
                         self.samples, self.rate, self._level, self.ruler)  # fmt: skip
        top, bottom = event.rect().top(), event.rect().bottom()
        current = self.page.row_at(self.playhead)
        shown = [r for r in range(len(self.page.rows))
                 if self.row_top(r) < bottom and self.row_top(r) + self.bands.height > top + 1]  # fmt: skip
        self._refresh(drawer, sorted(shown, key=lambda r: r != current))
        chosen_rows = self.rows_of(self.part)
        for r in shown:
            y = self.row_top(r)
            if (still := self._kept.get(r)) is not None:
                painter.drawPixmap(QPointF(0, y), still)
            if self.reading is not None and (lips := self._lips.get(r)) is not None:
                painter.drawPixmap(QPointF(0, y + self.bands.ribbon_top), lips)
            if r in chosen_rows:
                painter.save()
                painter.translate(0, y)
                drawer.choose(painter, self.page.rows[r], self._chosen_sounds())
                painter.restore()
            if r == current:
                self._paint_playhead(painter, self.page.rows[r].x_at(self.playhead), y)
        painter.end()

    def _refresh(self, drawer: Painter, rows: list[int]) -> None:
        """Paint what is new of rows; what takes too long at once comes with the next paintings."""
        began = perf_counter()
        for r in rows:
            moving = self.motion is not None and self.reading is not None
            if r in self._kept and (not moving or (r in self._lips and r not in self._stale)):
                continue
            if perf_counter() - began > BUDGET:
                self._later.start(0)
                return
            self._still(drawer, r)
            if moving:
                self._moving(drawer, r)

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
        drawer.still(painter, self.page.rows[r], self.fps, self.width())
        painter.end()
        while len(self._kept) >= MOST_KEPT:
            self._kept.pop(next(iter(self._kept)))
        self._kept[r] = pixmap
        return pixmap

    def _moving(self, drawer: Painter, r: int) -> QPixmap:
        """Ribbon and glyphs of a row, painted once for a motion and kept."""
        assert self.page is not None and self.motion is not None
        ratio, b = self.devicePixelRatioF(), self.bands
        width, height = round(self.width() * ratio), round((b.ribbon + b.glyphs) * ratio)
        kept = self._lips.get(r)
        if (
            kept is not None
            and r not in self._stale
            and (kept.width(), kept.height()) == (width, height)
        ):
            return kept
        self._stale.discard(r)
        pixmap = QPixmap(width, height)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(0, -b.ribbon_top)
        drawer.lips(painter, self.page.rows[r], self.motion, self.lead, ratio)
        painter.end()
        while len(self._lips) >= MOST_KEPT:
            self._lips.pop(next(iter(self._lips)))
        self._lips[r] = pixmap
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
