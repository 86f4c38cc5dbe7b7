"""One gesture: why it is worn as it is, sliders to wear it by hand; and one channel: its range, its
limit, whether it is left alone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ....characters.fittings import Fitting
from ...dialogs.common import combo
from ...drawing.readout import Readout
from .gestures import GestureRow

RANGES = {
    "0 to 1": (0.0, 1.0),
    "0 to 100": (0.0, 100.0),
    "−1 to 1": (-1.0, 1.0),
    "0 to 90 degrees": (0.0, 90.0),
    "−45 to 45 degrees": (-45.0, 45.0),
}
FULL = 100


class Amount(QWidget):
    """A named slider with its value in words."""

    moved = Signal(float)
    let_go = Signal(float)

    def __init__(self, name: str, low: float, high: float) -> None:
        super().__init__()
        self.name = name
        self._low, self._high = low, high
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(round(low * FULL), round(high * FULL))
        self.slider.setAccessibleName(name)
        self.value_label = Readout("−0.00 ")
        label = QLabel(name)
        label.setMinimumWidth(96)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for widget, room in ((label, 0), (self.slider, 1), (self.value_label, 0)):
            row.addWidget(widget, room)
        self.slider.valueChanged.connect(self._move)
        self.slider.sliderReleased.connect(lambda: self.let_go.emit(self.value))

    @property
    def value(self) -> float:
        return self.slider.value() / FULL

    def show_value(self, value: float) -> None:
        """Without telling anyone."""
        with QSignalBlocker(self.slider):
            self.slider.setValue(round(value * FULL))
        self.value_label.setText(f"{value:.2f}")

    def _move(self) -> None:
        self.value_label.setText(f"{self.value:.2f}")
        self.moved.emit(self.value)
        if not self.slider.isSliderDown():
            self.let_go.emit(self.value)


class GestureDetails(QWidget):
    """Wears one gesture by hand."""

    tried = Signal(dict)  # cells, while a slider moves
    set_by_hand = Signal(object)  # cells, or None: as it is found
    strength_set = Signal(float)
    answer_set = Signal(float)
    copied = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.title = QLabel(objectName="heading")
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.why.setAccessibleName("Why it is worn so")
        self.cells_area = QVBoxLayout()
        self.amounts: dict[str, Amount] = {}
        self.more = QComboBox()
        self.more.setAccessibleName("Another channel for this gesture")
        self.more.setToolTip("Another channel for this gesture")
        self.as_found = QPushButton("As &found")
        self.copy = QPushButton("&Copy left to right")
        self.strength, self.answer = Amount("Strength", 0, 2), Amount("Answer", 0.3, 3)
        self.answer.setToolTip("1 is straight; less answers sooner, more later")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        for part in (self.title, self.why):
            column.addWidget(part)
        column.addLayout(self.cells_area)
        row = QHBoxLayout()
        for button in (self.more, self.as_found, self.copy):
            row.addWidget(button)
        column.addLayout(row)
        column.addWidget(self.strength)
        column.addWidget(self.answer)
        self.more.activated.connect(self._add)
        self.as_found.clicked.connect(lambda: self.set_by_hand.emit(None))
        self.copy.clicked.connect(self.copied)
        self.strength.let_go.connect(self.strength_set)
        self.answer.let_go.connect(self.answer_set)

    @property
    def cells(self) -> dict[str, float]:
        return {n: a.value for n, a in self.amounts.items()}

    def show_row(
        self, row: GestureRow | None, channels: Sequence[str], fitting: Fitting, fixed: bool
    ) -> None:
        """fixed: the head says itself how it is played, so nothing is worn by hand."""
        self.setEnabled(row is not None)
        self.title.setText(row.title if row else "Choose a gesture")
        self.why.setText(f"{row.why}." if row else "")
        worn: Mapping[str, float] = row.worn if row and not fixed else {}
        if list(self.amounts) != list(worn):
            for amount in self.amounts.values():
                self.cells_area.removeWidget(amount)
                amount.deleteLater()
            self.amounts = {}
            for name in worn:
                self._slider(name)
        for name, value in worn.items():
            self.amounts[name].show_value(value)
        with QSignalBlocker(self.more):
            self.more.clear()
            self.more.addItem("add one…", "")
            for channel in channels:
                if channel not in worn:
                    self.more.addItem(channel, channel)
        for widget in (self.more, self.as_found, self.copy):
            widget.setVisible(not fixed)
        self.as_found.setEnabled(bool(row and row.by_hand))
        base = row.gesture.split(" ")[0] if row else ""
        self.strength.show_value(fitting.strength.get(base, 1.0))
        self.answer.show_value(fitting.answers.get(base, 1.0))

    def _slider(self, name: str) -> None:
        amount = Amount(name, 0, 1)
        amount.moved.connect(lambda _: self.tried.emit(self.cells))
        amount.let_go.connect(lambda _: self.set_by_hand.emit(self.cells))
        self.amounts[name] = amount
        self.cells_area.addWidget(amount)

    def _add(self) -> None:
        channel = self.more.currentData()
        if channel:
            self.set_by_hand.emit({**self.cells, channel: 0.5})


class ChannelDetails(QWidget):
    """Settings of one channel of the model."""

    range_set = Signal(str, object)
    limit_set = Signal(str, float)
    never_set = Signal(str, bool)

    def __init__(self) -> None:
        super().__init__()
        self.channel = QComboBox()
        self.channel.setAccessibleName("Channel")
        self.what = QLabel()
        self.what.setWordWrap(True)
        self.range = combo("Range", [(n, n) for n in RANGES], "0 to 1")
        self.limit = Amount("Limit", 0, 1)
        self.never = QCheckBox("Leave it alone")
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.addWidget(QLabel("Channel", objectName="heading"), 0, 0)
        grid.addWidget(self.channel, 0, 1)
        grid.addWidget(self.what, 1, 0, 1, 2)
        grid.addWidget(QLabel("Range"), 2, 0)
        grid.addWidget(self.range, 2, 1)
        grid.addWidget(self.limit, 3, 0, 1, 2)
        grid.addWidget(self.never, 4, 0, 1, 2)
        grid.setColumnStretch(1, 1)
        self._fitting = Fitting()
        self._said: Mapping[str, str] = {}
        self.channel.activated.connect(lambda _: self._show())
        self.range.activated.connect(
            lambda _: self.range_set.emit(self.name, RANGES[self.range.currentText()])
        )
        self.limit.let_go.connect(lambda v: self.limit_set.emit(self.name, v))
        self.never.clicked.connect(lambda on: self.never_set.emit(self.name, on))

    @property
    def name(self) -> str:
        return self.channel.currentText()

    def show_channels(self, said: Mapping[str, str], fitting: Fitting) -> None:
        """said: what is known of each channel, in words."""
        now = self.name
        self._fitting, self._said = fitting, said
        if [self.channel.itemText(k) for k in range(self.channel.count())] != list(said):
            with QSignalBlocker(self.channel):
                self.channel.clear()
                self.channel.addItems(list(said))
                if now in said:
                    self.channel.setCurrentText(now)
        self._show()

    def _show(self) -> None:
        name, fitting = self.name, self._fitting
        self.setEnabled(bool(name))
        self.what.setText(self._said.get(name, ""))
        wanted = tuple(fitting.ranges.get(name, (0.0, 1.0)))
        known = [n for n, r in RANGES.items() if r == wanted]
        with QSignalBlocker(self.range):
            self.range.setCurrentText(known[0] if known else "0 to 1")
        self.limit.show_value(fitting.limits.get(name, 1.0))
        with QSignalBlocker(self.never):
            self.never.setChecked(name in fitting.never)
