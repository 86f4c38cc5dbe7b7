"""The questions of `Ask` as dialogs of the desktop."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QFileDialog, QInputDialog, QMessageBox, QWidget


class Asking:
    """Asks on behalf of a window, once it is there; remembers the folder that was chosen last."""

    def __init__(self) -> None:
        self._window: QWidget | None = None
        self._folder = ""

    def belong_to(self, window: QWidget) -> None:
        """Ask on behalf of a window."""
        self._window = window

    def open_files(self, title: str, kinds: str, *, several: bool = False) -> list[Path]:
        if several:
            names, _ = QFileDialog.getOpenFileNames(self._window, title, self._folder, kinds)
        else:
            name, _ = QFileDialog.getOpenFileName(self._window, title, self._folder, kinds)
            names = [name] if name else []
        if names:
            self._folder = str(Path(names[0]).parent)
        return [Path(n) for n in names]

    def folder(self, title: str, *, start: Path | None = None) -> Path | None:
        where = str(start) if start is not None else self._folder
        name = QFileDialog.getExistingDirectory(self._window, title, where)
        return Path(name) if name else None

    def save_file(self, title: str, name: str, kinds: str = "") -> tuple[Path, str] | None:
        chosen, kind = QFileDialog.getSaveFileName(
            self._window, title, str(Path(self._folder) / name), kinds
        )
        if not chosen:
            return None
        self._folder = str(Path(chosen).parent)
        return Path(chosen), kind

    def choose(
        self, title: str, question: str, choices: Sequence[str], *, now: int = 0, own: bool = False
    ) -> str | None:
        text, agreed = QInputDialog.getItem(self._window, title, question, list(choices), now, own)
        return text if agreed else None

    def text(self, title: str, question: str, *, now: str = "") -> str | None:
        text, agreed = QInputDialog.getText(self._window, title, question, text=now)
        return text if agreed else None

    def decide(self, title: str, question: str, choices: Sequence[str]) -> int | None:
        box = QMessageBox(self._window)
        box.setWindowTitle(title)
        box.setText(question)
        made = [box.addButton(text, QMessageBox.ButtonRole.AcceptRole) for text in choices]
        box.setEscapeButton(made[-1])
        box.exec()
        pressed = box.clickedButton()
        return made.index(pressed) if pressed in made else None

    def show(self, dialog: Any) -> Any:
        assert isinstance(dialog, QDialog)
        window = self._window
        assert window is not None
        dialog.setParent(window, dialog.windowFlags())
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.finished.connect(lambda _: window.activateWindow())
        dialog.open()
        return dialog
