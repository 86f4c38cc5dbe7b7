"""The script of a scene, read as a play: who says what, and when; lines are put in another order by hand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QDropEvent, QFontMetricsF, QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from ....scene.editing import Where
from ...drawing import theme as themes
from ...drawing.theme import Theme
from ...drawing.words import counted
from .paint import clock

Index = QModelIndex | QPersistentModelIndex
ROLE = Qt.ItemDataRole.UserRole
WRAP = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
MOST_ROWS = 4  # of what is said in one line


@dataclass(frozen=True)
class Speech:
    """A line as it is read in the script."""

    where: Where
    speaker: str
    start: float
    text: str
    doubtful: int
    problem: str
    color: str

    @property
    def note(self) -> str:
        """What is to be looked after."""
        if self.problem:
            return "✗ missing"
        return f"{self.doubtful} doubtful" if self.doubtful else ""


class SpeechPainter(QStyledItemDelegate):
    """Paints one line: its speaker and time, and under them what is said."""

    def __init__(self, theme: Theme, view: QListWidget) -> None:
        super().__init__(view)
        self.theme, self._view = theme, view

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        speech: Speech = index.data(ROLE)
        width = self._view.viewport().width() - 40
        head = QFontMetricsF(themes.sans(9, bold=True)).height()
        return QSize(width, int(head + _text_height(speech.text, width, themes.scale()) + 14))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        speech: Speech = index.data(ROLE)
        t = self.theme
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(8, 1, -8, -1)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(t.color("chosen"))
            painter.setBrush(t.color("page"))
            painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(speech.color))
        head = QFontMetricsF(themes.sans(9, bold=True)).height()
        painter.drawEllipse(QRectF(box.left() + 8, box.top() + 5 + head / 2 - 4, 7, 7))
        inner = box.adjusted(22, 5, -8, -5)
        painter.setFont(themes.sans(9, bold=True))
        painter.setPen(t.color("ink"))
        painter.drawText(
            inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, speech.speaker
        )
        painter.setFont(themes.sans(8.5))
        painter.setPen(t.color("faint"))
        time = clock(speech.start)
        painter.drawText(inner, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, time)
        if speech.note:
            wide = QFontMetricsF(painter.font()).horizontalAdvance(time) + 12
            painter.setPen(t.color("playhead" if speech.problem else "doubt"))
            painter.drawText(
                inner.adjusted(0, 0, -wide, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, speech.note
            )  # fmt: skip
        painter.setFont(themes.serif(10.5))
        painter.setPen(t.color("ink"))
        room = inner.adjusted(0, head, 0, 3)
        painter.setClipRect(room)
        painter.drawText(room, WRAP, speech.text)
        painter.restore()


@lru_cache(4096)
def _text_height(text: str, width: float, _: float) -> float:
    """Of what is said, in rows of that many pixels, with the application's text as large as it is; all lines of a
    scene are asked for theirs whenever one moves."""
    metrics = QFontMetricsF(themes.serif(10.5))
    needed = metrics.boundingRect(QRectF(0, 0, width, 1e4), WRAP, text).height()
    return float(min(needed, MOST_ROWS * metrics.lineSpacing()))


class Script(QListWidget):
    """Lines in the order in which they begin; the one that is said is marked."""

    chosen = Signal(object)
    opened = Signal(object)
    order_wanted = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.rows = SpeechPainter(theme, self)
        self.setItemDelegate(self.rows)
        self.setObjectName("script")
        self.setAccessibleName("Script of the scene")
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._speeches: list[Speech] = []
        self.itemClicked.connect(lambda item: self.chosen.emit(item.data(ROLE).where))
        self.itemActivated.connect(lambda item: self.opened.emit(item.data(ROLE).where))

    def show_speeches(self, speeches: list[Speech]) -> None:
        """Show what is said."""
        if speeches == self._speeches:
            return
        same = [s.where for s in speeches] == [s.where for s in self._speeches] == self.order()
        self._speeches = speeches
        if not same:
            self.clear()
        for k, speech in enumerate(speeches):
            item = self.item(k) if same else QListWidgetItem()
            item.setData(ROLE, speech)
            note = f", {speech.note}" if speech.note else ""
            item.setData(
                Qt.ItemDataRole.AccessibleTextRole, f"{speech.speaker} at {clock(speech.start)}{note}: {speech.text}"
            )  # fmt: skip
            item.setToolTip(speech.problem or speech.text)
            if not same:
                self.addItem(item)
        self.scheduleDelayedItemsLayout()

    def show_chosen(self, where: Where | None) -> None:
        """Mark a line."""
        found = next((k for k, own in enumerate(self.order()) if own == where), None)
        if found is None:
            self.clearSelection()
        else:
            self.setCurrentRow(found)

    def order(self) -> list[Where]:
        """Lines as they stand now."""
        return [self.item(k).data(ROLE).where for k in range(self.count())]

    def move_line(self, by: int) -> None:
        """The marked line earlier or later in the order."""
        order, row = self.order(), self.currentRow()
        if row >= 0 and 0 <= row + by < len(order):
            order.insert(row + by, order.pop(row))
            self.order_wanted.emit(order)

    def dropEvent(self, event: QDropEvent) -> None:
        before = self.order()
        super().dropEvent(event)
        after = self.order()
        if after != before:
            self._speeches = []  # what stands there is not what was shown
            self.order_wanted.emit(after)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.scheduleDelayedItemsLayout()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.AltModifier and event.key() in (
            Qt.Key.Key_Up,
            Qt.Key.Key_Down,
        ):
            self.move_line(-1 if event.key() == Qt.Key.Key_Up else 1)
            return
        super().keyPressEvent(event)
        item = self.currentItem()
        if item is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.chosen.emit(item.data(ROLE).where)


def title_of(count: int, seconds: float) -> str:
    """`28 s · 5 lines`."""
    return f"{clock(seconds)} · {counted(count, 'line')}"
