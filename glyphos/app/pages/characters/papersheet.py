"""The exposure sheet on the screen: a row a frame, read down the page as on paper."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from ....handoff.exposure import Row
from ...drawing.theme import Theme

COLUMNS = ("frame", "seconds", "wave", "sound", "word", "mouth", "eyes", "notes")
WIDTHS = (46, 58, 56, 46, 90, 120, 80, 90)
WAVE, MOUTH = COLUMNS.index("wave"), COLUMNS.index("mouth")
Index = QModelIndex | QPersistentModelIndex


class SheetModel(QAbstractTableModel):
    """Rows of a sheet."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: Sequence[Row] = ()
        self.names: dict[str, str] = {}

    def show_rows(self, rows: Sequence[Row], names: dict[str, str]) -> None:
        same = len(rows) == len(self.rows)
        if not same:
            self.beginResetModel()
        self.rows, self.names = rows, names
        if same and rows:
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(COLUMNS) - 1))
        elif not same:
            self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(row, index.column())
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() < 2:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def _text(self, row: Row, column: int) -> str:
        name = COLUMNS[column]
        if name == "seconds":
            return f"{row.seconds:.3f}"
        if name == "wave":
            return ""
        if name == "mouth":
            return self.names.get(row.mouth, row.mouth) if row.mouth else "│"
        return str(getattr(row, name))


class WaveDelegate(QStyledItemDelegate):
    """Paints the sound down the page."""

    def __init__(self, model: SheetModel, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._model = model

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        super().paint(painter, option, index)
        low, high = self._model.rows[index.row()].wave
        box = option.rect
        middle, reach = box.center().x(), box.width() / 2 - 3
        color = QColor(self.theme.color("faint"))
        painter.fillRect(
            int(middle + low * reach),
            box.top(),
            max(1, int((high - low) * reach)),
            box.height(),
            color,
        )


class PaperSheet(QTableView):
    """The sheet; the row of the playhead is marked, a click on a row goes there."""

    went = Signal(int)  # number of a row

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.sheet = SheetModel()
        self.setModel(self.sheet)
        self.wave = WaveDelegate(self.sheet, theme)
        self.setItemDelegateForColumn(WAVE, self.wave)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(True)
        self.setAccessibleName("Exposure sheet")
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(self.fontMetrics().height() + 2)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        for column, width in enumerate(WIDTHS):
            self.setColumnWidth(column, width)
        self.horizontalHeader().setStretchLastSection(True)
        self._quiet = False
        self.selectionModel().currentRowChanged.connect(self._go)

    def show_rows(self, rows: Sequence[Row], names: dict[str, str]) -> None:
        self.sheet.show_rows(rows, names)

    def mark(self, row: int) -> None:
        """The playhead is on a row."""
        if 0 <= row < len(self.sheet.rows) and row != self.currentIndex().row():
            self._quiet = True
            self.setCurrentIndex(self.sheet.index(row, MOUTH))
            self._quiet = False

    def _go(self, now: QModelIndex, _: QModelIndex) -> None:
        if not self._quiet and now.isValid():
            self.went.emit(now.row())
