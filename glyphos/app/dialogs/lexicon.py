"""The production's own pronunciations as the text file that they are."""

from __future__ import annotations

from PySide6.QtGui import QFont
from PySide6.QtWidgets import QDialog, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from ...errors import GlyphosError
from ...speech.lexicon import Lexicon, parse_lexicon
from ..drawing import theme as themes
from .common import buttons


class LexiconDialog(QDialog):
    """The production's own pronunciations as the text file that they are."""

    def __init__(self, lexicon: Lexicon, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Lexicon of the production")
        self.lexicon = lexicon
        self.text = QPlainTextEdit(lexicon.text())
        self.text.setAccessibleName("Lexicon")
        mono = QFont(themes.SERIF)
        mono.setPointSizeF(12 * themes.scale())
        self.text.setFont(mono)
        self.wrong = QLabel()
        self.wrong.setWordWrap(True)
        layout = QVBoxLayout(self)
        hint = QLabel(
            "A word, then its sounds: CMUdict letters, or IPA between slashes. A line each."
        )
        hint.setWordWrap(True)
        layout.addWidget(hint)
        layout.addWidget(self.text)
        layout.addWidget(self.wrong)
        layout.addWidget(buttons(self, ok="Keep"))
        self.resize(560, 420)

    def accept(self) -> None:
        try:
            self.lexicon = parse_lexicon(self.text.toPlainText())
        except GlyphosError as error:
            self.wrong.setText(str(error))
            return
        super().accept()
