"""Painting curves: words and sounds on top, a stave for every region; room for one channel that is large."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF

from ....motion.regions import REGIONS, is_degrees, ranges, region_of
from ...drawing import theme as themes
from ...drawing.polyline import draw, polyline
from ...drawing.ribbon import envelope, rgb, wave_image
from ...drawing.theme import Theme
from .shown import STILL, Shown, points

Array = NDArray[np.float64]
LEFT, RIGHT = 40.0, 22.0
MOVED = 8.0  # pixels that a word may stand beside its place
OPEN_PAD = 26.0  # above the open stave's lines, for its name


@dataclass(frozen=True)
class Bands:
    """Heights, from the size of the text. staves: top and bottom of each region; open: of the open one."""

    wave: tuple[float, float]
    words: tuple[float, float]
    sounds: tuple[float, float]
    staves: dict[str, tuple[float, float]]
    open: tuple[float, float]
    height: float


@lru_cache(32)
def bands_of(channel: str, room: int, scale: float, regions: tuple[str, ...]) -> Bands:
    """Bands for a room of so many pixels: the open stave takes what the others leave."""
    word, sound, small = (
        QFontMetricsF(f).height() for f in (themes.serif(15), themes.serif(11.5), themes.sans(8))
    )
    top = 8.0
    wave = (top, top + 36)
    words = (wave[1] + 2, wave[1] + 4 + word)
    sounds = (words[1] + 1, words[1] + 3 + sound)
    stave = small + 26
    legend = small + 10
    left = room - sounds[1] - len(regions) * stave - legend - OPEN_PAD - 30
    large = max(150.0, left)
    y, staves, open_ = sounds[1] + 8, {}, (0.0, 0.0)
    own = region_of(channel)
    for region in regions:
        staves[region] = (y, y + stave)
        y += stave
        if region == own:
            open_ = (y + 4, y + 4 + OPEN_PAD + large + legend)
            y = open_[1] + 6
    return Bands(wave, words, sounds, staves, open_, y + 10)


@dataclass
class Staves:
    """Paints words and staves of one picture at a width."""

    theme: Theme
    shown: Shown
    bands: Bands
    width: float
    held: tuple[float, float] | None = None  # lowest and highest value while something is dragged

    @cached_property
    def extent(self) -> tuple[float, float]:
        """Lowest and highest value of the open stave."""
        return self.held or self.shown.extent()

    def x(self, seconds: float) -> float:
        """Where a time of the face is."""
        start, end = self.shown.view
        return LEFT + (seconds - start) / max(end - start, 1e-6) * (self.width - LEFT - RIGHT)

    def seconds(self, x: float) -> float:
        start, end = self.shown.view
        return start + (x - LEFT) / max(self.width - LEFT - RIGHT, 1.0) * (end - start)

    @property
    def lines(self) -> tuple[float, float]:
        """Top and bottom of the lines of the open stave."""
        small = QFontMetricsF(themes.sans(8)).height()
        return self.bands.open[0] + OPEN_PAD, self.bands.open[1] - small - 10

    def y(self, value: float) -> float:
        """Where a value of the open channel is."""
        top, bottom = self.lines
        low, high = self.extent
        return bottom - (value - low) / (high - low) * (bottom - top)

    def value(self, y: float) -> float:
        top, bottom = self.lines
        low, high = self.extent
        return low + (bottom - y) / max(bottom - top, 1.0) * (high - low)

    # ---- the head -----------------------------------------------------------------------------

    def head(self, painter: QPainter) -> None:
        """Waveform, words and sounds in the places of their time."""
        shown, flat = self.shown, self.shown.flat
        self._wave(painter)
        if flat is None:
            return
        words_font, sounds_font = themes.serif(15), themes.serif(11.5)
        metrics = QFontMetricsF(words_font)
        _, bottom = self.bands.words
        first, after = flat.sound_range(shown.part) if shown.part is not None else (-1, -1)
        inside = flat.sounds_between(*(shown.heard(t) for t in shown.view))
        words = range(flat.word_of[inside[0]], flat.word_of[inside[-1]] + 1) if inside else range(0)
        for k in words:
            word = flat.words[k]
            a, b = self.x(shown.film(word.start)), self.x(shown.film(word.end))
            chosen = first <= flat.first[k] < after
            painter.setPen(QPen(self.theme.color("chosen" if chosen else "rule"), 1.4))
            painter.drawLine(QPointF(a + 1, bottom - 1), QPointF(b - 1, bottom - 1))
        painter.setFont(words_font)
        for k, left in self.written(words, metrics):
            chosen = first <= flat.first[k] < after
            painter.setPen(self.theme.color("chosen" if chosen else "ink"))
            painter.drawText(QPointF(left, bottom - 6), flat.words[k].text)
        painter.setFont(sounds_font)
        letters, free = QFontMetricsF(sounds_font), -1e9
        _, bottom = self.bands.sounds
        for k in inside:
            phone = flat.phones[k]
            a, b = self.x(shown.film(phone.start)), self.x(shown.film(phone.end))
            wide = letters.horizontalAdvance(phone.ipa)
            left = (a + b - wide) / 2
            if b < LEFT or a > self.width or left < free:
                continue
            painter.setPen(self.theme.color("chosen" if first <= k < after else "faint"))
            painter.drawText(QPointF(left, bottom - 4), phone.ipa)
            free = left + wide + 1

    def written(self, words: Iterable[int], metrics: QFontMetricsF) -> list[tuple[int, float]]:
        """Words that have room over their own sounds, moved by no more than a little, and where each begins."""
        flat, free = self.shown.flat, -1e9
        assert flat is not None
        made: list[tuple[int, float]] = []
        for k in words:
            word, wide = flat.words[k], metrics.horizontalAdvance(flat.words[k].text)
            middle = (self.x(self.shown.film(word.start)) + self.x(self.shown.film(word.end))) / 2
            left = max(middle - wide / 2, free)
            if left - (middle - wide / 2) <= MOVED and left + wide <= self.width:
                made.append((k, left))
                free = left + wide + 4
        return made

    def _wave(self, painter: QPainter) -> None:
        shown, ratio = self.shown, painter.device().devicePixelRatioF()
        columns = int((self.width - LEFT - RIGHT) * ratio)
        if columns < 2 or not len(shown.samples):
            return
        times = np.linspace(*(shown.heard(t) for t in shown.view), columns + 1)
        high, low = envelope(shown.samples, np.maximum(times, 0), 16_000)
        beyond = (times[:-1] < 0) | (times[:-1] > len(shown.samples) / 16_000)
        high, low = np.where(beyond, 0, high), np.where(beyond, 0, low)
        top, bottom = self.bands.wave
        ink = rgb(self.theme.color("faint"))
        image = wave_image(
            high * shown.level, low * shown.level, ink, 0.5, int((bottom - top) * ratio), ratio
        )
        painter.drawImage(QPointF(LEFT, top), image)

    def tint(self, painter: QPainter) -> None:
        """What is chosen on top, all the way down."""
        flat, part = self.shown.flat, self.shown.part
        if flat is None or part is None or not flat.valid(part):
            return
        a, b = (self.x(self.shown.film(t)) for t in flat.span(part))
        color = self.theme.faded("chosen", 26)
        a, b = max(a, LEFT), min(b, self.width - RIGHT)
        if b > a:
            painter.fillRect(QRectF(a, self.bands.words[0], b - a, self.bands.height), color)

    # ---- staves -------------------------------------------------------------------------------

    def stave(self, painter: QPainter, region: str) -> None:
        """A region with all that moves in it; the chosen channel stronger."""
        top, bottom = self.bands.staves[region]
        shown = self.shown
        painter.setFont(themes.sans(8.5, bold=True))
        painter.setPen(self.theme.color("faint"))
        painter.drawText(
            QPointF(4, top + QFontMetricsF(painter.font()).ascent() + 1), region.capitalize()
        )
        high = top + QFontMetricsF(painter.font()).height() + 2
        painter.setPen(QPen(self.theme.color("rule"), 1))
        for y in (high, bottom - 3):
            painter.drawLine(QPointF(LEFT, y), QPointF(self.width - RIGHT, y))
        if shown.motion is None:
            return
        names = [n for n in shown.motion.names if region_of(n) == region]
        painter.save()
        painter.setClipRect(QRectF(LEFT, top, self.width - LEFT - RIGHT, bottom - top))
        for name in sorted(names, key=lambda n: n == shown.channel):
            curve = shown.motion.channel(name)
            low, most = ranges()[name]
            if np.ptp(curve) <= STILL * (most - low):
                continue
            if low < 0:
                reach = max(float(np.abs(curve).max()), (8.0 if is_degrees(name) else 1.0))
                share = 0.5 + curve / (2 * reach)
            else:
                share = curve
            here = name == shown.channel
            color = self.theme.color("ink") if here else self.theme.faded("faint", 150)
            pen = QPen(color, 1.7 if here else 1.0)
            draw(painter, pen, self._line(share, bottom - 3, high))
        painter.restore()

    def _line(self, values: Array, zero: float, one: float) -> QPolygonF:
        assert self.shown.motion is not None
        wide = self.width - LEFT - RIGHT
        t, v = points(values, float(self.shown.motion.fps), self.shown.view, wide)
        start, end = self.shown.view
        x = LEFT + (t - start) / max(end - start, 1e-6) * wide
        y = zero + v * (one - zero)
        return polyline(x, y)


def regions_shown() -> tuple[str, ...]:
    return tuple(REGIONS)
