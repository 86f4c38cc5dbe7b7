"""How much: a slider and a number that show what comes of them at once, taken with Enter, dropped with Esc."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QHideEvent, QKeyEvent
from PySide6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QPushButton, QSlider, QWidget

from ...dialogs.common import number

FINE = 1000


class Amount(QFrame):
    """Opens over a button; `moved` while it is chosen, `taken` once, or `dropped`."""

    moved = Signal(float)
    taken = Signal(float)
    dropped = Signal()

    def __init__(self, parent: QWidget, name: str, choices: Sequence[str] = ()) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("notice")
        self.setAccessibleName(name)
        self._open = False
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, FINE)
        self.slider.setMinimumWidth(240)
        self.slider.setAccessibleName(name)
        self.value = number(name, -1000, 1000, 0.05, "", 3)
        self.about = QComboBox()
        self.about.addItems([f"about {c}" for c in choices])
        self.about.setAccessibleName("About which value")
        self.take_button = QPushButton("&Take")
        row = QHBoxLayout(self)
        for widget in (QLabel(name), self.slider, self.value, self.about, self.take_button):
            row.addWidget(widget)
        self.about.setVisible(bool(choices))  # not before it stands in a row: it would be a window
        self._low, self._high = 0.0, 1.0
        self.slider.valueChanged.connect(self._slid)
        self.value.valueChanged.connect(self._typed)
        self.about.activated.connect(lambda _: self.moved.emit(self.value.value()))
        self.take_button.clicked.connect(self.take)

    def ask(self, at: QPoint, low: float, high: float, now: float) -> None:
        """Open above a place, between two values."""
        self._low, self._high, self._open = low, high, True
        for widget in (self.slider, self.value):
            widget.blockSignals(True)
        self.value.setRange(low, high)
        self.value.setSingleStep((high - low) / 40)
        self.value.setValue(now)
        self.slider.setValue(self._steps(now))
        for widget in (self.slider, self.value):
            widget.blockSignals(False)
        self.adjustSize()
        self.move(at - QPoint(0, self.height() + 4))
        self.show()
        self.slider.setFocus()

    def _steps(self, value: float) -> int:
        return round((value - self._low) / (self._high - self._low) * FINE)

    def _slid(self, steps: int) -> None:
        with QSignalBlocker(self.value):
            self.value.setValue(self._low + steps / FINE * (self._high - self._low))
        self.moved.emit(self.value.value())

    def _typed(self, value: float) -> None:
        with QSignalBlocker(self.slider):
            self.slider.setValue(self._steps(value))
        self.moved.emit(value)

    def take(self) -> None:
        """Keep what is shown."""
        self._open = False
        self.taken.emit(self.value.value())
        self.hide()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.take()
        else:
            super().keyPressEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self._open:
            self._open = False
            self.dropped.emit()
