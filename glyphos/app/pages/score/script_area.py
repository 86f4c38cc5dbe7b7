"""What is said, to be written: the script of the line, its language, and Listen."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....production.kinds import line_key
from ...model.context import Context

LANGUAGES = {
    "en": "English", "en-gb": "English, British", "it": "Italian", "es": "Spanish", "de": "German", "fr": "French",
    "pt": "Portuguese", "pl": "Polish", "ja": "Japanese", "hi": "Hindi",
}  # fmt: skip
OTHER = "more"


class ScriptArea(QWidget):
    """Follows the current line; typing goes to the document."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.script = QPlainTextEdit()
        self.script.setPlaceholderText("What is said: type or paste the script here")
        self.script.setAccessibleName("Script")
        self.script.setTabChangesFocus(True)
        self.script.setMaximumHeight(66)
        self.listen_button = QPushButton("L&isten", objectName="go")
        self.listen_button.setToolTip(
            "Find every word and sound of the script in the recording (F5)"
        )
        self.listen_button.setAccessibleName("Listen")
        self.language = QComboBox()
        self.language.setAccessibleName("Language of the line")
        for code, name in LANGUAGES.items():
            self.language.addItem(name, code)
        self.language.addItem("another…", OTHER)
        self.language.setToolTip("Language that is spoken, in all lines that are chosen")
        side = QVBoxLayout()
        side.setSpacing(4)
        side.addWidget(self.language)
        side.addWidget(self.listen_button)
        side.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 14, 4)
        row.setSpacing(10)
        row.addWidget(self.script, 1)
        row.addLayout(side)
        self.script.textChanged.connect(self._typed)
        context.current.line_changed.connect(self._show)
        context.current.script_changed.connect(self._show)
        self._show()

    def set_script(self, text: str) -> None:
        """Another script, as if it were typed."""
        self.script.setPlainText(text)

    def _typed(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is not None:
            new = msgspec.structs.replace(line, script=self.script.toPlainText())
            self._c.document.change("Edit script", {line_key(line.slug): new}, typing=True)

    def _show(self) -> None:
        line = self._c.current.line
        for widget in (self.script, self.listen_button, self.language):
            widget.setEnabled(line is not None)
        text = line.script if line else ""
        if text != self.script.toPlainText():
            with QSignalBlocker(self.script):
                self.script.setPlainText(text)
        if line is not None:
            at = self.language.findData(line.language)
            if at < 0:
                self.language.insertItem(self.language.count() - 1, line.language, line.language)
                at = self.language.findData(line.language)
            self.language.setCurrentIndex(at)
