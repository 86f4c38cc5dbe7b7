"""Script and recording side by side, where they disagree."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...speech.compare import Disagreement
from ..drawing.words import seconds_text
from .common import buttons


class CompareDialog(QDialog):
    """Script and recording side by side where they disagree; 1 keeps the script, 2 takes what
    is heard, Space plays the place."""

    played = Signal(float, float)

    def __init__(self, found: Sequence[Disagreement], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Script check")
        self.found = list(found)
        self.heard_chosen = [False] * len(self.found)
        self.table = QTableWidget(len(self.found), 4)
        self.table.setAccessibleName("Disagreements")
        self.table.setHorizontalHeaderLabels(["At", "1  Script", "2  Heard", "Take"])
        self.table.verticalHeader().hide()
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        for column in (1, 2):
            self.table.horizontalHeader().setSectionResizeMode(
                column, QHeaderView.ResizeMode.Stretch
            )
        for row, one in enumerate(self.found):
            for column, text in enumerate(
                (seconds_text(one.start), one.script or "—", one.heard or "—")
            ):
                self.table.setItem(row, column, QTableWidgetItem(text))
            self._show(row)
        layout = QVBoxLayout(self)
        layout.addWidget(
            QLabel("Press 1 to keep the script, 2 to take what is heard, Space to listen.")
        )
        layout.addWidget(self.table)
        layout.addWidget(buttons(self, ok="Change the script"))
        self.resize(640, 360)
        self.table.installEventFilter(self)
        if self.found:
            self.table.setCurrentCell(0, 0)

    def _show(self, row: int) -> None:
        self.table.setItem(
            row, 3, QTableWidgetItem("heard" if self.heard_chosen[row] else "script")
        )

    def eventFilter(self, watched: object, event: object) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            return self._key(Qt.Key(event.key()))
        return False

    def _key(self, key: Qt.Key) -> bool:
        row = self.table.currentRow()
        if row < 0:
            return False
        if key in (Qt.Key.Key_1, Qt.Key.Key_2):
            self.heard_chosen[row] = key == Qt.Key.Key_2
            self._show(row)
            self.table.setCurrentCell(min(row + 1, len(self.found) - 1), 0)
            return True
        if key == Qt.Key.Key_Space:
            self.played.emit(self.found[row].start - 0.2, self.found[row].end + 0.2)
            return True
        return False

    def chosen(self) -> list[Disagreement]:
        """Places where what is heard shall stand."""
        return [d for d, heard in zip(self.found, self.heard_chosen, strict=True) if heard]
