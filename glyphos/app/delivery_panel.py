"""Delivery sliders: dragged, the ribbon and the face follow at once. A/B flips two settings."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ..motion.delivery import LIMITS, Delivery


@dataclass(frozen=True)
class Control:
    """One slider: the setting, its label, how many steps a unit has, how its value is written."""

    name: str
    label: str
    steps: float
    unit: str
    tip: str


CONTROLS = (
    Control(
        "articulation", "&Articulation", 100, "×", "Strength of every shape; closures always close"
    ),
    Control("jaw_reach", "&Jaw reach", 100, "×", "How far the jaw opens"),
    Control("lead", "&Lead", 1, " ms", "How much the mouth comes before the sound"),
    Control("smoothing", "S&moothing", 1, " ms", "How softly one shape becomes the next"),
    Control("settle", "S&ettle", 1, " ms", "How long the mouth takes to come to rest"),
    Control("loudness_follow", "L&oudness", 100, "×", "Syllables said louder open wider"),
    Control("stress_follow", "S&tress", 100, "×", "Stressed syllables open wider"),
)


class DeliveryPanel(QWidget):
    """Seven sliders and A/B. Emits what a person does; shows what it is told."""

    moved = Signal(str, float)  # while dragging
    released = Signal()
    keep = Signal()
    flip = Signal()
    reset = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.sliders: dict[str, QSlider] = {}
        self._values: dict[str, QLabel] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        grid.setContentsMargins(0, 0, 0, 0)
        for row, control in enumerate(CONTROLS):
            self._add(grid, row, control)
        self.keep_button = QPushButton("&Keep as B")
        self.keep_button.setToolTip("Keep the present setting, to compare another with it")
        self.flip_button = QPushButton("A / &B")
        self.flip_button.setToolTip("Change over between the present setting and the kept one")
        self.flip_button.setEnabled(False)
        self.reset_button = QPushButton("&Default")
        self.reset_button.setToolTip("Every slider back to where it began")
        buttons = QHBoxLayout()
        for button, signal in (
            (self.keep_button, self.keep), (self.flip_button, self.flip),
            (self.reset_button, self.reset),
        ):  # fmt: skip
            button.clicked.connect(signal)
            button.setAccessibleName(button.text().replace("&", ""))
            buttons.addWidget(button)
        heading = QLabel("Delivery")
        heading.setObjectName("heading")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 12)
        layout.addWidget(heading)
        layout.addLayout(grid)
        layout.addLayout(buttons)

    def _add(self, grid: QGridLayout, row: int, control: Control) -> None:
        low, high = LIMITS[control.name]
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(round(low * control.steps), round(high * control.steps))
        slider.setPageStep(max(1, round((high - low) * control.steps / 10)))
        slider.setToolTip(control.tip)
        slider.setAccessibleName(control.label.replace("&", ""))
        slider.valueChanged.connect(lambda value, c=control: self._moved(c, value))
        slider.sliderReleased.connect(self.released)
        label = QLabel(control.label)
        label.setBuddy(slider)
        value = QLabel()
        value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        value.setMinimumWidth(value.fontMetrics().horizontalAdvance("-100 ms "))
        for column, widget in enumerate((label, slider, value)):
            grid.addWidget(widget, row, column)
        self.sliders[control.name], self._values[control.name] = slider, value

    def _moved(self, control: Control, steps: int) -> None:
        self._write(control, steps / control.steps)
        self.moved.emit(control.name, steps / control.steps)
        if not self.sliders[control.name].isSliderDown():
            self.released.emit()

    def _write(self, control: Control, value: float) -> None:
        text = f"{value:.2f}{control.unit}" if control.steps > 1 else f"{value:.0f}{control.unit}"
        self._values[control.name].setText(text)

    def show_delivery(self, delivery: Delivery, *, has_kept: bool) -> None:
        """Show a setting without telling of it."""
        for control in CONTROLS:
            value = getattr(delivery, control.name)
            slider = self.sliders[control.name]
            slider.blockSignals(True)
            slider.setValue(round(value * control.steps))
            slider.blockSignals(False)
            self._write(control, value)
        self.flip_button.setEnabled(has_kept)
