"""Levels of a scene: how loud each lane is, which are mute, which alone, which locked."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QGridLayout,
    QLabel,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ....scene.documents import Lane, Scene
from ...drawing.readout import Readout
from ...drawing.scrolled import Scrolled
from .paint import called

LOWEST, HIGHEST, STEPS = -48, 12, 2  # dB of a slider, steps a dB
WAYS = (("mute", "Mute"), ("solo", "Alone"), ("lock", "Lock"))


class Row:
    """The widgets of one lane."""

    def __init__(self) -> None:
        self.name = QLabel()
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(LOWEST * STEPS, HIGHEST * STEPS)
        self.slider.setPageStep(3 * STEPS)
        self.value = Readout("−48.0", name="faint")
        self.buttons: dict[str, QPushButton] = {}
        for what, text in WAYS:
            button = QPushButton(text, objectName="tiny")
            button.setCheckable(True)
            self.buttons[what] = button


class Levels(QWidget):
    """A row for each lane."""

    def __init__(self, change: Callable[..., object]) -> None:
        """change(lane, done, **values): a lane is wanted otherwise."""
        super().__init__()
        self._change = change
        self._rows: list[Row] = []
        self._showing = False
        self._looks: object = None
        self._inner = QWidget()
        self._grid = QGridLayout(self._inner)
        self._grid.setContentsMargins(16, 2, 12, 4)
        self._grid.setHorizontalSpacing(4)
        self._grid.setVerticalSpacing(2)
        self._grid.setColumnStretch(1, 1)
        self.frame = Scrolled()
        self.frame.setWidget(self._inner)
        self._inner.setObjectName("panel")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.frame)

    def show_scene(self, scene: Scene | None) -> None:
        """Show the levels of a scene."""
        lanes = scene.lanes if scene is not None else ()
        looks = [(x.name, x.gain, x.mute, x.solo, x.lock) for x in lanes]
        if looks == self._looks:
            return
        self._looks = looks
        self._showing = True
        while len(self._rows) < len(lanes):
            self._add()
        for k, row in enumerate(self._rows):
            there = k < len(lanes)
            for widget in (row.name, row.slider, row.value, *row.buttons.values()):
                widget.setVisible(there)
            if there:
                self._show(row, lanes[k])
        self._showing = False
        tall = self._inner.sizeHint().height() if lanes else 0
        most = (self._rows[0].buttons["mute"].sizeHint().height() + 3) * 5 + 8 if self._rows else 0
        self.frame.setFixedHeight(max(0, min(tall, most)))

    @staticmethod
    def _show(row: Row, lane: Lane) -> None:
        metrics = row.name.fontMetrics()
        row.name.setText(metrics.elidedText(called(lane.name), Qt.TextElideMode.ElideRight, 74))
        row.name.setToolTip(called(lane.name))
        if not row.slider.isSliderDown():
            row.slider.setValue(round(lane.gain * STEPS))
        row.slider.setAccessibleName(f"Level of {called(lane.name)}")
        row.value.setText(f"{lane.gain:+.1f}")
        for what, text in WAYS:
            button = row.buttons[what]
            button.setChecked(getattr(lane, what))
            button.setAccessibleName(f"{text} {called(lane.name)}")
            button.setToolTip(f"{text} {called(lane.name)}")

    def _add(self) -> None:
        row, k = Row(), len(self._rows)
        self._rows.append(row)
        self._grid.addWidget(row.name, k, 0)
        self._grid.addWidget(row.slider, k, 1)
        self._grid.addWidget(row.value, k, 2)
        for column, button in enumerate(row.buttons.values(), 3):
            self._grid.addWidget(button, k, column)
        row.slider.valueChanged.connect(partial(self._slid, k))
        row.slider.sliderReleased.connect(lambda: self._slid(k, row.slider.value(), released=True))
        for what, button in row.buttons.items():
            button.clicked.connect(partial(self._flip, k, what))

    def _slid(self, lane: int, value: int, *, released: bool = False) -> None:
        if not self._showing:
            done = released or not self._rows[lane].slider.isSliderDown()
            self._change(lane, done, gain=value / STEPS)

    def _flip(self, lane: int, what: str, *_: object) -> None:
        self._change(lane, True, **{what: self._rows[lane].buttons[what].isChecked()})

    def row(self, lane: int) -> Row:
        """Widgets of a lane."""
        return self._rows[lane]
