"""The command palette and the shortcut sheet: type to find, Enter to do."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from .commands import Commands


class Finder(QDialog):
    """A list of commands that narrows as one types. `sheet`: grouped, to be read."""

    def __init__(self, commands: Commands, parent: QWidget | None = None, *, sheet: bool) -> None:
        super().__init__(parent)
        self.commands = commands
        self.sheet = sheet
        self.setWindowTitle("Shortcuts" if sheet else "Find a command")
        self.resize(560, 560 if sheet else 420)
        self.search = QLineEdit()
        self.search.setPlaceholderText("What do you want to do?")
        self.search.setAccessibleName("Search commands")
        self.search.setClearButtonEnabled(True)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Commands")
        self.list.setHeaderLabels(["Command", "Keys"])
        self.list.setHeaderHidden(not sheet)
        self.list.setRootIsDecorated(False)
        self.list.header().setStretchLastSection(False)
        self.list.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.list.header().setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        layout = QVBoxLayout(self)
        layout.addWidget(self.search)
        layout.addWidget(self.list)
        self.search.textChanged.connect(self._fill)
        self.search.returnPressed.connect(self._run)
        self.list.itemActivated.connect(lambda *_: self._run())
        self._fill("")
        self.search.setFocus()

    def _fill(self, text: str) -> None:
        self.list.clear()
        group = ""
        for command in self.commands.found(text, everywhere=self.sheet):
            if self.sheet and not text and command.group != group:
                group = command.group
                heading = QTreeWidgetItem([group])
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                font = heading.font(0)
                font.setBold(True)
                heading.setFont(0, font)
                self.list.addTopLevelItem(heading)
            item = QTreeWidgetItem([command.text, self.commands.keys(command)])
            item.setData(0, Qt.ItemDataRole.UserRole, command.name)
            item.setToolTip(0, command.group)
            self.list.addTopLevelItem(item)
        self._step(0)

    def _step(self, by: int) -> None:
        rows = [
            k for k in range(self.list.topLevelItemCount())
            if self.list.topLevelItem(k).data(0, Qt.ItemDataRole.UserRole)
        ]  # fmt: skip
        if not rows:
            return
        current = self.list.indexOfTopLevelItem(self.list.currentItem())
        at = rows.index(current) + by if current in rows else 0
        self.list.setCurrentItem(self.list.topLevelItem(rows[min(max(at, 0), len(rows) - 1)]))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step:
            self._step(step)
        else:
            super().keyPressEvent(event)

    def _run(self) -> None:
        item = self.list.currentItem()
        name = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        if name:
            self.accept()
            self.commands.do(name)
