"""Painting drawings of the core with Qt: curves to painter paths, shapes to fills and strokes."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QByteArray, QDataStream, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QRadialGradient,
)

from ...characters.drawn.pen import Drawing, Shape
from ...characters.drawn.svg import FADE, UNSEEN

# As QDataStream writes a path: a count, elements of a kind and two numbers, where it began, its rule.
ELEMENT = np.dtype([("kind", ">i4"), ("x", ">f8"), ("y", ">f8")])
MOVE, CURVE, DATA = 0, 2, 3
WINDING = b"\x00\x00\x00\x00\x00\x00\x00\x01"


class Paths:
    """The painter paths of a drawing, made when they are asked for."""

    def __init__(self, drawing: Drawing) -> None:
        packed = np.empty(len(drawing.elements), ELEMENT)
        packed["kind"] = _kinds(drawing.first.tobytes())
        packed["x"], packed["y"] = drawing.elements.T
        self._every = packed.tobytes()
        self._edges = drawing.first.tolist()
        self._clips: dict[int, QPainterPath] = {}

    def path(self, number: int, pieces: int = 1) -> QPainterPath:
        """One path, or several in a row as one."""
        low, high = self._edges[number], self._edges[number + pieces]
        elements = self._every[low * ELEMENT.itemsize : high * ELEMENT.itemsize]
        # Named, since the stream does not keep what it reads from
        data = QByteArray((high - low).to_bytes(4, "big") + elements + WINDING)
        made = QPainterPath()
        QDataStream(data) >> made
        return made

    def clip(self, number: int) -> QPainterPath:
        """A path that limits several shapes."""
        if number not in self._clips:
            self._clips[number] = self.path(number)
        return self._clips[number]


@lru_cache(maxsize=32)
def _kinds(first: bytes) -> NDArray[np.int32]:
    starts = np.frombuffer(first, np.intp)
    kinds = np.full(starts[-1], DATA, np.int32)
    inside = np.arange(starts[-1]) - np.repeat(starts[:-1], np.diff(starts))
    kinds[inside % 3 == 1] = CURVE
    kinds[starts[:-1]] = MOVE
    return kinds


@lru_cache(maxsize=1024)
def _brush(color: str) -> QBrush:
    return QBrush(QColor(color))


FADE_SIZE = 128


@lru_cache(maxsize=64)
def _fade(color: str) -> QPixmap:
    """A patch without an edge. As a picture that is stretched, it takes a sixth of the time of a
    gradient that is worked out for every pixel."""
    gradient = QRadialGradient(FADE_SIZE / 2, FADE_SIZE / 2, FADE_SIZE / 2)
    for at, share in FADE:
        stop = QColor(color)
        stop.setAlphaF(share)
        gradient.setColorAt(at, stop)
    patch = QPixmap(FADE_SIZE, FADE_SIZE)
    patch.fill(Qt.GlobalColor.transparent)
    painter = QPainter(patch)
    painter.fillRect(patch.rect(), QBrush(gradient))
    painter.end()
    return patch


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
        if shape.fade and shape.fill:
            left, top, right, bottom = drawing.bounds(shape.path)
            area = QRectF(left, top, right - left, bottom - top)
            painter.drawPixmap(area, _fade(shape.fill), QRectF(0, 0, FADE_SIZE, FADE_SIZE))
        else:
            _paint(painter, shape, paths.path(shape.path, shape.pieces))
    painter.restore()


def _limit(painter: QPainter, paths: Paths, clip: tuple[int, ...]) -> None:
    """Paint only inside all of these paths from now on."""
    painter.restore()
    painter.save()
    for number in clip:
        painter.setClipPath(paths.clip(number), Qt.ClipOperation.IntersectClip)


def _paint(painter: QPainter, shape: Shape, path: QPainterPath) -> None:
    if shape.stroke and shape.width > 0:
        pen = QPen(
            QColor(shape.stroke), shape.width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap,
            Qt.PenJoinStyle.RoundJoin,
        )  # fmt: skip
        painter.strokePath(path, pen)
    elif shape.fill:
        painter.fillPath(path, _brush(shape.fill))
