"""The cast: every character, its model, whose lines it speaks, what needs a look."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....production.documents import Character


@dataclass(frozen=True)
class Entry:
    """A character as the list shows it."""

    character: Character
    kept: bool  # a document, not one of ours that stands in
    model: str
    lines: int
    note: str = ""


class CastList(QWidget):
    """Choose a character, add one, give one to a speaker."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.list = QListWidget()
        self.list.setAccessibleName("Cast")
        self.list.setWordWrap(True)
        self.list.setSpacing(4)
        self.add_button = QPushButton("&Add a head…")
        self.add_button.setToolTip(
            "A model with morph targets or a jaw bone: glTF, VRM or USD; or drop one here"
        )
        self.remove_button = QPushButton("&Remove")
        self.speaker = QComboBox()
        self.speaker.setEditable(True)
        self.speaker.lineEdit().setPlaceholderText("a speaker")
        self.speaker.setAccessibleName("Speaker")
        self.give_button = QPushButton("&Give to", objectName="go")
        self.give_button.setToolTip("All lines of this speaker are spoken by the character")
        self.export_button, self.import_button = (
            QPushButton("Fitting to file…"),
            QPushButton("From file…"),
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 8, 10)
        column.addWidget(QLabel("Cast", objectName="heading"))
        column.addWidget(self.list, 1)
        for pair in (
            (self.add_button, self.remove_button),
            (self.give_button, self.speaker),
            (self.export_button, self.import_button),
        ):
            row = QHBoxLayout()
            for k, widget in enumerate(pair):
                row.addWidget(widget, k if pair[0] is self.give_button else 1)
            column.addLayout(row)
        self.list.currentItemChanged.connect(self._choose)

    def show_entries(self, entries: Sequence[Entry], now: str, speakers: Sequence[str]) -> None:
        """The cast, with one of them chosen."""
        with QSignalBlocker(self.list):
            self.list.clear()
            for entry in entries:
                who = f"{entry.character.name}\n{entry.model}\nspeaks {entry.lines} {'line' if entry.lines == 1 else 'lines'}"
                item = QListWidgetItem(who + (f"\n◆ {entry.note}" if entry.note else ""))
                item.setData(Qt.ItemDataRole.UserRole, entry.character.slug)
                self.list.addItem(item)
                if entry.character.slug == now:
                    self.list.setCurrentItem(item)
        typed = self.speaker.currentText()
        if [self.speaker.itemText(k) for k in range(self.speaker.count())] != list(speakers):
            with QSignalBlocker(self.speaker):
                self.speaker.clear()
                self.speaker.addItems(list(speakers))
                if typed:
                    self.speaker.setCurrentText(typed)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))
