"""The lines of the production: speaker, first words, length and state."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ..production.listing import Listing
from ..production.production import STATES, Line
from . import theme as themes
from .theme import Theme

STATE_SIGNS = {
    "problem": "✗", "not listened": "○", "doubtful": "?", "listened": "●", "confirmed": "✓",
    "listening": "…",
}  # fmt: skip
STATE_COLORS = {"problem": "playhead", "not listened": "faint", "doubtful": "doubt",
                "listened": "chosen", "confirmed": "chosen", "listening": "ink"}  # fmt: skip
STATE_ROLE = Qt.ItemDataRole.UserRole + 1
Index = QModelIndex | QPersistentModelIndex


class LinesModel(QAbstractListModel):
    """Lines in their order."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: tuple[Line, ...] = ()
        self.listing = Listing()
        self.busy: frozenset[str] = frozenset()

    def state(self, line: Line) -> str:
        return "listening" if line.slug in self.busy else self.listing.state(line)

    def show(self, lines: tuple[Line, ...]) -> None:
        if [x.slug for x in lines] == [x.slug for x in self.lines]:
            changed = [
                k for k, (a, b) in enumerate(zip(self.lines, lines, strict=True)) if a is not b
            ]
            self.lines = lines
            for k in changed:
                self.dataChanged.emit(self.index(k), self.index(k))
            return
        self.beginResetModel()
        self.lines = lines
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.lines)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        line = self.lines[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return line.title
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return (
                f"{line.speaker or 'Line'}: {line.title}, {line.duration:.1f} seconds, "
                f"{self.state(line)}"
            )
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{line.title}\n{self.state(line)}" + (
                f"\n{line.problem}" if line.problem else ""
            )
        if role == STATE_ROLE:
            return self.state(line)
        return line if role == Qt.ItemDataRole.UserRole else None


class _Delegate(QStyledItemDelegate):
    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        height = QFontMetricsF(themes.sans(9)).height() + QFontMetricsF(themes.serif(12)).height()
        return QSize(180, int(height + 16))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        line: Line = index.data(Qt.ItemDataRole.UserRole)
        rect = QRectF(option.rect)
        painter.save()
        state = option.state
        if state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, self.theme.color("page"))
            painter.fillRect(
                QRectF(rect.left(), rect.top(), 4, rect.height()), self.theme.color("chosen")
            )
        if state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(self.theme.color("chosen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(rect.adjusted(1, 1, -2, -2))
        small, words = themes.sans(9, bold=True), themes.serif(12)
        top = QRectF(
            rect.left() + 14, rect.top() + 6, rect.width() - 24, QFontMetricsF(small).height() + 2
        )
        below = QRectF(top.left(), top.bottom(), top.width(), QFontMetricsF(words).height())
        shown = str(index.data(STATE_ROLE))
        painter.setFont(small)
        painter.setPen(self.theme.color(STATE_COLORS[shown]))
        sign = STATE_SIGNS[shown] + "  "
        painter.drawText(top, Qt.AlignmentFlag.AlignVCenter, sign)
        painter.setPen(self.theme.color("ink"))
        offset = QFontMetricsF(small).horizontalAdvance("●  ")
        painter.drawText(
            top.adjusted(offset, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, line.speaker or "Line"
        )
        painter.setFont(themes.sans(8.5))
        painter.setPen(self.theme.color("faint"))
        minutes, seconds = divmod(line.duration, 60)
        length = f"{int(minutes)}:{seconds:04.1f}" if minutes else f"{seconds:.1f} s"
        painter.drawText(top, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, length)
        painter.setFont(words)
        text = QFontMetricsF(words).elidedText(
            line.title, Qt.TextElideMode.ElideRight, below.width() - offset
        )
        painter.drawText(below.adjusted(offset, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)
        painter.restore()


class LinesView(QListView):
    """The list; tells which line is wanted."""

    chosen = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("lines")
        self.lines = LinesModel()
        self.setModel(self.lines)
        self.painter_of_rows = _Delegate(theme)
        self.setItemDelegate(self.painter_of_rows)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setAccessibleName("Lines")
        self.selectionModel().currentChanged.connect(self._chosen)

    def _chosen(self, index: QModelIndex, _: QModelIndex) -> None:
        if index.isValid():
            self.chosen.emit(self.lines.lines[index.row()].slug)

    def show_lines(self, lines: tuple[Line, ...], current: str | None) -> None:
        """Show lines with one of them current, without telling of it."""
        model = self.selectionModel()
        model.blockSignals(True)
        self.lines.show(lines)
        for row, line in enumerate(lines):
            if line.slug == current:
                self.setCurrentIndex(self.lines.index(row))
        model.blockSignals(False)
        self.viewport().update()

    def selected(self) -> list[str]:
        """Slugs of the selected lines, in the order shown."""
        rows = sorted(i.row() for i in self.selectionModel().selectedIndexes())
        return [self.lines.lines[r].slug for r in rows]


class LinesPanel(QWidget):
    """The list with its search, filter and sorting."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.list = LinesView(theme)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search in all scripts")
        self.search.setAccessibleName("Search in all scripts")
        self.search.setClearButtonEnabled(True)
        self.state = QComboBox()
        self.state.setAccessibleName("Show lines that are")
        self.state.addItem("all", "")
        for state in STATES:
            self.state.addItem(f"{STATE_SIGNS[state]}  {state}", state)
        self.sort = QComboBox()
        self.sort.setAccessibleName("Sort lines by")
        for value, text in (("order", "as placed"), ("speaker", "by speaker"), ("length", "by length"),
                            ("state", "by state"), ("words", "by words")):  # fmt: skip
            self.sort.addItem(text, value)
        self.heading = QLabel("Lines", objectName="heading")
        choices = QHBoxLayout()
        choices.setSpacing(4)
        for box in (self.state, self.sort):
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            box.setMinimumContentsLength(6)
            choices.addWidget(box)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 10, 0, 0)
        column.setSpacing(5)
        inner = QVBoxLayout()
        inner.setContentsMargins(8, 0, 8, 0)
        inner.setSpacing(5)
        inner.addWidget(self.heading)
        inner.addWidget(self.search)
        inner.addLayout(choices)
        column.addLayout(inner)
        column.addWidget(self.list)
        self._lines: tuple[Line, ...] = ()
        self._current: str | None = None
        self.search.textChanged.connect(self._again)
        self.state.currentIndexChanged.connect(self._again)
        self.sort.currentIndexChanged.connect(self._again)

    def show_lines(self, lines: tuple[Line, ...], current: str | None) -> None:
        """Show the production's lines as they are searched, filtered and sorted."""
        self._lines, self._current = lines, current
        self._again()

    def show_busy(self, slugs: frozenset[str]) -> None:
        """Show which lines are being listened to."""
        self.list.lines.busy = slugs
        self.list.viewport().update()

    def _again(self) -> None:
        found = self.list.lines.listing.listed(
            self._lines, text=self.search.text(), state=str(self.state.currentData()),
            sort=str(self.sort.currentData()),
        )  # fmt: skip
        self.list.show_lines(tuple(found), self._current)
        count, total = len(found), len(self._lines)
        self.heading.setText("Lines" if count == total else f"Lines · {count} of {total}")
