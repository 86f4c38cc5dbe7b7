"""Every command of the window with its action. One list feeds menus, palette, shortcut sheet and
context menus; a page's commands act only while that page is shown."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from ..model.talk import Talk
from ..page import Command


class Commands:
    """Commands by name, each with an action of the window."""

    def __init__(self, window: QWidget, talk: Talk) -> None:
        self._window, self._talk = window, talk
        self.page = ""
        self.all: dict[str, Command] = {}
        self._ranks: dict[str, int] = {}
        self.actions: dict[str, QAction] = {}

    def add(self, commands: Iterable[Command], rank: int) -> None:
        """Register commands; their keys work from now on. Menus show them in the order of ranks."""
        for command in commands:
            self._ranks[command.name] = rank
            action = QAction(command.text, self._window)
            action.setShortcuts([QKeySequence(k) for k in command.keys.split()])
            action.triggered.connect(lambda _=False, name=command.name: self.do(name))
            tip = f"{command.text} ({self.keys(command)})" if command.keys else command.text
            action.setToolTip(tip)
            self._window.addAction(action)
            action.setEnabled(self.available(command))
            self.all[command.name], self.actions[command.name] = command, action
        self.all = dict(sorted(self.all.items(), key=lambda item: self._ranks[item[0]]))

    def show_page(self, page: str) -> None:
        """Another page is shown: only its commands act, and those of all pages."""
        self.page = page
        for command in self.all.values():
            self.actions[command.name].setEnabled(self.available(command))

    def available(self, command: Command) -> bool:
        return not command.page or self.page in command.page.split()

    def do(self, name: str) -> None:
        """Run a command; what goes wrong is told as a sentence."""
        self._talk.clear()
        self._talk.try_to(self.all[name].run)

    def keys(self, command: Command) -> str:
        """Keys as they are shown to a person."""
        native = QKeySequence.SequenceFormat.NativeText
        return " or ".join(QKeySequence(k).toString(native) for k in command.keys.split())

    def found(self, text: str, *, everywhere: bool = False) -> list[Command]:
        """Commands of this page (or of all) whose words hold every word of `text`, those that
        begin with it first."""
        words = text.lower().split()
        hits = [
            c for c in self.all.values()
            if (everywhere or self.available(c))
            and all(w in f"{c.text} {c.group} {self.keys(c)}".lower() for w in words)
        ]  # fmt: skip
        groups = list(dict.fromkeys(c.group for c in self.all.values()))
        return sorted(
            hits,
            key=lambda c: (not c.text.lower().startswith(text.lower()), groups.index(c.group)),
        )
