"""Painting the open stave: one channel large, with its layers, what was before, and the keys set by hand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen

from ....characters.channels import face_channels
from ....motion.mix import LAYERS
from ....motion.regions import channel_words, is_degrees, region_of, value_text
from ....motion.touch.keys import Handle, Touch, handles_of, times_of
from ...drawing import theme as themes
from ...drawing.layering import LAYER_WORDS, layer_pen
from ...drawing.polyline import draw
from ...drawing.words import frame_text, seconds_text
from .staves import LEFT, RIGHT, Staves

RING = 4.5  # pixels of a key
ARM = 30.0  # pixels of a handle at least


@dataclass
class Painter(Staves):
    """Paints all of one picture."""

    def open_stave(self, painter: QPainter, playhead: float) -> None:
        """The chosen channel, large: result, before, layers and the keys set by hand."""
        shown, theme = self.shown, self.theme
        top, bottom = self.bands.open
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.faded("teeth", 150 if theme.name == "paper" else 14))
        painter.drawRoundedRect(QRectF(4, top, self.width - 10, bottom - top), 4, 4)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._title(painter, top, playhead)
        self._grid(painter)
        if shown.motion is None:
            return
        y0, y1 = self.y(0.0), self.y(1.0)
        painter.save()
        upper, lower = self.lines
        painter.setClipRect(
            QRectF(LEFT - 6, upper - 6, self.width - LEFT - RIGHT + 12, lower - upper + 12)
        )
        for name, values in shown.layers().items():
            draw(painter, layer_pen(theme, name), self._line(values, y0, y1))
        before = shown.before()
        for ghost in (before, shown.ghost):
            if ghost is not None and len(ghost) == shown.motion.frames:
                pen = QPen(theme.color("faint"), 1.0, Qt.PenStyle.DashLine)
                draw(painter, pen, self._line(ghost, y0, y1))
        result = self._line(shown.values(shown.channel), y0, y1)
        draw(painter, QPen(theme.color("ink"), 2.2), result)
        painter.restore()
        self._keys(painter)
        self._legend(painter, bottom)

    def _title(self, painter: QPainter, top: float, playhead: float) -> None:
        shown, channel = self.shown, face_channels()[self.shown.channel]
        painter.setFont(themes.sans(10.5, bold=True))
        painter.setPen(self.theme.color("chosen"))
        base = top + QFontMetricsF(painter.font()).ascent() + 5
        text = channel_words(channel.name)
        painter.drawText(QPointF(14, base), text)
        x = 14 + QFontMetricsF(painter.font()).horizontalAdvance(text) + 18
        fps = float(shown.motion.fps) if shown.motion is not None else 24.0
        at = (
            f"{value_text(channel.name, shown.value_at(channel.name, playhead))} at "
            f"{seconds_text(playhead, 2)} · {frame_text(playhead, fps)}"
        )
        wide = QFontMetricsF(painter.font()).horizontalAdvance(at)
        painter.drawText(QPointF(self.width - RIGHT - wide, base), at)
        painter.setFont(themes.sans(8.5))
        painter.setPen(self.theme.color("faint"))
        unit = f"action unit {channel.au}" if channel.au else "gesture of speech"
        span = "degrees" if is_degrees(channel.name) else f"{channel.low:g} to {channel.high:g}"
        text = f"{region_of(channel.name).capitalize()} · {unit} · {span}"
        if (
            x + QFontMetricsF(painter.font()).horizontalAdvance(text)
            < self.width - RIGHT - wide - 10
        ):
            painter.drawText(QPointF(x, base), text)

    def _grid(self, painter: QPainter) -> None:
        low, high = self.extent
        painter.setFont(themes.sans(7.5))
        for k in range(5):
            value = low + (high - low) * k / 4
            y = self.y(value)
            strong = k in (0, 4) or abs(value) < 1e-9
            pen = QPen(self.theme.color("rule"), 1)
            if not strong:
                pen.setStyle(Qt.PenStyle.DotLine)
            painter.setPen(pen)
            painter.drawLine(QPointF(LEFT, y), QPointF(self.width - RIGHT, y))
            painter.setPen(self.theme.color("faint"))
            text = f"{value:g}".replace("-", "−")
            wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
            painter.drawText(QPointF(LEFT - wide - 5, y + 3.5), text)

    @cached_property
    def rings(self) -> list[tuple[int, int, QPointF]]:
        """Touch-up, key and place of every key in sight on the open curve, and of the chosen one."""
        shown = self.shown
        made: list[tuple[int, int, QPointF]] = []
        if shown.reading is None:
            return made
        start, end = (self.seconds(x) for x in (0.0, self.width))
        for number, touch in shown.touches:
            for k, heard in enumerate(times_of(touch, shown.reading).tolist()):
                at = shown.film(heard)
                if start <= at <= end or (number, k) == shown.chosen:
                    y = self.y(shown.value_at(shown.channel, at))
                    made.append((number, k, QPointF(self.x(at), y)))
        return made

    def grips(self) -> list[tuple[Handle, QPointF]]:
        """The handles of the chosen key and where they end."""
        shown = self.shown
        if shown.chosen is None or shown.reading is None:
            return []
        number, k = shown.chosen
        touch = next((t for n, t in shown.touches if n == number), None)
        if touch is None or k >= len(touch.keys):
            return []
        heard = float(times_of(touch, shown.reading)[k])
        value, made = shown.value_at(shown.channel, shown.film(heard)), []
        for handle in handles_of(touch, shown.reading, k):
            way = -1 if handle.side == "into" else 1
            arm = max(handle.gap / 3, self.seconds(ARM) - self.seconds(0.0))  # to be taken by hand
            rise = handle.rise * self.unit(touch, k, value) * arm / handle.gap
            made.append(
                (handle, QPointF(self.x(shown.film(heard + way * arm)), self.y(value + way * rise)))
            )
        return made

    @staticmethod
    def unit(touch: Touch, k: int, value: float) -> float:
        """By how much the curve moves where a key of a touch-up moves by one."""
        if touch.mode != "scale":
            return 1.0
        own = touch.keys[k].value
        return (value - touch.about) / own if abs(own) > 1e-6 else 1.0

    def _keys(self, painter: QPainter) -> None:
        red, page = self.theme.color("playhead"), self.theme.color("page")
        upper, lower = self.lines
        for number, k, point in self.rings:
            if not LEFT - 8 <= point.x() <= self.width - RIGHT + 8:
                continue
            chosen = self.shown.chosen is not None and self.shown.chosen[0] == number
            if chosen:
                painter.setPen(QPen(self.theme.color("faint"), 1, Qt.PenStyle.DotLine))
                painter.drawLine(QPointF(point.x(), upper), QPointF(point.x(), lower))
            painter.setPen(QPen(red, 1.8))
            painter.setBrush(red if self.shown.chosen == (number, k) else page)
            painter.drawEllipse(point, RING, RING)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        for _, end in self.grips():
            key = next(p for n, k, p in self.rings if (n, k) == self.shown.chosen)
            painter.setPen(QPen(red, 1))
            painter.drawLine(key, end)
            painter.setBrush(page)
            painter.drawRect(QRectF(end.x() - 3, end.y() - 3, 6, 6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        self._told(painter)

    def _told(self, painter: QPainter) -> None:
        """What the chosen touch-up is, and the sound that its key rides on."""
        shown = self.shown
        if shown.chosen is None or shown.flat is None:
            return
        touch = next((t for n, t in shown.touches if n == shown.chosen[0]), None)
        if touch is None or shown.chosen[1] >= len(touch.keys):
            return
        point = next(p for n, k, p in self.rings if (n, k) == shown.chosen)
        anchor = touch.keys[shown.chosen[1]].at
        flat = shown.flat
        rides = "stands by itself"
        if 0 <= anchor.sound < len(flat.phones):
            word = flat.words[flat.word_of[anchor.sound]].text
            where = "rides on" if not anchor.beyond else "rides beside"
            rides = f"{where} {flat.phones[anchor.sound].ipa} of “{word}”"
        if touch.free:
            rides += " · also over closures"
        texts = ((touch.what or touch.mode, "playhead"), (rides, "faint"))
        painter.setFont(themes.sans(8.5))
        metrics = QFontMetricsF(painter.font())
        wide = max(metrics.horizontalAdvance(t) for t, _ in texts)
        x = point.x() + 14 if point.x() + 14 + wide < self.width - RIGHT else point.x() - 14 - wide
        y = max(self.lines[0] + 12, point.y() - 18 - metrics.height())
        plate = self.theme.faded("page", 190)
        box = QRectF(x - 3, y - metrics.ascent() - 1, wide + 6, 2 * metrics.height() + 2)
        painter.fillRect(box, plate)
        for k, (text, color) in enumerate(texts):
            painter.setPen(self.theme.color(color))
            painter.drawText(QPointF(x, y + k * metrics.height()), text)

    def _legend(self, painter: QPainter, bottom: float) -> None:
        painter.setFont(themes.sans(8.5))
        metrics = QFontMetricsF(painter.font())
        x, y = LEFT, bottom - 8
        entries = [("result", QPen(self.theme.color("ink"), 2.2))]
        if self.shown.before() is not None or self.shown.ghost is not None:
            entries.append(("before", QPen(self.theme.color("faint"), 1.0, Qt.PenStyle.DashLine)))
        there = self.shown.layers()
        entries += [
            (LAYER_WORDS[n].lower(), layer_pen(self.theme, n)) for n in LAYERS if n in there
        ]
        for text, pen in entries:
            painter.setPen(pen)
            painter.drawLine(QPointF(x, y - 4), QPointF(x + 18, y - 4))
            painter.setPen(self.theme.color("faint"))
            painter.drawText(QPointF(x + 23, y), text)
            x += 23 + metrics.horizontalAdvance(text) + 16
