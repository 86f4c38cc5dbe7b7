"""One drawing by hand: opening, width, switches, its offset; and where drawings lie on the head."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....characters.drawings.documents import Mouth, Placing, View
from ....characters.drawings.pad import Pad, pad_of
from ...dialogs.common import number
from .details import Amount


class MouthDetails(QWidget):
    """What the chosen mouth shows."""

    pad_set = Signal(object)
    offset_set = Signal(float, float)
    found_again = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.title = QLabel(objectName="heading")
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.opening, self.width_ = Amount("Opening", 0, 1), Amount("Width", -1, 1)
        self.opening.setToolTip("0 is shut, 1 wide open")
        self.width_.setToolTip("−1 is puckered, 1 spread")
        self.bites, self.tongue, self.pressed = (
            QCheckBox("Teeth on lip"),
            QCheckBox("Tongue up"),
            QCheckBox("Pressed"),
        )
        self.right, self.down = (number(f"Offset {n}", -5000, 5000, 1) for n in ("right", "down"))
        self.found = QPushButton("As &found")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        row = QHBoxLayout()
        row.addWidget(self.title, 1)
        row.addWidget(self.found)
        column.addLayout(row)
        column.addWidget(self.why)
        column.addWidget(self.opening)
        column.addWidget(self.width_)
        row = QHBoxLayout()
        for box in (self.bites, self.tongue, self.pressed):
            row.addWidget(box)
        column.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(QLabel("Offset"))
        row.addWidget(self.right)
        row.addWidget(self.down)
        column.addLayout(row)
        self._pad = Pad()
        self.opening.let_go.connect(lambda v: self.pad_set.emit(replace(self._pad, opening=v)))
        self.width_.let_go.connect(lambda v: self.pad_set.emit(replace(self._pad, width=v)))
        self.bites.clicked.connect(lambda on: self.pad_set.emit(replace(self._pad, bites=on)))
        self.tongue.clicked.connect(lambda on: self.pad_set.emit(replace(self._pad, tongue=on)))
        self.pressed.clicked.connect(lambda on: self.pad_set.emit(replace(self._pad, pressed=on)))
        for field in (self.right, self.down):
            field.valueChanged.connect(
                lambda _: self.offset_set.emit(self.right.value(), self.down.value())
            )
        self.found.clicked.connect(self.found_again)

    def show_mouth(self, mouth: Mouth | None, name: str, why: str) -> None:
        self.setEnabled(mouth is not None)
        self.title.setText(name)
        self.why.setText(why[:1].upper() + why[1:])
        if mouth is None:
            return
        self._pad = pad_of(mouth.pose)
        self.opening.show_value(self._pad.opening)
        self.width_.show_value(self._pad.width)
        for box, on in (
            (self.bites, self._pad.bites),
            (self.tongue, self._pad.tongue),
            (self.pressed, self._pad.pressed),
        ):
            box.setChecked(on)
        for field, value in zip((self.right, self.down), mouth.offset, strict=True):
            with QSignalBlocker(field):
                field.setValue(value)


class PlaceDetails(QWidget):
    """Where mouths, eyes or brows lie on the picture of the head."""

    placed = Signal(object)
    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.which = QComboBox()
        self.which.setAccessibleName("What is placed")
        self.right, self.down = (
            number("Place right", -20_000, 20_000, 1),
            number("Place down", -20_000, 20_000, 1),
        )
        self.scale = number("Scale", 1, 5000, 1, " %", 1)
        self.turn = number("Turn", -180, 180, 1, "°")
        self.anchor_right, self.anchor_down = (
            number("Anchor right", 0, 100, 5, " %", 0),
            number("Anchor down", 0, 100, 5, " %", 0),
        )
        self.anchor_right.setToolTip("The point of a drawing that lies at the place")
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 8, 0, 0)
        grid.addWidget(QLabel("On the head", objectName="heading"), 0, 0)
        grid.addWidget(self.which, 0, 1, 1, 2)
        for row, (text, fields) in enumerate(
            (
                ("At", (self.right, self.down)),
                ("Scale, turn", (self.scale, self.turn)),
                ("Anchor", (self.anchor_right, self.anchor_down)),
            ),
            1,
        ):
            grid.addWidget(QLabel(text), row, 0)
            for k, field in enumerate(fields):
                grid.addWidget(field, row, k + 1)
        self._view = View()
        self.which.activated.connect(lambda _: self._choose())
        for field in self.fields:
            field.valueChanged.connect(lambda _: self.placed.emit(self.placing))

    @property
    def fields(self) -> tuple[QDoubleSpinBox, ...]:
        return self.right, self.down, self.scale, self.turn, self.anchor_right, self.anchor_down

    @property
    def part(self) -> str:
        """The part that is placed; "" for mouths."""
        return str(self.which.currentData() or "")

    @property
    def placing(self) -> Placing:
        return Placing(
            self.right.value(), self.down.value(), self.scale.value() / 100, self.turn.value(),
            (self.anchor_right.value() / 100, self.anchor_down.value() / 100),
        )  # fmt: skip

    def show_view(self, view: View) -> None:
        self._view = view
        names = ["", *(p.name for p in view.parts)]
        if [self.which.itemData(k) for k in range(self.which.count())] != names:
            with QSignalBlocker(self.which):
                self.which.clear()
                for name in names:
                    self.which.addItem(name or "mouths", name)
        self.setEnabled(bool(view.head))
        self._show()

    def _choose(self) -> None:
        self._show()
        self.chosen.emit(self.part)

    def _show(self) -> None:
        part = next((p for p in self._view.parts if p.name == self.part), None)
        place = part.place if part is not None else self._view.place
        values = (
            place.x,
            place.y,
            100 * place.scale,
            place.turn,
            100 * place.anchor[0],
            100 * place.anchor[1],
        )
        for field, value in zip(self.fields, values, strict=True):
            with QSignalBlocker(field):
                field.setValue(value)
