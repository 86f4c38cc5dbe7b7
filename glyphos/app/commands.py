"""Every command of the window: its words, its keys, what it does. One list feeds the menus, the
palette, the shortcut sheet, tooltips and context menus."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from ..errors import GlyphosError


@dataclass(frozen=True)
class Command:
    """`name` is for code, `text` for people; `keys` as Qt writes them, several with a space."""

    name: str
    text: str
    group: str
    run: Callable[[], object]
    keys: str = ""


class Commands:
    """Commands by name, each with an action of the window."""

    def __init__(self, window: QWidget, tell: Callable[[str], None]) -> None:
        self._window = window
        self._tell = tell
        self.all: dict[str, Command] = {}
        self.actions: dict[str, QAction] = {}

    def add(
        self, name: str, text: str, group: str, run: Callable[[], object], keys: str = ""
    ) -> None:
        """Register a command; its keys work in the whole window."""
        command = Command(name, text, group, run, keys)
        action = QAction(text, self._window)
        action.setShortcuts([QKeySequence(k) for k in keys.split()])
        action.triggered.connect(lambda: self.do(name))
        action.setToolTip(f"{text} ({self.keys(command)})" if keys else text)
        self._window.addAction(action)
        self.all[name], self.actions[name] = command, action

    def do(self, name: str) -> None:
        """Run a command; what goes wrong is told as a sentence."""
        try:
            self.all[name].run()
        except GlyphosError as error:
            self._tell(str(error))

    def keys(self, command: Command) -> str:
        """Keys as they are shown to a person."""
        native = QKeySequence.SequenceFormat.NativeText
        return " or ".join(QKeySequence(k).toString(native) for k in command.keys.split())

    def found(self, text: str) -> list[Command]:
        """Commands whose words hold every word of `text`, those that begin with it first."""
        words = text.lower().split()
        hits = [
            c for c in self.all.values()
            if all(w in f"{c.text} {c.group} {self.keys(c)}".lower() for w in words)
        ]  # fmt: skip
        return sorted(hits, key=lambda c: not c.text.lower().startswith(text.lower()))
