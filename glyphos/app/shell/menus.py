"""The menu, the palette and the shortcut sheet: three ways into the one list of commands."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu, QToolButton, QWidget

from ..model.context import Context
from .commands import Commands
from .finder import Finder
from .productions import Productions

LINE_ACTIONS = ("rename", "duplicate", "delete-line", "line-up", "line-down", "listen-all",
                "find-recording")  # fmt: skip


class Menus:
    """Fills menus when they are opened, with what can be done then."""

    def __init__(
        self, context: Context, commands: Commands, productions: Productions, button: QToolButton,
        complete: Callable[[], object],
    ) -> None:  # fmt: skip
        """complete: makes every page, for whoever reads all that can be done."""
        self._c, self.commands, self._productions = context, commands, productions
        self._complete = complete
        self.menu = QMenu(button)
        self.recent = QMenu("Open recent", self.menu)
        self.menu.aboutToShow.connect(self.fill)
        self.recent.aboutToShow.connect(self.fill_recent)
        button.setMenu(self.menu)
        context.document.history_changed.connect(self._name_steps)
        self._name_steps()

    def fill(self) -> None:
        """Groups of what can be done in the page that is shown."""
        self._complete()
        self.menu.clear()
        groups: dict[str, QMenu] = {}
        for command in self.commands.all.values():
            if not self.commands.available(command):
                continue
            if command.group not in groups:
                groups[command.group] = self.menu.addMenu(command.group)
            groups[command.group].addAction(self.commands.actions[command.name])
        if "Production" in groups:
            groups["Production"].addMenu(self.recent)
            self.fill_recent()

    def fill_recent(self) -> None:
        """Productions opened last."""
        self.recent.clear()
        for text, path in self._productions.recent():
            work = partial(self._productions.open_production, path)
            self.recent.addAction(text, partial(self._c.talk.try_to, work))
        self.recent.setEnabled(bool(self.recent.actions()))

    def _name_steps(self) -> None:
        history, actions = self._c.document.history, self.commands.actions
        for name, step in (("Undo", history.undo_name), ("Redo", history.redo_name)):
            if name.lower() in actions:
                actions[name.lower()].setText(f"{name}: {step}" if step else name)
                actions[name.lower()].setEnabled(bool(step))

    def find(self, *, sheet: bool) -> None:
        """The palette, or the sheet of all shortcuts."""
        self._complete()
        self._c.ask.show(Finder(self.commands, sheet=sheet))

    def on_lines(self, widget: QWidget) -> None:
        """What a right click on the list of lines offers."""
        for name in LINE_ACTIONS:
            widget.addAction(self.commands.actions[name])
        widget.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
