"""Painting one row of the score: what stays (waveform, words, sounds) and what moves (lips)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from ....characters.drawn.glyphs import GLYPH, kinds_seen
from ....motion.curve import Motion
from ....motion.gestures import is_vowel
from ....motion.telling import kinds_of, telling_rows
from ....speech.reading import Phone, Reading, Word
from ...drawing.glyphs import paint_glyph
from ...drawing.ribbon import envelope, rgb, ribbon_image, wave_image
from ...drawing.theme import Theme
from ...drawing.words import ruler_text
from .bands import MARGIN, Bands
from .layout import Row
from .strips import WHOLE, Strip, Thing, meets

MARK_WORDS = {"breath": "breath", "cough": "cough", "laugh": "laugh", "hum": "hum",
              "shut": "mouth shut"}  # fmt: skip

RULER_GAP = 10.0  # between two times on the ruler


@dataclass(frozen=True)
class Chosen:
    """What is chosen, as sounds from `first` to before `after`; `word` if it is one word."""

    first: int = -1
    after: int = -1
    level: str = ""


@dataclass(frozen=True)
class Lips:
    """What lips do in a row: the pieces that are spoken, the kind of each, and its glyphs."""

    motion: Motion
    spoken: list[int]
    kinds: list[str]
    glyphs: list[Thing]


@dataclass
class Painter:
    """Paints rows of one page; holds what they show."""

    theme: Theme
    bands: Bands
    reading: Reading
    words: list[Word]
    samples: NDArray[np.float32]
    rate: int
    level: float  # what brings the loudest sample to 1
    unit: str = "seconds"  # of the ruler

    # ---- what stays -------------------------------------------------------------------------

    @property
    def noted(self) -> bool:
        """Whether something is written on waveforms."""
        return bool(self.reading.marks or self.reading.unread)

    def still(
        self, painter: QPainter, row: Row, ticks: list[Thing], width: int, strip: Strip = WHOLE
    ) -> None:
        """Everything but lips, playhead and what is chosen, from the row's own top; at least what
        lies in a strip of it."""
        b = self.bands
        self._unread(painter, row)
        self._ruler(painter, ticks)
        self._wave(painter, row, b.ruler, strip)
        self._marks(painter, row, b.ruler)
        self._words(painter, row, strip=strip)
        self._sounds(painter, row, strip)
        self._pins(painter, row, b.sounds_top)
        painter.setPen(QPen(self.theme.color("rule"), 1))
        y = b.height - b.gap / 2
        painter.drawLine(QPointF(MARGIN, y), QPointF(width - MARGIN, y))

    def choose(self, painter: QPainter, row: Row, chosen: Chosen) -> None:
        """What is chosen, over a row that is painted: a tint, and its writing in another colour."""
        own = [k for k, p in enumerate(row.pieces) if chosen.first <= p.sound < chosen.after]
        if not own:
            return
        page, tint = self.theme.color("page"), self.theme.faded("chosen", 34)
        left = MARGIN + row.x[own[0]]
        width = MARGIN + row.x[own[-1]] + row.pieces[own[-1]].width - left
        top, bottom = self.bands.highlight(chosen.level)
        sound = chosen.level == "sound"
        written = (self.bands.sounds_top, self.bands.sounds) if sound else (
            self.bands.words_top, self.bands.words)  # fmt: skip
        if not sound:
            painter.fillRect(QRectF(left, written[0], width, written[1]), page)
        painter.fillRect(QRectF(left, top, width, bottom - top), tint)
        if sound:
            self._sound(painter, row, own[0], "chosen")
        else:
            self._words(painter, row, chosen)

    def _unread(self, painter: QPainter, row: Row) -> None:
        for span in self.reading.unread:
            if span.end > row.start and span.start < row.end:
                left, right = row.x_at(max(span.start, row.start)), row.x_at(min(span.end, row.end))
                painter.setPen(QPen(self.theme.color("doubt"), 1.5, Qt.PenStyle.DashLine))
                painter.drawRect(
                    QRectF(MARGIN + left, self.bands.ruler, max(6.0, right - left), self.bands.wave)
                )
                painter.setFont(self.bands.ruler_font)
                painter.drawText(
                    QPointF(MARGIN + left + 2, self.bands.ruler + self.bands.wave + 10), "?"
                )

    def ticks(self, row: Row, fps: float, width: int) -> list[Thing]:
        """The times of a row's ruler, and what is written to some of them."""
        step = round(fps / 2) / fps if self.unit == "frames" else 0.5
        free, first = -100.0, True  # free: x from which one can write
        made: list[Thing] = []
        for number in range(int(np.ceil(row.start / step - 1e-6)), int(row.end / step + 1e-6) + 1):
            seconds = number * step
            x = round(row.x_at(seconds), 3)
            text, right = "", x
            if x >= free and x < width - 2 * MARGIN - 40:
                text = ruler_text(seconds, fps, self.unit, named=first)
                long = self.bands.ruler_width(text)
                free, right, first = x + max(44.0, long + RULER_GAP), x + 2 + long, False
            made.append((x, right, (text,)))
        return made

    def _ruler(self, painter: QPainter, ticks: list[Thing]) -> None:
        painter.setFont(self.bands.ruler_font)
        bottom = self.bands.ruler
        rule, faint = QPen(self.theme.color("rule"), 1), self.theme.color("faint")
        for left, _, (text,) in ticks:
            x = MARGIN + left
            painter.setPen(rule)
            painter.drawLine(QPointF(x, bottom - 3), QPointF(x, bottom))
            if text:
                painter.setPen(faint)
                painter.drawText(QPointF(x + 2, bottom - 4), text)

    def _wave(self, painter: QPainter, row: Row, y: float, strip: Strip) -> None:
        ratio = painter.device().devicePixelRatioF()
        first, last = columns_of(row, strip, ratio)
        if last <= first or len(self.samples) == 0:
            return  # the recording is away, or still being read
        times = np.interp(
            np.arange(first, last + 1) / ratio,
            [*row.x, row.width],
            [*(p.start for p in row.pieces), row.end],
        )
        high, low = envelope(self.samples, times, self.rate)
        ink = rgb(self.theme.color("faint"))
        image = wave_image(high * self.level, low * self.level, ink, 0.6,
                           int(self.bands.wave * ratio), ratio)  # fmt: skip
        painter.drawImage(QPointF(MARGIN + first / ratio, y), image)

    def _marks(self, painter: QPainter, row: Row, y: float) -> None:
        for mark in self.reading.marks:
            if mark.end <= row.start or mark.start >= row.end:
                continue
            left = MARGIN + row.x_at(max(mark.start, row.start))
            right = MARGIN + row.x_at(min(mark.end, row.end))
            color = self.theme.color("chosen")
            painter.setPen(QPen(color, 1.2))
            bottom = y + self.bands.wave - 2
            painter.drawLine(QPointF(left, bottom), QPointF(right, bottom))
            painter.drawLine(QPointF(left, bottom), QPointF(left, bottom - 6))
            painter.drawLine(QPointF(right, bottom), QPointF(right, bottom - 6))
            painter.setFont(self.bands.ruler_font)
            painter.drawText(QPointF(left + 3, y + 10), MARK_WORDS[mark.kind])

    def _words(
        self, painter: QPainter, row: Row, chosen: Chosen | None = None, strip: Strip = WHOLE
    ) -> None:
        """The words of a row, or those of them that are chosen, in a strip of it."""
        painter.setFont(self.bands.words_font)
        y = self.bands.words_top
        base = y + self.bands.words - 7
        for number, pieces in groupby(range(len(row.pieces)), lambda k: row.pieces[k].word):
            own = list(pieces)
            if number < 0 or (
                chosen and not chosen.first <= row.pieces[own[0]].sound < chosen.after
            ):
                continue
            left, right = row.x[own[0]], row.x[own[-1]] + row.pieces[own[-1]].width
            if not meets(strip, left, right):
                continue
            self._word(painter, self.words[number], left, right, y, base, chosen is not None)

    def _word(
        self, painter: QPainter, word: Word, left: float, right: float, y: float, base: float,
        chosen: bool,
    ) -> None:  # fmt: skip
        width = self.bands.word_width(word.text)
        painter.setPen(self.theme.color("chosen" if chosen else "ink"))
        painter.drawText(QPointF(MARGIN + (left + right - width) / 2, base), word.text)
        doubtful = word.doubtful
        pen = QPen(self.theme.color("doubt" if doubtful else "rule"), 2.2 if doubtful else 1.2)
        if doubtful:
            pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        line = y + self.bands.words - 1
        painter.drawLine(QPointF(MARGIN + left + 1.5, line), QPointF(MARGIN + right - 1.5, line))
        sign = "?" if doubtful else "✓" if word.confirmed else ""
        if sign:
            painter.setPen(self.theme.color("doubt" if doubtful else "chosen"))
            painter.setFont(self.bands.ruler_font)
            painter.drawText(QPointF(MARGIN + (left + right + width) / 2 + 1, base - 8), sign)
            painter.setFont(self.bands.words_font)

    def _sounds(self, painter: QPainter, row: Row, strip: Strip) -> None:
        for k, piece in enumerate(row.pieces):
            if piece.phone is not None and meets(strip, row.x[k], row.x[k] + piece.width):
                doubtful = piece.phone.doubtful and self.words[piece.word].doubtful
                self._sound(painter, row, k, "doubt" if doubtful else "faint")

    def _sound(self, painter: QPainter, row: Row, k: int, color: str) -> None:
        piece = row.pieces[k]
        if piece.phone is not None:
            painter.setFont(self.bands.sounds_font)
            painter.setPen(self.theme.color(color))
            letter = self.bands.letter(piece.phone.ipa)
            size = letter.size()
            left = MARGIN + row.x[k] + (piece.width - size.width()) / 2
            top = self.bands.sounds_top + (self.bands.sounds - size.height()) / 2
            painter.drawStaticText(QPointF(left, top), letter)

    def _pins(self, painter: QPainter, row: Row, y: float) -> None:
        for k, piece in enumerate(row.pieces):
            if piece.phone is None:
                continue
            if piece.phone.pinned:
                paint_pin(painter, MARGIN + row.x[k], y, self.bands.sounds, self.theme)
            if piece.phone.pinned_end:
                paint_pin(
                    painter, MARGIN + row.x[k] + piece.width, y, self.bands.sounds, self.theme
                )

    # ---- what moves -------------------------------------------------------------------------

    def lips(self, row: Row, motion: Motion, lead: float) -> Lips:
        """What lips do in a row, for the motion as it is now."""
        spoken = [k for k, p in enumerate(row.pieces) if p.phone is not None]
        phones: list[Phone] = [p for k in spoken if (p := row.pieces[k].phone) is not None]
        shapes = kinds_seen(telling_rows(motion, phones, lead)) if phones else []
        kinds = kinds_of(shapes)
        places = [row.x[k] + row.pieces[k].width / 2 for k in spoken]
        telling = [kind in ("closed", "teeth") or is_vowel(p.ipa)
                   for kind, p in zip(kinds, phones, strict=True)]  # fmt: skip
        half = self._glyph_width / 2
        glyphs = [
            (round(places[k] - half, 3), round(places[k] + half, 3), (shapes[k], kinds[k]))
            for k in with_room(places, telling, 2 * 0.95 * half)
        ]
        return Lips(motion, spoken, kinds, glyphs)

    @property
    def _glyph_width(self) -> float:
        return (self.bands.glyphs - 1) * GLYPH[2] / GLYPH[3]

    def paint_lips(self, painter: QPainter, row: Row, lips: Lips, strip: Strip = WHOLE) -> None:
        """Ribbon and glyphs of a row; at least what lies in a strip of it."""
        self._ribbon(painter, row, lips, strip)
        middle, width = self.bands.glyphs_top + self.bands.glyphs / 2, self._glyph_width
        for left, right, (shape, kind) in lips.glyphs:
            if meets(strip, left, right):
                at = QPointF(MARGIN + (left + right) / 2, middle)
                paint_glyph(painter, shape, at, width, self.theme, kind)

    def _ribbon(self, painter: QPainter, row: Row, lips: Lips, strip: Strip) -> None:
        ratio, motion = painter.device().devicePixelRatioF(), lips.motion
        first, last = columns_of(row, strip, ratio)
        if last <= first:
            return
        x = (np.arange(first, last) + 0.5) / ratio
        ends = [*row.x, row.width]
        times = np.interp(x, ends, [*(p.start for p in row.pieces), row.end])
        opening = motion.between("lips_part", times)
        table = np.array([rgb(self.theme.color("rule"))] * len(row.pieces), np.uint8)
        for k, kind in zip(lips.spoken, lips.kinds, strict=True):
            table[k] = rgb(self.theme.kind(kind))
        piece = np.clip(np.searchsorted(row.x, x, side="right") - 1, 0, len(row.pieces) - 1)
        height = int(self.bands.ribbon * ratio)
        top = self.bands.ribbon_top
        image = ribbon_image(opening, table[piece], height, ratio)
        painter.drawImage(QPointF(MARGIN + first / ratio, top), image)
        middle = top + self.bands.ribbon / 2
        for k, kind in zip(lips.spoken, lips.kinds, strict=True):
            center = MARGIN + row.x[k] + row.pieces[k].width / 2
            if kind == "closed":
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(self.theme.kind(kind))
                painter.drawEllipse(QPointF(center, middle), 3.6, 3.6)
            elif kind == "teeth":
                painter.setPen(QPen(self.theme.kind(kind), 1.6))
                painter.drawLine(QPointF(center, middle - 13), QPointF(center, middle))
        painter.setBrush(Qt.BrushStyle.NoBrush)


def columns_of(row: Row, strip: Strip, ratio: float) -> tuple[int, int]:
    """Of the columns of a row, in device pixels, the first and the one after the last that a strip
    touches."""
    count = max(1, int(row.width * ratio))
    return max(0, int((strip[0] - 2) * ratio)), min(count, int((strip[1] + 3) * ratio))


def with_room(places: Sequence[float], telling: Sequence[bool], apart: float) -> list[int]:
    """Which of some places are taken so that all are `apart`: the telling ones first."""
    taken: list[int] = []
    for first in (True, False):
        for k, x in enumerate(places):
            if telling[k] == first and all(abs(x - places[t]) >= apart for t in taken):
                taken.append(k)
    return taken


def paint_pin(painter: QPainter, x: float, y: float, height: float, theme: Theme) -> None:
    """A pin standing on an edge: a stem with a round head."""
    color: QColor = theme.color("chosen")
    painter.setPen(QPen(color, 1.4))
    painter.drawLine(QPointF(x, y), QPointF(x, y + height))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    painter.drawEllipse(QPointF(x, y + 1.5), 2.8, 2.8)
    painter.setBrush(Qt.BrushStyle.NoBrush)
