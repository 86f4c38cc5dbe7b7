"""A head in drawings, painted: its picture with mouth, eyes and brows where they lie."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPixmap, QTransform

from ...characters.drawings.composing import layers
from ...characters.drawings.documents import Mouth, Placing, View
from .pictures import Pictures, Which

MOST_KEPT = 200


class DrawnPainter:
    """Paints frames; keeps pictures of the size that they are painted in."""

    def __init__(self) -> None:
        self._kept: dict[tuple[int, Which, int, int], QPixmap] = {}

    def target(self, view: View, pictures: Pictures, room: QRectF) -> QRectF:
        """Where in a room the head is painted, as large as it fits."""
        across, down = size_of(view, pictures)
        scale = min(room.width() / across, room.height() / down)
        width, height = across * scale, down * scale
        return QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height)

    def paint(
        self, painter: QPainter, view: View, pictures: Pictures, mouth: Mouth | None,
        states: Mapping[str, Mouth], room: QRectF,
    ) -> None:  # fmt: skip
        """A frame, in the middle of a room."""
        across, down = size_of(view, pictures)
        target = self.target(view, pictures, room)
        scale = target.width() / across
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.translate(target.topLeft())
        if view.head and (view.head, None) in pictures.images:
            self._laid(
                painter, pictures, (view.head, None), Placing(across / 2, down / 2), (0, 0), scale
            )
        for drawing, place in layers(view, mouth, states):
            where = place if view.head else Placing(across / 2, down / 2)
            self._laid(
                painter, pictures, (drawing.file, drawing.cell), where, drawing.offset, scale
            )
        painter.restore()

    def _laid(
        self, painter: QPainter, pictures: Pictures, which: Which, place: Placing,
        offset: tuple[float, float], scale: float,
    ) -> None:  # fmt: skip
        image = pictures.images.get(which)
        if image is None:
            return
        width, height = pictures.sizes[which]
        ratio = painter.device().devicePixelRatioF()
        wide = max(1, round(width * place.scale * scale * ratio))
        high = max(1, round(height * place.scale * scale * ratio))
        picture = self._scaled(pictures, which, image, wide, high)
        a, b, c, d, e, f = place.matrix(width, height, offset)
        grow_x, grow_y = width / wide * scale, height / high * scale
        painter.save()
        if place.turn:
            painter.setTransform(
                QTransform(a * grow_x, b * grow_x, c * grow_y, d * grow_y, e * scale, f * scale),
                True,
            )
            painter.drawPixmap(0, 0, picture)
        else:  # on whole pixels, where it stays sharp
            origin = painter.transform().map(QPointF(e * scale, f * scale))
            painter.setTransform(QTransform())
            at = QPointF(round(origin.x()), round(origin.y()))
            painter.drawPixmap(
                QRectF(at.x(), at.y(), wide / ratio, high / ratio),
                picture,
                QRectF(0, 0, wide, high),
            )
        painter.restore()

    def _scaled(
        self, pictures: Pictures, which: Which, image: QImage, wide: int, high: int
    ) -> QPixmap:
        key = (id(pictures), which, wide, high)
        made = self._kept.get(key)
        if made is None:
            while len(self._kept) >= MOST_KEPT:
                self._kept.pop(next(iter(self._kept)))
            made = self._kept[key] = QPixmap.fromImage(
                image.scaled(
                    wide,
                    high,
                    Qt.AspectRatioMode.IgnoreAspectRatio,
                    Qt.TransformationMode.SmoothTransformation,
                )
            )
        return made


def size_of(view: View, pictures: Pictures) -> tuple[float, float]:
    """Width and height of what is shown: the head's, else the largest mouth's."""
    if view.head and (view.head, None) in pictures.sizes:
        return pictures.sizes[(view.head, None)]
    sizes = [pictures.sizes[w] for m in view.mouths if (w := (m.file, m.cell)) in pictures.sizes]
    return (max(s[0] for s in sizes), max(s[1] for s in sizes)) if sizes else (1.0, 1.0)


def thumbnail(pictures: Pictures, mouth: Mouth, height: int, ratio: float = 1.0) -> QPixmap | None:
    """A mouth alone, cropped to what is drawn, as high as told."""
    image = pictures.cropped((mouth.file, mouth.cell))
    if image is None:
        return None
    made = QPixmap.fromImage(
        image.scaledToHeight(
            max(1, round(height * ratio)), Qt.TransformationMode.SmoothTransformation
        )
    )
    made.setDevicePixelRatio(ratio)
    return made
