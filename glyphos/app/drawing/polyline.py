"""Lines through many points. Qt reads them from an array at once: point by point from Python takes
eight times as long, and a page of curves has some thousand. A line wider than a pixel it fills as an
area, which takes twenty times as long as a thin one: thin ones side by side look the same."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike
from PySide6.QtCore import QByteArray, QDataStream, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

POINT = np.dtype([("x", ">f8"), ("y", ">f8")])  # as QDataStream writes a QPointF


def polyline(x: ArrayLike, y: ArrayLike) -> QPolygonF:
    """A line through points (n,), (n,) in pixels."""
    across = np.asarray(x, np.float64)
    rows = np.empty(len(across), POINT)
    rows["x"], rows["y"] = across, y
    made = QPolygonF()
    stream = QDataStream(QByteArray(len(rows).to_bytes(4, "big") + rows.tobytes()))
    stream >> made
    return made


def draw(painter: QPainter, pen: QPen, line: QPolygonF) -> None:
    """A line as wide as the pen says."""
    beyond = (pen.widthF() - 1.0) / 2
    thin = QPen(pen)
    thin.setWidthF(min(1.0, pen.widthF()))
    thin.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.setPen(thin)
    if beyond <= 0:
        painter.drawPolyline(line)
        return
    for x, y in ((0, -beyond), (0, beyond), (-beyond, 0), (beyond, 0)):
        painter.drawPolyline(line.translated(x, y))
