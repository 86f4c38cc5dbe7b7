"""A person in layers that are kept: what shows the same again is not painted anew, nor is what was shown lately while
nothing ran."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPixmap

from ...characters.drawn.pen import Drawing
from ...characters.drawn.person import LAYERS, Person, seen
from .vector import paint

Key = tuple[str, tuple[int, int], object]  # who, how large in pixels, the values that it follows
LATELY = 12 << 20  # bytes of layers that were shown while nothing ran
VIEW = (16.0, 12.0, 368.0, 488.0)  # of a drawing, what is shown: x, y, width, height


class Portrait:
    """A person painted layer by layer; a layer that shows the same again is not painted anew."""

    def __init__(self) -> None:
        self._kept: dict[str, tuple[Key, QPixmap]] = {}
        self._lately: OrderedDict[tuple[str, Key], QPixmap] = OrderedDict()
        self._late = ""  # the layer that was left for the next picture

    @property
    def left(self) -> bool:
        """Whether something was left for the next picture."""
        return bool(self._late)

    def place(self, area: QRectF) -> tuple[QRectF, float]:
        """Where the view comes to lie in an area, on its lower edge, and its scale."""
        scale = min(area.width() / VIEW[2], area.height() / VIEW[3])
        width, height = VIEW[2] * scale, VIEW[3] * scale
        return QRectF(area.center().x() - width / 2, area.bottom() - height, width, height), scale

    def paint(
        self, painter: QPainter, person: Person, values: Mapping[str, float], area: QRectF, *,
        hurried: bool = False,
    ) -> None:  # fmt: skip
        """The person, as large as fits the area. hurried: of what lies behind the face and before it only one is
        painted anew, the other in the next picture, which must come: they move by less than can be seen."""
        ratio = painter.device().devicePixelRatioF()
        target, scale = self.place(area)
        size = (round(target.width() * ratio), round(target.height() * ratio))
        # On whole pixels: anything else would be scaled, blurred and slow
        corner = QPointF(round(target.x() * ratio) / ratio, round(target.y() * ratio) / ratio)
        values = seen(values)
        wanted = {x: (person.name, size, person.follows(x, values)) for x in LAYERS}
        self._late = self._left(wanted) if hurried else ""
        for layer, key in wanted.items():
            known = self._kept.get(layer)
            if known is None or (known[0] != key and layer != self._late):
                pixmap = None if hurried else self._recalled(layer, key)
                if pixmap is None:
                    used = hurried and known and known[1].size() == QSize(*size)
                    pixmap = known[1] if used and known else QPixmap(*size)
                    _paint(pixmap, person.draw(layer, values), scale * ratio)
                    pixmap.setDevicePixelRatio(ratio)
                    if not hurried:
                        self._remember(layer, key, pixmap)
                known = self._kept[layer] = (key, pixmap)
            painter.drawPixmap(corner, known[1])

    def _remember(self, layer: str, key: Key, pixmap: QPixmap) -> None:
        # A copy, whose pixels are kept when the other is painted over
        self._lately[layer, key] = QPixmap(pixmap)
        used = sum(4 * kept.width() * kept.height() for kept in self._lately.values())
        while used > LATELY:
            _, gone = self._lately.popitem(last=False)
            used -= 4 * gone.width() * gone.height()

    def _recalled(self, layer: str, key: Key) -> QPixmap | None:
        if (layer, key) not in self._lately:
            return None
        self._lately.move_to_end((layer, key))
        return QPixmap(self._lately[layer, key])

    def _left(self, wanted: Mapping[str, Key]) -> str:
        """The layer that can wait: of two that show something else, the one that did not wait before."""
        stale = [
            layer
            for layer in ("back", "front")
            if (known := self._kept.get(layer)) is not None
            and known[0] != wanted[layer]
            and known[0][:2] == wanted[layer][:2]
        ]
        return next(x for x in stale if x != self._late) if len(stale) == 2 else ""


def _paint(pixmap: QPixmap, drawing: Drawing, scale: float) -> None:
    pixmap.setDevicePixelRatio(1.0)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(scale, scale)
    painter.translate(-VIEW[0], -VIEW[1])
    paint(painter, drawing)
    painter.end()
