"""The pitch of a voice as a thin line, with its accents marked."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from .exposed import Timed
from .theme import Theme

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ...voice.voice import Voice

REACH = 9.0  # semitones above and below the speaker's middle that fit
STEP = 2  # frames from one point of the line to the next


def paint_pitch(painter: QPainter, voice: Voice, row: Timed, height: float, theme: Theme) -> None:
    """The line over a row, from its own left and top; every accent a ring where it is strongest."""
    times, semitones = voice.times, voice.semitones
    first, last = np.searchsorted(times, [row.start, row.end])
    color = theme.faded("playhead", 150)
    painter.setPen(QPen(color, 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)

    def point(k: int) -> QPointF:
        high = min(max(float(semitones[k]) / REACH, -1.0), 1.0)
        return QPointF(row.x_at(float(times[k])), height * (0.5 - 0.46 * high))

    line: list[QPointF] = []
    for k in range(int(first), int(last), STEP):
        if np.isfinite(semitones[k]):
            line.append(point(k))
        elif line:
            painter.drawPolyline(QPolygonF(line))
            line = []
    if line:
        painter.drawPolyline(QPolygonF(line))
    for accent in voice.accents:
        if row.start <= accent.time < row.end:
            k = min(int(np.searchsorted(times, accent.time)), len(times) - 1)
            at = (
                point(k)
                if np.isfinite(semitones[k])
                else QPointF(row.x_at(accent.time), height / 2)
            )
            size = 2.5 + 2.5 * accent.strength
            painter.drawEllipse(at, size, size)
