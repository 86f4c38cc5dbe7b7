"""The mouth glyphs of the score, each painted once for a size and kept."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap

from ...characters.drawn.glyphs import GLYPH, glyph
from .theme import Theme
from .vector import paint


def paint_glyph(
    painter: QPainter, shape: str, center: QPointF, width: float, theme: Theme, kind: str
) -> None:
    """A mouth of a shape (`drawn.glyphs.KINDS`), `width` pixels wide, in the colour of a kind of
    gesture."""
    ratio = painter.device().devicePixelRatioF()
    kept = _painted(
        shape, width, ratio, theme.color("ink").name(), theme.kind(kind).name(),
        theme.color("teeth").name(),
    )  # fmt: skip
    height = width * GLYPH[3] / GLYPH[2]
    area = QRectF(center.x() - width / 2, center.y() - height / 2, width, height)
    painter.drawPixmap(area, kept, QRectF(kept.rect()))


@lru_cache(maxsize=256)
def _painted(shape: str, width: float, ratio: float, ink: str, fill: str, paper: str) -> QPixmap:
    scale = width / GLYPH[2] * ratio
    pixmap = QPixmap(round(GLYPH[2] * scale), round(GLYPH[3] * scale))
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(scale, scale)
    paint(painter, glyph(shape, ink, fill, paper))
    painter.end()
    return pixmap
