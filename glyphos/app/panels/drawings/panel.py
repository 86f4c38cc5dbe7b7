"""How a character's drawings are held: on ones, twos or threes, how dear a change is, how short."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QSlider, QSpinBox, QVBoxLayout, QWidget

from ....characters.drawings.documents import Wish
from ....production.documents import Character
from ....production.kinds import character_key
from ...dialogs.common import combo
from ...drawing.readout import Readout
from ...drawing.words import sentence
from ...model.context import Context

STEPS = [(1, "on ones"), (2, "on twos"), (3, "on threes"), (4, "on fours")]
FINE = 50  # steps of the slider for the usual cost
MOST = 5.0  # times the usual cost


class HoldingPanel(QWidget):
    """Three settings of the drawings of whoever speaks, and what they come to on the line."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.step = combo("Changes come", [(str(n), text) for n, text in STEPS], "1")
        self.change = QSlider(Qt.Orientation.Horizontal)
        self.change.setRange(0, round(MOST * FINE))
        self.change.setPageStep(FINE // 5)
        self.change.setAccessibleName("Cost of a change")
        self.change.setToolTip("Dearer changes come less often; closures are shown all the same")
        self.value = Readout("0.00× ")
        self.hold = QSpinBox()
        self.hold.setRange(1, 48)
        self.hold.setSuffix(" frames")
        self.hold.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.hold.setAccessibleName("Shortest hold")
        self.hold.setToolTip(
            "A drawing stands for at least so long; closures and teeth on lip one frame less"
        )
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setAccessibleName("What it comes to")
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        rows: tuple[tuple[str, QWidget], ...] = (
            ("Chan&ges come", self.step), ("&Cost of a change", self.change), ("Shortest &hold", self.hold),
        )  # fmt: skip
        for row, (text, field) in enumerate(rows):
            label = QLabel(text)
            label.setBuddy(field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        grid.addWidget(self.value, 1, 2)
        grid.setColumnStretch(1, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 10)
        column.addLayout(grid)
        column.addWidget(self.said)
        column.addStretch(1)
        self.step.activated.connect(lambda _: self._take(step=int(self.step.currentData())))
        self.change.valueChanged.connect(lambda v: self._take(change=v / FINE))
        self.hold.valueChanged.connect(lambda v: self._take(hold=v))
        context.exposing.sheet_ready.connect(self._show)
        context.document.changed.connect(lambda keys: self._show_wish())
        context.selection.line_changed.connect(self._show)
        self._show()

    @property
    def character(self) -> Character | None:
        return self._c.exposing.character

    def _take(self, **changes: object) -> None:
        character = self.character
        if character is None or character.drawings is None:
            return
        wish = msgspec.structs.replace(character.drawings.wish, **changes)
        if wish == character.drawings.wish:
            return
        drawings = msgspec.structs.replace(character.drawings, wish=wish)
        made = msgspec.structs.replace(character, drawings=drawings)
        self._c.document.change(
            "Hold drawings otherwise", {character_key(made.slug): made}, merge=True
        )

    def _show_wish(self) -> None:
        character = self.character
        wish = character.drawings.wish if character and character.drawings else Wish()
        self.setEnabled(character is not None)
        for widget, value in ((self.change, round(wish.change * FINE)), (self.hold, wish.hold)):
            with QSignalBlocker(widget):
                widget.setValue(value)
        with QSignalBlocker(self.step):
            self.step.setCurrentIndex(max(0, self.step.findData(str(wish.step))))
        self.value.setText(f"{wish.change:.2f}×")

    def _show(self) -> None:
        from ....characters.drawings.sheet import said_of

        self._show_wish()
        sheet = self._c.exposing.sheet
        if self.character is None:
            said = ["Whoever speaks this line is not made of drawings."]
        else:
            said = said_of(sheet) if sheet is not None else []
        text = ". ".join(sentence(s) for s in said)
        if text != self.said.text():
            self.said.setText(text)
