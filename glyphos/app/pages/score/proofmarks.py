"""Proof marks of the score: a sign in the margin of the row, a wave under what is meant."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen

from ....proof.finding import Finding
from ...drawing import theme as themes
from ...drawing.theme import Theme
from ...drawing.words import PROOF_COLORS, PROOF_SIGNS
from .bands import MARGIN, Bands
from .layout import Row

HALF, HIGH = 3.0, 1.6  # pixels of half a wave, and its height
LEAST = 14.0  # pixels of a wave


def paint_marks(
    painter: QPainter, row: Row, bands: Bands, findings: Sequence[Finding], theme: Theme
) -> None:
    """The marks of a row, the painter at its top left. What is of the whole line has no wave."""
    y = bands.words_top + bands.words + 1
    x = 3.0
    painter.setFont(themes.sans(9, bold=True))
    for finding in findings:
        if not row.start <= finding.start < row.end:
            continue
        color = theme.color(PROOF_COLORS[finding.severity])
        painter.setPen(color)
        if x < MARGIN - 8:
            painter.drawText(QPointF(x, bands.words_top + bands.words - 8), PROOF_SIGNS[finding.severity])  # fmt: skip
            x += 9.0
        if finding.end - finding.start > 0.8 * (row.end - row.start):
            continue
        left = MARGIN + row.x_at(finding.start)
        right = max(left + LEAST, MARGIN + row.x_at(min(finding.end, row.end)))
        painter.setPen(QPen(color, 1.3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(_wave(left, right, y))


def _wave(left: float, right: float, y: float) -> QPainterPath:
    path = QPainterPath(QPointF(left, y))
    up = -HIGH
    x = left
    while x < right:
        path.quadTo(QPointF(x + HALF / 2, y + up), QPointF(min(x + HALF, right), y))
        x, up = x + HALF, -up
    return path
