"""Delivery sliders: dragged, the ribbon and the face follow at once. A/B flips two settings."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ....motion.delivery import LIMITS, Delivery
from ....production.carrying import as_kept
from ....production.documents import Line
from ....production.kinds import line_key
from ...drawing.readout import Readout
from ...model.context import Context

STEP = "Adjust delivery"


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
    Control(
        "smoothing",
        "S&moothing",
        1,
        " ms",
        "How softly one shape becomes the next; closures stay sharp",
    ),
    Control(
        "pace", "&Pace of lips", 100, "×", "Crisp at 0.5, lazy at 2: how long every move takes"
    ),
    Control(
        "hold", "&Hold", 100, "", "How long a shape is held within its sound, 0 just touched to 1"
    ),
    Control(
        "settle",
        "S&ettle",
        1,
        " ms",
        "How long the mouth takes to come to rest after the last sound",
    ),
    Control("loudness_follow", "Loudne&ss", 100, "×", "Syllables said louder open wider"),
    Control("stress_follow", "S&tress", 100, "×", "Stressed syllables open wider"),
)


class DeliveryPanel(QWidget):
    """Nine sliders and A/B for the line that is shown."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.kept: Line | None = None  # the other side of A/B
        self.side = "A"  # the one that is heard now
        self.sliders: dict[str, QSlider] = {}
        self._values: dict[str, Readout] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        grid.setContentsMargins(0, 0, 0, 0)
        for row, control in enumerate(CONTROLS):
            self._add(grid, row, control)
        self.keep_button = self._button(
            "&Keep as B",
            "Keep delivery, life, mood and touch-ups as they are, to compare others with them",
        )
        self.flip_button = self._button("", "Change over between the two settings (B)")
        self.reset_button = self._button("De&fault", "Every slider back to where it began")
        self.keep_button.clicked.connect(self.keep_as_b)
        self.flip_button.clicked.connect(self.flip)
        self.reset_button.clicked.connect(self._reset)
        buttons = QHBoxLayout()
        for button in (self.keep_button, self.flip_button, self.reset_button):
            buttons.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 10)
        layout.addLayout(grid)
        layout.addLayout(buttons)
        context.current.line_changed.connect(self._forget_other)
        context.current.motion_changed.connect(self._show)
        self._show()

    def _button(self, text: str, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.setAccessibleName(text.replace("&", ""))
        return button

    def _add(self, grid: QGridLayout, row: int, control: Control) -> None:
        low, high = LIMITS[control.name]
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(round(low * control.steps), round(high * control.steps))
        slider.setPageStep(max(1, round((high - low) * control.steps / 10)))
        slider.setToolTip(control.tip)
        slider.setAccessibleName(control.label.replace("&", ""))
        slider.valueChanged.connect(lambda value, c=control: self._moved(c, value))
        slider.sliderReleased.connect(self._released)
        label = QLabel(control.label)
        label.setBuddy(slider)
        value = Readout("-100 ms ")
        for column, widget in enumerate((label, slider, value)):
            grid.addWidget(widget, row, column)
        self.sliders[control.name], self._values[control.name] = slider, value

    # ---- hands --------------------------------------------------------------------------------

    def _line(self) -> Line | None:
        return self._c.document.kept_line(self._c.selection.slug)

    def _moved(self, control: Control, steps: int) -> None:
        value = steps / control.steps
        self._write(control, value)
        line = self._line()
        if line is None:
            return
        delivery = msgspec.structs.replace(self._c.current.delivery, **{control.name: value})
        if self.sliders[control.name].isSliderDown():
            shown = msgspec.structs.replace(line, delivery=delivery)
            self._c.document.preview(line_key(line.slug), shown)
        else:
            self._take(delivery, merge=True)

    def _released(self) -> None:
        self._take(self._c.current.delivery)

    def _take(self, delivery: Delivery, *, merge: bool = False, name: str = STEP) -> None:
        line = self._line()
        if line is not None:
            new = msgspec.structs.replace(line, delivery=delivery)
            self._c.document.change(name, {line_key(line.slug): new}, merge=merge)

    def _reset(self) -> None:
        plain = Delivery()
        now = self._c.current.delivery
        self._take(msgspec.structs.replace(now, **{c.name: getattr(plain, c.name) for c in CONTROLS}),
                   name="Default delivery")  # fmt: skip

    def keep_as_b(self) -> None:
        """Keep how the line moves as the other side, with all its layers; what is changed from now on is A."""
        self.kept, self.side = self._line(), "A"
        self._show()

    def flip(self) -> None:
        """Change over between the present setting and the kept one."""
        line = self._line()
        if self.kept is not None and line is not None:
            other, self.kept = self.kept, line
            self.side = "B" if self.side == "A" else "A"
            self._c.document.change("Flip A/B", {line_key(line.slug): as_kept(line, other)})
            self._show()

    def _forget_other(self) -> None:
        self.kept, self.side = None, "A"
        self._c.current.compare_with(None)

    # ---- showing ------------------------------------------------------------------------------

    def _write(self, control: Control, value: float) -> None:
        text = f"{value:.2f}{control.unit}" if control.steps > 1 else f"{value:.0f}{control.unit}"
        self._values[control.name].setText(text)

    def _show(self) -> None:
        delivery = self._c.current.delivery
        self.setEnabled(self._c.current.line is not None)
        for control in CONTROLS:
            value, slider = getattr(delivery, control.name), self.sliders[control.name]
            if not slider.isSliderDown():
                with QSignalBlocker(slider):
                    slider.setValue(round(value * control.steps))
            self._write(control, value)
        self._c.current.compare_with(self.kept)
        other = "B" if self.side == "A" else "A"
        self.flip_button.setVisible(self.kept is not None)
        self.flip_button.setText(f"On {self.side} · to {other}")
        self.flip_button.setAccessibleName(f"{self.side} is active; change over to {other}")
