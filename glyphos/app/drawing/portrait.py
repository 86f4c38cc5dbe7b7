"""A person in layers that are kept: what shows the same again is not painted anew."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPixmap

from ...characters.drawn.pen import Drawing
from ...characters.drawn.person import LAYERS, Person
from .vector import paint

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
        # On whole pixels: anything else would be scaled, blurred and slow
        corner = QPointF(round(target.x() * ratio) / ratio, round(target.y() * ratio) / ratio)
        for layer in LAYERS:
            key = (person.name, size, person.follows(layer, values))
            known = self._kept.get(layer)
            if known is None or known[0] != key:
                pixmap = known[1] if known and known[1].size() == QSize(*size) else QPixmap(*size)
                _paint(pixmap, person.draw(layer, values), scale * ratio)
                pixmap.setDevicePixelRatio(ratio)
                known = self._kept[layer] = (key, pixmap)
            painter.drawPixmap(corner, known[1])


def _paint(pixmap: QPixmap, drawing: Drawing, scale: float) -> None:
    pixmap.setDevicePixelRatio(1.0)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(scale, scale)
    painter.translate(-VIEW[0], -VIEW[1])
    paint(painter, drawing)
    painter.end()
