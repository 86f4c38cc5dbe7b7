"""Painting drawings of the core with Qt: curves to painter paths, and layers that are kept."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QByteArray, QDataStream, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QGradient,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QRadialGradient,
)

from ...characters.drawn.pen import Drawing, Shape
from ...characters.drawn.person import LAYERS, Person
from ...characters.drawn.svg import FADE, UNSEEN

# As QDataStream writes a path: a count, elements of a kind and two numbers, where it began, its rule.
ELEMENT = np.dtype([("kind", ">i4"), ("x", ">f8"), ("y", ">f8")])
MOVE, CURVE, DATA = 0, 2, 3
WINDING = b"\x00\x00\x00\x00\x00\x00\x00\x01"


class Paths:
    """The painter paths of a drawing, made when they are asked for."""

    def __init__(self, drawing: Drawing) -> None:
        count = len(drawing.elements)
        packed = np.zeros(count, ELEMENT)
        packed["kind"] = DATA
        packed["x"], packed["y"] = drawing.elements.T
        starts = drawing.first[:-1]
        inside = np.arange(count) - np.repeat(starts, np.diff(drawing.first))
        packed["kind"][inside % 3 == 1] = CURVE
        packed["kind"][starts] = MOVE
        every = packed.tobytes()
        edges = drawing.first.tolist()
        size = ELEMENT.itemsize
        written = []
        for low, high in pairwise(edges):
            written += [(high - low).to_bytes(4, "big"), every[low * size : high * size], WINDING]
        self._data = QByteArray(b"".join(written))  # what the stream reads from
        self._stream = QDataStream(self._data)
        self._made: list[QPainterPath] = []

    def path(self, number: int) -> QPainterPath:
        """One path."""
        while len(self._made) <= number:
            made = QPainterPath()
            self._stream >> made
            self._made.append(made)
        return self._made[number]


@lru_cache(maxsize=1024)
def _brush(color: str, fade: bool) -> QBrush:
    if not fade:
        return QBrush(QColor(color))
    gradient = QRadialGradient(0.5, 0.5, 0.5)
    gradient.setCoordinateMode(QGradient.CoordinateMode.ObjectMode)
    for at, share in FADE:
        stop = QColor(color)
        stop.setAlphaF(share)
        gradient.setColorAt(at, stop)
    return QBrush(gradient)


def paint(painter: QPainter, drawing: Drawing) -> None:
    """All shapes of a drawing, in its own units."""
    paths = Paths(drawing)
    painter.setPen(Qt.PenStyle.NoPen)
    clip: tuple[int, ...] = ()
    painter.save()
    for shape in drawing.shapes:
        if shape.opacity < UNSEEN:
            continue
        if shape.clip != clip:
            clip = shape.clip
            _limit(painter, paths, clip)
        painter.setOpacity(shape.opacity)
        _paint(painter, shape, paths.path(shape.path))
    painter.restore()


def _limit(painter: QPainter, paths: Paths, clip: tuple[int, ...]) -> None:
    """Paint only inside all of these paths from now on."""
    painter.restore()
    painter.save()
    for number in clip:
        painter.setClipPath(paths.path(number), Qt.ClipOperation.IntersectClip)


def _paint(painter: QPainter, shape: Shape, path: QPainterPath) -> None:
    if shape.stroke and shape.width > 0:
        pen = QPen(
            QColor(shape.stroke), shape.width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap,
            Qt.PenJoinStyle.RoundJoin,
        )  # fmt: skip
        painter.strokePath(path, pen)
    elif shape.fill:
        painter.fillPath(path, _brush(shape.fill, shape.fade))


VIEW = (16.0, 12.0, 368.0, 488.0)  # of a drawing, what is shown: x, y, width, height


class Portrait:
    """A person painted layer by layer; a layer that shows the same again is not painted anew."""

    def __init__(self) -> None:
        self._kept: dict[str, tuple[object, QPixmap]] = {}

    def place(self, area: QRectF) -> tuple[QRectF, float]:
        """Where the view comes to lie in an area, on its lower edge, and its scale."""
        scale = min(area.width() / VIEW[2], area.height() / VIEW[3])
        width, height = VIEW[2] * scale, VIEW[3] * scale
        return QRectF(area.center().x() - width / 2, area.bottom() - height, width, height), scale

    def paint(
        self, painter: QPainter, person: Person, values: Mapping[str, float], area: QRectF
    ) -> None:
        """The person, as large as fits the area."""
        ratio = painter.device().devicePixelRatioF()
        target, scale = self.place(area)
        size = (round(target.width() * ratio), round(target.height() * ratio))
        for layer in LAYERS:
            key = (person.name, size, person.follows(layer, values))
            known = self._kept.get(layer)
            if known is None or known[0] != key:
                known = self._kept[layer] = (
                    key,
                    _layer(person, layer, values, size, scale * ratio),
                )
            painter.drawPixmap(target, known[1], QRectF(known[1].rect()))


def _layer(
    person: Person, layer: str, values: Mapping[str, float], size: tuple[int, int], scale: float
) -> QPixmap:
    pixmap = QPixmap(*size)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(scale, scale)
    painter.translate(-VIEW[0], -VIEW[1])
    paint(painter, person.draw(layer, values))
    painter.end()
    return pixmap
