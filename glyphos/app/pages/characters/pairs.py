"""A fitting in pictures: every gesture as it is meant, on our head, and as it is worn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import astuple

import msgspec
from PySide6.QtCore import QRectF, QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPen
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from ....stage.messages import Ask, Request
from ....stage.views import VIEWS
from ...drawing import theme as themes
from ...drawing.staging import Staging
from ...drawing.theme import Theme
from .gestures import MEANT, GestureRow

PICTURE = QSize(72, 66)
CELL = QSize(2 * PICTURE.width() + 18, PICTURE.height() + 58)
ROW, IMAGES = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


class PairPainter(QStyledItemDelegate):
    """Two pictures, the gesture, what wears it, how far off."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:  # type: ignore[no-untyped-def]
        return CELL

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index) -> None:  # type: ignore[no-untyped-def]
        row: GestureRow = index.data(ROW)
        images: list[QImage | None] = index.data(IMAGES)
        t, rect = self.theme, QRectF(option.rect).adjusted(3, 3, -3, -3)
        painter.save()
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(rect, t.color("page" if chosen else "panel"))
        edge = "chosen" if chosen else "doubt" if row.doubtful else "rule"
        painter.setPen(QPen(t.color(edge), 2 if chosen or row.doubtful else 1))
        painter.drawRect(rect)
        for k, image in enumerate(images):
            place = QRectF(
                rect.left() + 5 + k * (PICTURE.width() + 2),
                rect.top() + 5,
                PICTURE.width(),
                PICTURE.height(),
            )
            if image is not None:
                painter.drawImage(place, image)
            else:
                painter.fillRect(place, t.color("rule"))
        left, width = rect.left() + 6, rect.width() - 12
        first = QRectF(left, rect.top() + PICTURE.height() + 8, width, 18)
        painter.setFont(themes.sans(9, bold=True))
        painter.setPen(t.color("ink"))
        painter.drawText(
            first, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, row.title
        )
        painter.setPen(t.color("doubt" if row.doubtful else "faint"))
        off = "by hand" if row.by_hand else ("◆ " if row.doubtful else "") + f"{row.off} %"
        painter.drawText(first, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, off)
        painter.setFont(themes.sans(8.5))
        painter.setPen(t.color("faint"))
        metrics = painter.fontMetrics()
        worn = metrics.elidedText(row.wearers, Qt.TextElideMode.ElideRight, int(width))
        painter.drawText(
            first.translated(0, 18),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            worn,
        )
        painter.restore()


class PairsView(QListWidget):
    """Gestures in two pictures each; choosing one shows it large."""

    gesture_chosen = Signal(str)

    def __init__(self, staging: Staging, theme: Theme) -> None:
        super().__init__()
        self._staging = staging
        self._painter = PairPainter(theme)
        self._meant: dict[str, QImage] = {}
        self._round = 0
        self.setItemDelegate(self._painter)
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setMovement(QListWidget.Movement.Static)
        self.setUniformItemSizes(True)
        self.setAccessibleName("Gestures, as meant and as worn")
        self.currentItemChanged.connect(self._choose)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.gesture_chosen.emit(item.data(ROW).gesture)

    def set_theme(self, theme: Theme) -> None:
        self._painter.theme = theme
        self.viewport().update()

    @property
    def gesture(self) -> str:
        """What is chosen; "" if nothing is."""
        item = self.currentItem()
        return str(item.data(ROW).gesture) if item is not None else ""

    def show_rows(self, rows: Sequence[GestureRow]) -> None:
        """The gestures of a head; pictures come as they are drawn."""
        now = self.gesture
        old = {
            self.item(k).data(ROW).gesture: self.item(k).data(IMAGES) for k in range(self.count())
        }
        with QSignalBlocker(self):
            self.clear()
            for row in rows:
                item = QListWidgetItem()
                item.setData(ROW, row)
                item.setData(
                    IMAGES, [self._meant.get(row.gesture), old.get(row.gesture, [None, None])[1]]
                )
                item.setData(
                    Qt.ItemDataRole.AccessibleTextRole,
                    f"{row.title}, worn by {row.wearers}, {row.off} per cent off",
                )
                item.setToolTip(f"{row.title}: {row.why}")
                self.addItem(item)
                if row.gesture == now:
                    self.setCurrentItem(item)

    def draw(self, worn: dict[str, Ask]) -> None:
        """Draw the pictures: ours once, theirs for these poses."""
        self._round += 1
        for gesture in (self.item(k).data(ROW).gesture for k in range(self.count())):
            if gesture not in self._meant:
                ours = Ask("mabel", (0, 0, 0, 0, 0), values=dict(MEANT[gesture]))
                self._wish(gesture, ours, 0)
            if gesture in worn:
                self._wish(gesture, worn[gesture], 1)

    def _wish(self, gesture: str, ask: Ask, place: int) -> None:
        ratio = 2 if self.devicePixelRatioF() > 1 else 1
        ask = msgspec.structs.replace(ask, camera=astuple(VIEWS["mouth"]))
        request = Request(
            [ask], (PICTURE.width() * ratio, PICTURE.height() * ratio), "paper", False
        )
        turn = self._round

        def take(image: QImage | None, problem: str) -> None:
            if image is None or (place and turn != self._round):
                return
            if place == 0:
                self._meant[gesture] = image
            for k in range(self.count()):
                item = self.item(k)
                if item.data(ROW).gesture == gesture:
                    images = list(item.data(IMAGES))
                    images[place] = image
                    item.setData(IMAGES, images)

        self._staging.draw((id(self), gesture, place), request, take)
