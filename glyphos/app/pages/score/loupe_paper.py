"""The Loupe's paper: the chosen word large, its neighbours faded, with every edge.

From top to bottom: lip ribbon, waveform, spectrogram, sounds. Edges run through all of them;
a filled handle is pinned, an empty one is not.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import ceil, floor

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QImage, QPainter, QPaintEvent, QPen, QPixmap

from ....characters.drawn.glyphs import kinds_seen
from ....motion.curve import Motion
from ....motion.telling import kinds_of, telling_rows
from ....speech.parts import Flat, Part
from ...drawing import theme as themes
from ...drawing.ribbon import envelope, rgb, ribbon_image, wave_image
from ...drawing.spectrogram import ink_image, spectrogram
from .loupe_sheet import LETTERS, SIDE, LoupeSheet, Written
from .strips import WHOLE, Strip, meets

RIBBON = 34.0
HANDLE = 8.0


class LoupePaper(LoupeSheet):
    """The painted stretch; what does not change is painted once and kept."""

    # ---- painting ---------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("panel"))
        part = self.word()
        if self.flat is None or part is None:
            painter.end()
            return
        if len(self.samples) and not self._passing.isActive():
            painter.drawPixmap(QPointF(0, RIBBON), self._ground())
        if (ribbon := self._ribbon()) is not None:
            painter.drawImage(QPointF(SIDE, 1), ribbon)
        painter.drawPixmap(QPointF(0, 0), self._written(part))
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

    def _ribbon(self) -> QImage | None:
        """The lip ribbon of the stretch, painted once for a motion."""
        if self.motion is None or self.flat is None:
            return None
        ratio = self.devicePixelRatioF()
        columns = max(2, int((self.width() - 2 * SIDE) * ratio))
        # Kept with what it shows, so that no other thing can come to have its identity
        shows = (self.motion, self.flat, self.span, self.lead, columns)
        if self._lips is not None and all(
            a is b or (not isinstance(b, Motion | Flat) and a == b)
            for a, b in zip(self._lips[0], shows, strict=True)
        ):
            return self._lips[1]
        times = np.linspace(*self.span, columns)
        opening = self.motion.between("lips_part", times)
        table = [rgb(self.theme.color("rule"))]
        phones = [self.flat.phones[k] for k in self.flat.sounds_between(*self.span)]
        number = np.zeros(columns, np.intp)
        if phones:
            kinds = kinds_of(kinds_seen(telling_rows(self.motion, phones, self.lead)))
            table += [rgb(self.theme.kind(kind)) for kind in kinds]
            last = np.searchsorted([p.start for p in phones], times, side="right")
            inside = times < np.array([0.0, *(p.end for p in phones)])[last]
            number = np.where(inside, last, 0)
        colors = np.array(table, np.uint8)[number]
        image = ribbon_image(opening, colors, int((RIBBON - 2) * ratio), ratio)
        self._lips = (shows, image)
        return image

    def _written(self, part: Part) -> QPixmap:
        """Veils, letters and edges; of another reading only what differs is painted anew."""
        assert self.flat is not None
        ratio = self.devicePixelRatioF()
        size = (self.width(), self.height(), ratio, themes.scale())
        key = (part, self.part, self.edge, self.span, size)
        old = self._over if self._over is not None and self._over.key == key else None
        if old is not None and old.flat is self.flat:
            return old.picture
        strip = self._differing(old.flat) if old is not None else WHOLE
        picture = old.picture if old is not None else QPixmap(self.size() * ratio)
        picture.setDevicePixelRatio(ratio)
        if old is None:
            picture.fill(Qt.GlobalColor.transparent)  # which lets it be seen through from here on
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if strip != WHOLE:
            left, right = floor(strip[0]), ceil(strip[1])
            painter.setClipRect(QRect(left, 0, right - left, self.height()))
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
        painter.fillRect(self.rect(), Qt.GlobalColor.transparent)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        self._fade(painter, part)
        self._letters(painter, strip)
        self._edges(painter, strip)
        painter.end()
        self._over = Written(key, self.flat, picture)
        return picture

    def _differing(self, before: Flat) -> Strip:
        """Where another reading is written in another way, in the pixels of the widget."""
        after = self.flat
        assert after is not None
        sounds = before.sounds_between(*self.span)
        if self.coarse or sounds != after.sounds_between(*self.span):
            return WHOLE
        times: list[float] = []
        for k in sounds:
            old, new = before.phones[k], after.phones[k]
            a, b = before.words[before.word_of[k]], after.words[after.word_of[k]]
            if a is not b and (a.doubtful, len(a.phones)) != (b.doubtful, len(b.phones)):
                return WHOLE
            if old is not new:
                times += (old.start, old.end, new.start, new.end)
                # A gap beside it gives the neighbour an edge of its own
                times += [p.end for p in after.phones[max(0, k - 1) : k]]
                times += [p.start for p in after.phones[k + 1 : k + 2]]
        if not times:
            return 0.0, 0.0
        return self.x_at(min(times)) - HANDLE, self.x_at(max(times)) + HANDLE

    def _fade(self, painter: QPainter, part: Part) -> None:
        assert self.flat is not None
        start, end = self.flat.span(part)
        veil = self.theme.faded("panel", 150)
        painter.fillRect(QRectF(0, 0, self.x_at(start), self.height()), veil)
        painter.fillRect(QRectF(self.x_at(end), 0, self.width(), self.height()), veil)

    def _letters(self, painter: QPainter, strip: Strip) -> None:
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
            if not meets(strip, left, right):
                continue
            box = QRectF(left + 1, top + 2, right - left - 2, LETTERS - 4)
            ground = "chosen" if chosen and chosen.number == number else "rule"
            painter.fillRect(box, self.theme.faded(ground, 120 if number in inside else 45))
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

    def _edges(self, painter: QPainter, strip: Strip) -> None:
        assert self.flat is not None
        for edge in self.edges():
            x, y = self.x_at(self._time(edge)), self.height() - LETTERS
            if not meets(strip, x - HANDLE, x + HANDLE):
                continue
            held = edge == self.edge
            pinned = self.flat.pinned(edge)
            color = self.theme.color("chosen" if pinned or held else "ink")
            painter.setPen(QPen(color, 1.8 if held else 1.1))
            painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 2))
            painter.setBrush(color if pinned else self.theme.color("page"))
            size = 6.0 if held else 4.5
            painter.drawEllipse(QPointF(x, y), size, size)
        painter.setBrush(Qt.BrushStyle.NoBrush)
