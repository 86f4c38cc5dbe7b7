"""The paper of the score: rows of waveform, words, sounds, lip ribbon and glyphs, painted.

What stays of a row is painted once and kept; the lips are painted anew for another motion. What
would take too long at once comes with the next paintings, the row of the playhead first.
"""

from __future__ import annotations

from math import ceil, floor
from time import perf_counter

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF

from ....speech.reading import AudioInfo, Reading
from ...drawing.pitchline import paint_pitch
from ...drawing.theme import Theme
from .bands import MARGIN
from .lanes import Lanes
from .paint import Chosen, Painter
from .proofmarks import paint_marks
from .sheet import Painted
from .strips import WHOLE, Strip, covering, reaching

BUDGET = 0.001  # seconds of one painting after which the rest waits for the next
MOST_KEPT = 40  # rows whose painted parts are kept
BESIDE, NOTED = 14.0, 70.0  # pixels beside a strip that its writing and its notes may reach to
NOTHING = Reading("", AudioInfo("", 0.0, 0))


class Paper(Lanes):
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
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.page is None:
            painter.fillRect(event.rect(), self.theme.color("page"))
            painter.end()
            return
        drawer = Painter(self.theme, self.bands, self.reading or NOTHING, self.page.words,
                         self.samples, self.rate, self._level, self.ruler)  # fmt: skip
        top, bottom = event.rect().top(), event.rect().bottom()
        current = self.page.row_at(self.playhead)
        shown = [r for r in range(len(self.page.rows))
                 if self.row_top(r) < bottom and self.row_top(r) + self.bands.height > top + 1]  # fmt: skip
        self._refresh(drawer, sorted(shown, key=lambda r: r != current))
        self._fill(painter, event.rect(), shown)
        chosen_rows = self.rows_of(self.part)
        for r in shown:
            y = self.row_top(r)
            if (still := self._kept.get(r)) is not None:
                painter.drawPixmap(QPointF(0, y), still.picture)
            if self.reading is not None and (lips := self._lips.get(r)) is not None:
                painter.drawPixmap(QPointF(0, y + self.bands.ribbon_top), lips.picture)
            if self.marks and self.reading is not None:
                painter.save()
                painter.translate(0, y)
                paint_marks(painter, self.page.rows[r], self.bands, self.marks, self.theme)
                painter.restore()
            if r in chosen_rows:
                painter.save()
                painter.translate(0, y)
                drawer.choose(painter, self.page.rows[r], self._chosen_sounds())
                painter.restore()
            if self.exposed is not None and self.reading is not None:
                painter.save()
                painter.translate(MARGIN, y + self.bands.exposures_top)
                self.exposed.paint(
                    painter, self.page.rows[r], self.bands.exposures - 3, self.bands.ruler_font, self.theme,
                    self.playhead, event.rect().translated(-MARGIN, 0),
                )  # fmt: skip
                painter.restore()
            if self.voice is not None and self.reading is not None:
                painter.save()
                painter.translate(MARGIN, y + self.bands.pitch_top)
                paint_pitch(painter, self.voice, self.page.rows[r], self.bands.pitch, self.theme)
                painter.restore()
            if self.life is not None and self.reading is not None:
                painter.save()
                painter.translate(MARGIN, y + self.bands.life_top)
                self.life.paint(
                    painter, self.page.rows[r], self.bands.life, self.bands.ruler_font, self.theme,
                    event.rect().translated(-MARGIN, 0),
                )  # fmt: skip
                painter.restore()
            if r == current:
                self._paint_playhead(painter, self.page.rows[r].x_at(self.playhead), y)
        painter.end()

    def _fill(self, painter: QPainter, area: QRect, shown: list[int]) -> None:
        """The page above, below and where rows are not painted yet; all others cover it."""
        first, page = area.top(), self.theme.color("page")
        for r in shown:
            if r in self._kept:
                free = max(0, ceil(self.row_top(r)) + 1 - first)
                painter.fillRect(area.left(), first, area.width(), free, page)
                first = floor(self.row_top(r) + self.bands.height) - 1
        free = max(0, area.bottom() + 1 - first)
        painter.fillRect(area.left(), first, area.width(), free, page)

    def _refresh(self, drawer: Painter, rows: list[int]) -> None:
        """Paint what is new of rows, at least one; what takes too long at once comes with the next paintings."""
        began, painted = perf_counter(), False
        for r in rows:
            moving = self.motion is not None and self.reading is not None
            done = r in self._kept and r not in self._torn
            if done and (not moving or (r in self._lips and r not in self._stale)):
                continue
            if painted and perf_counter() - began > BUDGET:
                self._later.start(0)
                return
            painted = True
            self._still(drawer, r)
            if moving:
                self._moving(drawer, r)

    def _still(self, drawer: Painter, r: int) -> None:
        """The part of a row that does not move, painted once and kept."""
        assert self.page is not None
        row = self.page.rows[r]
        ticks = drawer.ticks(row, self.fps, self.width())
        old, strip = self._as_painted(self._kept, r, self.bands.height), WHOLE
        if old is not None:
            if r not in self._torn:
                return
            strip = covering(self._torn[r], old.things, ticks)
            left, right = strip
            strip = (left - BESIDE, right + (NOTED if drawer.noted else BESIDE))
        self._torn.pop(r, None)
        picture = old.picture if old else self._blank(self.bands.height, self.theme.color("page"))
        painter = self._painter(picture, strip)
        painter.fillRect(QRectF(0, 0, self.width(), self.bands.height), self.theme.color("page"))
        drawer.still(painter, row, ticks, self.width(), strip)
        painter.end()
        _keep(self._kept, r, Painted(picture, ticks))

    def _moving(self, drawer: Painter, r: int) -> None:
        """Ribbon and glyphs of a row, painted once for a motion and kept."""
        assert self.page is not None and self.motion is not None
        b, row = self.bands, self.page.rows[r]
        old, strip = self._as_painted(self._lips, r, b.ribbon + b.glyphs), WHOLE
        if old is not None:
            if r not in self._stale:
                return
            strip = self._stale[r]
        self._stale.pop(r, None)
        lips = drawer.lips(row, self.motion, self.lead)
        if old is not None:
            strip = reaching(covering(strip, old.things, lips.glyphs), lips.glyphs)
        picture = (
            old.picture if old else self._blank(b.ribbon + b.glyphs, Qt.GlobalColor.transparent)
        )
        painter = self._painter(picture, strip)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
        painter.fillRect(
            QRectF(0, 0, self.width(), b.ribbon + b.glyphs), Qt.GlobalColor.transparent
        )
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        painter.translate(0, -b.ribbon_top)
        drawer.paint_lips(painter, row, lips, strip)
        painter.end()
        _keep(self._lips, r, Painted(picture, lips.glyphs))

    def _as_painted(self, kept: dict[int, Painted], r: int, height: float) -> Painted | None:
        """What is kept of a row, if it is of this size."""
        old, ratio = kept.get(r), self.devicePixelRatioF()
        size = (round(self.width() * ratio), round(height * ratio))
        if old is None or (old.picture.width(), old.picture.height()) != size:
            return None
        return old

    def _blank(self, height: float, ground: QColor | Qt.GlobalColor) -> QPixmap:
        ratio = self.devicePixelRatioF()
        picture = QPixmap(round(self.width() * ratio), round(height * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(ground)
        return picture

    def _painter(self, picture: QPixmap, strip: Strip) -> QPainter:
        """A painter that paints within a strip alone, whole pixels of it."""
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if strip != WHOLE:
            left, right = floor(MARGIN + strip[0]) - 1, ceil(MARGIN + strip[1]) + 1
            painter.setClipRect(QRect(left, 0, right - left, ceil(self.bands.height) + 1))
        return painter

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


def _keep(kept: dict[int, Painted], r: int, painted: Painted) -> None:
    kept.pop(r, None)
    while len(kept) >= MOST_KEPT:
        kept.pop(next(iter(kept)))
    kept[r] = painted
