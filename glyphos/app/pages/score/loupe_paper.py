"""The Loupe's paper: the chosen word large, its neighbours faded, with every edge.

From top to bottom: lip ribbon, waveform, spectrogram, sounds. Edges run through all of them;
a filled handle is pinned, an empty one is not.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....characters.drawn.glyphs import kinds_seen
from ....motion.curve import Motion
from ....speech.parts import Edge, Flat, Part
from ...drawing import theme as themes
from ...drawing.ribbon import rgb, ribbon_image, wave_image
from ...drawing.spectrogram import energy_changes, ink_image, spectrogram
from ...drawing.theme import Theme
from .paint import envelope
from .poses import kinds_of, telling_rows

SIDE = 16.0
RIBBON, LETTERS = 34.0, 27.0
NEAR = 7.0
AROUND, LEAST_AROUND = 0.4, 0.12  # of the word's length, and seconds, seen on either side
ENERGY_REACH = 0.03  # seconds within which an edge snaps to a change of energy
SNAPS = ("off", "frames", "energy")


class LoupePaper(QWidget):
    """Shows a stretch of the line large; knows where everything stands."""

    shown_changed = Signal()  # another word is shown

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.flat: Flat | None = None
        self.part: Part | None = None
        self.motion: Motion | None = None
        self.samples: NDArray[np.float32] = np.zeros(0, np.float32)
        self.rate = 16_000
        self.duration = 0.0
        self.lead = 0.04
        self.playhead = 0.0
        self.snap = "off"
        self.formants = False
        self.edge: Edge | None = None
        self.span = (0.0, 1.0)
        self._kept: QPixmap | None = None
        self._named: tuple[Flat | None, Part | None] = (None, None)
        self._fitted: Part | None = None  # what the stretch in sight was chosen for
        self._dragging = False
        self.setMinimumHeight(120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Loupe")
        self.setAccessibleDescription(
            "The chosen word large. Left and Right choose an edge, Ctrl moves it by a frame, "
            "Alt by 5 ms, N pins it."
        )

    def sizeHint(self) -> QSize:
        return QSize(700, 165)

    # ---- values -----------------------------------------------------------------------------

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = theme
        self._forget()

    def _forget(self) -> None:
        self._kept = None
        self.update()

    def show_sound(self, samples: NDArray[np.float32], rate: int, duration: float) -> None:
        self.samples, self.rate, self.duration = samples, rate, duration
        self._fitted = None
        self._forget()

    def show_reading(self, flat: Flat | None) -> None:
        """Another reading; while an edge is dragged the stretch in sight stays."""
        self.flat = flat
        self._fit()
        self.update()

    def show_part(self, part: Part | None) -> None:
        self.part = part
        self._fit()
        self.update()

    def show_edge(self, edge: Edge | None) -> None:
        """Show another edge as chosen."""
        self.edge = edge
        self.update()

    def show_motion(self, motion: Motion | None, lead: float) -> None:
        self.motion, self.lead = motion, lead
        self.update()

    def set_playhead(self, seconds: float) -> None:
        if seconds != self.playhead:
            self.playhead = seconds
            if self.part is None and not self._dragging:
                self._fit()
            self.update()

    def set_formants(self, formants: bool) -> None:
        self.formants = formants
        self._forget()

    def word(self) -> Part | None:
        """The word that is shown: the chosen one, or the one at the playhead."""
        if self.flat is None or not self.flat.phones:
            return None
        if self.part is not None and self.flat.valid(self.part):
            return (
                self.part if self.part.level != "sound" else self.flat.at_level(self.part, "word")
            )
        return self.flat.part_at("word", self.playhead)

    def _fit(self) -> None:
        """Bring the word (or phrase) into sight, with something of its neighbours.

        While its edges move a little the picture stands still.
        """
        part = self.word()
        if part is not None and self.flat is not None and not self._dragging:
            start, end = self.flat.span(part)
            around = max(LEAST_AROUND, min(AROUND * (end - start), 0.6))
            span = (max(0.0, start - around), min(self.duration or end, end + around))
            if part != self._fitted or max(np.abs(np.subtract(span, self.span))) > around / 2:
                self.span, self._fitted = span, part
                self._kept = None
        if (self.flat, part) != self._named:
            self._named = (self.flat, part)
            self.shown_changed.emit()

    # ---- places -----------------------------------------------------------------------------

    def x_at(self, seconds: float) -> float:
        start, end = self.span
        return SIDE + (seconds - start) / max(1e-6, end - start) * (self.width() - 2 * SIDE)

    def time_at(self, x: float) -> float:
        start, end = self.span
        share = (x - SIDE) / max(1.0, self.width() - 2 * SIDE)
        return start + min(max(share, 0.0), 1.0) * (end - start)

    @property
    def coarse(self) -> bool:
        """Whether a whole phrase is shown: then words and their edges, not sounds."""
        return self.part is not None and self.part.level == "phrase"

    def edges(self) -> list[Edge]:
        """Edges in sight, in order; of a phrase those of its words."""
        if self.flat is None:
            return []
        found = self.flat.edges_between(*self.span)
        if self.coarse:
            found = [e for e in found if self._of_a_word(e)]
        return found

    def _of_a_word(self, edge: Edge) -> bool:
        assert self.flat is not None
        if edge.end:
            return True
        return edge.sound == 0 or self.flat.word_of[edge.sound] != self.flat.word_of[edge.sound - 1]

    def edge_at(self, point: QPointF) -> Edge | None:
        if self.flat is None:
            return None
        near = min(
            self.edges(), key=lambda e: abs(self.x_at(self._time(e)) - point.x()), default=None
        )
        if near is None or abs(self.x_at(self._time(near)) - point.x()) > NEAR:
            return None
        return near

    def edge_point(self, edge: Edge) -> QPointF:
        """The handle of an edge."""
        return QPointF(self.x_at(self._time(edge)), self.height() - LETTERS)

    def _time(self, edge: Edge) -> float:
        assert self.flat is not None
        return self.flat.edge_time(edge)

    def snapped(self, seconds: float) -> float:
        """A time drawn to a frame or to a change of energy, as snapping is set."""
        if self.snap == "frames" and self.motion is not None:
            fps = float(self.motion.fps)
            return round(seconds * fps) / fps
        if self.snap == "energy":
            near = energy_changes(
                self.samples, self.rate, seconds - ENERGY_REACH, seconds + ENERGY_REACH
            )
            if len(near):
                return float(near[np.abs(near - seconds).argmin()])
        return seconds

    # ---- painting ---------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("panel"))
        part = self.word()
        if self.flat is None or part is None:
            painter.end()
            return
        if len(self.samples):
            painter.drawPixmap(QPointF(0, RIBBON), self._ground())
        self._ribbon(painter)
        self._fade(painter, part)
        self._letters(painter)
        self._edges(painter)
        x = self.x_at(self.playhead)
        if SIDE <= x <= self.width() - SIDE:
            painter.setPen(QPen(self.theme.color("playhead"), 1.6))
            painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 2))
        if self.hasFocus():
            painter.setPen(QPen(self.theme.color("chosen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
        painter.end()

    def _ground(self) -> QPixmap:
        """Waveform and spectrogram, painted once for a stretch."""
        ratio = self.devicePixelRatioF()
        width, height = self.width(), int(self.height() - RIBBON - LETTERS)
        kept = self._kept
        if (
            kept is not None
            and kept.width() == round(width * ratio)
            and kept.height() == round(height * ratio)
        ):
            return kept
        pixmap = QPixmap(round(width * ratio), round(max(1, height) * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        columns = max(2, int(width - 2 * SIDE))
        wave = max(18.0, height * 0.3)
        self._wave(painter, columns, wave)
        rows = max(8, int((height - wave - 4) * ratio))
        dark = spectrogram(self.samples, self.rate, *self.span, max(2, columns // 2), rows,
                           formants=self.formants)  # fmt: skip
        image = ink_image(dark, self.theme, 1.0)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        target = QRectF(SIDE, wave + 2, columns, rows / ratio)
        painter.drawImage(target, image, QRectF(image.rect()))
        painter.end()
        self._kept = pixmap
        return pixmap

    def _wave(self, painter: QPainter, columns: int, height: float) -> None:
        if len(self.samples) == 0:
            return
        ratio = self.devicePixelRatioF()
        times = np.linspace(*self.span, int(columns * ratio) + 1)
        high, low = envelope(self.samples, times, self.rate)
        scale = 1 / max(float(np.abs(high).max()), float(np.abs(low).max()), 1e-4)
        ink = rgb(self.theme.color("faint"))
        image = wave_image(high * scale, low * scale, ink, 1.0, int(height * ratio), ratio)
        painter.drawImage(QPointF(SIDE, 0), image)

    def _ribbon(self, painter: QPainter) -> None:
        if self.motion is None or self.flat is None:
            return
        ratio = self.devicePixelRatioF()
        columns = max(2, int((self.width() - 2 * SIDE) * ratio))
        times = np.linspace(*self.span, columns)
        gap = self.motion.channel("lips_part")
        opening = np.interp(times * float(self.motion.fps), np.arange(len(gap)), gap)
        colors = np.empty((columns, 3), np.uint8)
        colors[:] = rgb(self.theme.color("rule"))
        phones = [self.flat.phones[k] for k in self.flat.sounds_between(*self.span)]
        if phones:
            kinds = kinds_of(kinds_seen(telling_rows(self.motion, phones, self.lead)))
            for phone, kind in zip(phones, kinds, strict=True):
                colors[(times >= phone.start) & (times < phone.end)] = rgb(self.theme.kind(kind))
        painter.drawImage(
            QPointF(SIDE, 1), ribbon_image(opening, colors, int((RIBBON - 2) * ratio), ratio)
        )

    def _fade(self, painter: QPainter, part: Part) -> None:
        assert self.flat is not None
        start, end = self.flat.span(part)
        veil = self.theme.color("panel")
        veil.setAlpha(150)
        painter.fillRect(QRectF(0, 0, self.x_at(start), self.height()), veil)
        painter.fillRect(QRectF(self.x_at(end), 0, self.width(), self.height()), veil)

    def _letters(self, painter: QPainter) -> None:
        assert self.flat is not None
        font = themes.serif(13)
        painter.setFont(font)
        metrics = QFontMetricsF(font)
        top = self.height() - LETTERS
        chosen = self.part if self.part is not None and self.part.level == "sound" else None
        own = self.word()
        inside = range(*self.flat.sound_range(own)) if own else range(0)
        for number, start, end, text, doubtful in self._labels():
            left, right = max(SIDE, self.x_at(start)), min(self.width() - SIDE, self.x_at(end))
            box = QRectF(left + 1, top + 2, right - left - 2, LETTERS - 4)
            ground = self.theme.color("chosen" if chosen and chosen.number == number else "rule")
            ground.setAlpha(120 if number in inside else 45)
            painter.fillRect(box, ground)
            name = "doubt" if doubtful else "ink" if number in inside else "faint"
            painter.setPen(self.theme.color(name))
            if metrics.horizontalAdvance(text) < box.width() + 6:
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _labels(self) -> Iterator[tuple[int, float, float, str, bool]]:
        """What is written below: sounds, or the words of a phrase; by their first sound."""
        assert self.flat is not None
        sounds = self.flat.sounds_between(*self.span)
        if not self.coarse:
            for k in sounds:
                phone, word = self.flat.phones[k], self.flat.words[self.flat.word_of[k]]
                yield k, phone.start, phone.end, phone.ipa, phone.doubtful and word.doubtful
            return
        for number in sorted({self.flat.word_of[k] for k in sounds}):
            word = self.flat.words[number]
            yield self.flat.first[number], word.start, word.end, word.text, word.doubtful

    def _edges(self, painter: QPainter) -> None:
        assert self.flat is not None
        for edge in self.edges():
            x, y = self.x_at(self._time(edge)), self.height() - LETTERS
            held = edge == self.edge
            pinned = self.flat.pinned(edge)
            color = self.theme.color("chosen" if pinned or held else "ink")
            painter.setPen(QPen(color, 1.8 if held else 1.1))
            painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 2))
            painter.setBrush(color if pinned else self.theme.color("page"))
            size = 6.0 if held else 4.5
            painter.drawEllipse(QPointF(x, y), size, size)
        painter.setBrush(Qt.BrushStyle.NoBrush)
