"""The exposure strip under the lips: a thumbnail for every drawing, as long as it is held."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPixmap

from ...characters.drawings.naming import short_names
from ...characters.drawings.sheet import Sheet
from .drawnhead import thumbnail
from .pictures import Pictures
from .theme import PAPER, Theme

ROOM = 14.0  # pixels under which a name says nothing


class Timed(Protocol):
    """Something as wide as a stretch of time."""

    @property
    def start(self) -> float: ...

    @property
    def end(self) -> float: ...

    @property
    def width(self) -> float: ...

    def x_at(self, seconds: float) -> float: ...


class Exposed:
    """A line in drawings with their thumbnails; paints the strip of a row."""

    def __init__(
        self, sheet: Sheet, pictures: Pictures | None, before: Exposed | None = None
    ) -> None:
        """before: an earlier one, whose thumbnails are used again."""
        self.sheet, self.pictures = sheet, pictures
        self.names = short_names([m.name for m in sheet.drawings.mouths])
        same = before is not None and before.pictures is pictures
        self._thumbs: dict[tuple[str, object, int, float], QPixmap | None] = (
            before.thumbs if same and before is not None else {}
        )

    @property
    def thumbs(self) -> dict[tuple[str, object, int, float], QPixmap | None]:
        """Thumbnails as they were made."""
        return self._thumbs

    def paint(
        self, painter: QPainter, row: Timed, height: float, font: QFont, theme: Theme, playhead: float, dirty: QRect
    ) -> None:  # fmt: skip
        """The strip of a row from its own left and top; what lies in `dirty`, at least."""
        sheet, fps = self.sheet, self.sheet.fps
        first = sheet.number_at(sheet.frame_at(row.start))
        last = sheet.number_at(sheet.frame_at(max(row.start, row.end - 1e-6)))
        here = sheet.at(sheet.frame_at(playhead))
        painter.setFont(font)
        for e in sheet.mouths[first : last + 1]:
            left = row.x_at(max(row.start, e.first / fps)) if e.first / fps > row.start else 0.0
            right = row.x_at(e.after / fps) if e.after / fps < row.end else row.width
            if right < dirty.left() - 2 or left > dirty.right() + 2 or right - left < 0.5:
                continue
            self._one(
                painter,
                QRectF(left, 1, right - left, height),
                e.drawing,
                e.pinned,
                e is here,
                theme,
            )

    def _one(
        self, painter: QPainter, box: QRectF, number: int, pinned: bool, here: bool, theme: Theme
    ) -> None:  # fmt: skip
        mouth = self.sheet.drawings.mouths[number]
        painter.fillRect(box, PAPER.color("panel"))  # drawings are made for paper, by night too
        ratio = painter.device().devicePixelRatioF()
        picture = self._thumb(number, int(box.height()), ratio)
        painter.save()
        painter.setClipRect(box)
        if picture is not None:
            wide = picture.width() / picture.devicePixelRatio()
            x = (
                box.center().x() - wide / 2
                if wide < box.width()
                else box.left() + min(0.0, (box.width() - wide) / 2)
            )
            painter.drawPixmap(QPointF(x, box.top()), picture)
        if (picture is None or box.width() > 3.2 * box.height()) and box.width() > ROOM:
            painter.setPen(PAPER.color("faint"))
            painter.drawText(box.adjusted(5, 2, -2, -2), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop,
                             self.names.get(mouth.name, mouth.name))  # fmt: skip
        painter.restore()
        painter.setPen(QPen(theme.color("rule"), 1))
        painter.drawLine(box.topLeft(), box.bottomLeft())
        painter.drawLine(box.topRight(), box.bottomRight())
        color: QColor = theme.color("chosen")
        if pinned:  # a bar with a pin's head, not by colour alone
            painter.setPen(QPen(color, 1.6))
            painter.drawLine(QPointF(box.left(), box.bottom()), QPointF(box.right(), box.bottom()))
            painter.setBrush(color)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QPointF(box.left() + 4, box.bottom() - 4), 2.4, 2.4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        if here:
            painter.setPen(QPen(color, 1.4))
            painter.drawRect(box.adjusted(0.7, 0.7, -0.7, -0.7))

    def _thumb(self, number: int, height: int, ratio: float) -> QPixmap | None:
        mouth = self.sheet.drawings.mouths[number]
        if self.pictures is None:
            return None
        key = (mouth.file, mouth.cell, height, ratio)
        if key not in self._thumbs:
            self._thumbs[key] = thumbnail(self.pictures, mouth, height, ratio)
        return self._thumbs[key]
