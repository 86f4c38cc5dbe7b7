"""How a word is said: one of the ways that are offered, or sounds of one's own."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from ...speech.lexicon import parse_pronunciation
from ...speech.phones import Unit
from ..drawing import theme as themes
from .common import buttons

Units = tuple[Unit, ...]


def written(units: Units) -> str:
    """Sounds as IPA between slashes, stress marked."""
    marks = {1: "ˈ", 2: "ˌ"}
    return "/" + " ".join(marks.get(u.stress, "") + u.ipa for u in units) + "/"


class PronunciationDialog(QDialog):
    """Choose how a word is said: one of those offered, or sounds of one's own."""

    SCOPES = (
        ("here", "For this word &here; it stays so"),
        ("production", "For the whole &production (kept in its lexicon)"),
        ("once", "Only &once, until the line is listened to again"),
    )

    def __init__(
        self, word: str, now: Units, offered: Sequence[tuple[Units, str]],
        hear: Callable[[Units], None], parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(f"How is “{word}” said?")
        self.offered = [(now, "as it is"), *((u, s) for u, s in offered if u != now)]
        self._hear = hear
        self.list = QListWidget()
        self.list.setAccessibleName("Pronunciations")
        self.list.setFont(themes.serif(13))
        for units, source in self.offered:
            self.list.addItem(f"{written(units)}   {source}")
        self.own = QLineEdit()
        self.own.setPlaceholderText("Your own: IPA such as /ˈm eɪ b ə l/, or M EY1 B AH0 L")
        self.own.setAccessibleName("Your own pronunciation")
        self.own.setFont(themes.serif(13))
        self._filled = ""
        self.list.currentRowChanged.connect(self._fill)
        self.list.setCurrentRow(0)
        self.wrong = QLabel()
        self.hear_button = QPushButton("▶  H&ear it")
        self.hear_button.setAccessibleName("Hear it in the placeholder voice")
        self.hear_button.clicked.connect(self._play)
        self.group = QButtonGroup(self)
        scopes = QVBoxLayout()
        for k, (_, text) in enumerate(self.SCOPES):
            button = QRadioButton(text)
            button.setChecked(k == 0)
            self.group.addButton(button, k)
            scopes.addWidget(button)
        row = QHBoxLayout()
        row.addWidget(self.own, 1)
        row.addWidget(self.hear_button)
        layout = QVBoxLayout(self)
        layout.addWidget(self.list)
        layout.addLayout(row)
        layout.addWidget(self.wrong)
        layout.addLayout(scopes)
        layout.addWidget(buttons(self, ok="Say it so"))
        self.resize(520, 380)

    def _fill(self, row: int) -> None:
        """Put the chosen way in, to be written on from."""
        self._filled = written(self.offered[max(0, row)][0])
        self.own.setText(self._filled)
        self.own.selectAll()

    @property
    def scope(self) -> str:
        return self.SCOPES[max(0, self.group.checkedId())][0]

    def units(self) -> Units | None:
        """What is chosen; None, with a sentence shown, if it cannot be understood."""
        text = self.own.text().strip()
        if not text or text == self._filled:
            return self.offered[max(0, self.list.currentRow())][0]
        self.wrong.clear()
        try:
            return parse_pronunciation(text)
        except ValueError:
            pass
        try:
            return parse_pronunciation(f"/{text.strip('/')}/")
        except ValueError as error:
            self.wrong.setText(f"⚠ {error}.")
            return None

    def _play(self) -> None:
        units = self.units()
        if units:
            self._hear(units)

    def accept(self) -> None:
        if self.units():
            super().accept()
