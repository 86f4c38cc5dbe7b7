"""A tracker: listened to, set to zero, smoothed, recorded onto the line."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QLabel,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from ....live.port import PORT
from ...dialogs.common import number
from ...model.context import Context


class TrackerBox(QWidget):
    """Says how the device does; records takes."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.listen = QPushButton("&Tracker")
        self.listen.setCheckable(True)
        self.listen.setToolTip(
            "Listen for a face on this UDP port; docs/tracker.md says what it sends"
        )
        self.port = QSpinBox()
        self.port.setRange(1024, 65535)
        self.port.setValue(PORT)
        self.port.setAccessibleName("Port of the tracker")
        self.port.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.everywhere = QCheckBox("All de&vices")
        self.everywhere.setToolTip("A phone in the same network sends to this machine's address")
        self.zero = QPushButton("&Zero pose")
        self.zero.setToolTip("The face as it is now is its rest")
        self.record = QPushButton("● &Record")
        self.record.setToolTip(
            "Plays the line from its start and records until its end, or until you press again"
        )
        self.again = QPushButton("Record &again")
        self.again.setToolTip("In place of the take that is chosen in the list")
        self.smoothing = number("Smoothing of the tracker", 0, 3, 0.1, "", 1)
        self.smoothing.setValue(context.tracking.smoothing)
        self.said = QLabel("not listened to")
        self.said.setObjectName("faint")
        self.said.setWordWrap(True)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        label = QLabel("Smoothin&g")
        label.setBuddy(self.smoothing)
        grid.addWidget(self.listen, 0, 0)
        grid.addWidget(self.port, 0, 1)
        grid.addWidget(self.everywhere, 0, 2, 1, 2)
        grid.addWidget(self.zero, 1, 0, 1, 2)
        grid.addWidget(label, 1, 2)
        grid.addWidget(self.smoothing, 1, 3)
        grid.addWidget(self.record, 2, 0, 1, 2)
        grid.addWidget(self.again, 2, 2, 1, 2)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.addLayout(grid)
        column.addWidget(self.said)
        t, try_to = context.tracking, context.talk.try_to
        self.listen.clicked.connect(lambda on: try_to(lambda: self.switch(on)))
        self.zero.clicked.connect(lambda: try_to(t.zero))
        self.record.clicked.connect(lambda: try_to(lambda: t.end() if t.recording else t.record()))
        self.smoothing.valueChanged.connect(t.smooth)
        t.changed.connect(self._show)
        self._show()

    def switch(self, on: bool) -> None:
        """Listen, or no more."""
        try:
            if on:
                self._c.tracking.listen(self.port.value(), everywhere=self.everywhere.isChecked())
            else:
                self._c.tracking.close()
        finally:
            self._show()

    def _show(self) -> None:
        t = self._c.tracking
        with QSignalBlocker(self.listen):
            self.listen.setChecked(t.on)
        for place in (self.port, self.everywhere):
            place.setEnabled(not t.on)
        for widget in (self.zero, self.record, self.again):
            widget.setEnabled(t.on)
        self.again.setEnabled(t.on and not t.recording)
        self.record.setText("■ End ta&ke" if t.recording else "● &Record")
        self.said.setText(self._state())

    def _state(self) -> str:
        health = self._c.tracking.health
        if health is None:
            return "not listened to"
        if self._c.tracking.live is not None:
            return f"a voice speaks (Booth); {health.rate:.0f} a second"
        if health.state == "waiting":
            return f"waiting for packets on port {self.port.value()}"
        if health.state == "vanished":
            return f"vanished {health.since:.0f} s ago; still listening"
        lost = f", {health.lost} lost" if health.lost else ""
        taking = "recording · " if self._c.tracking.recording else ""
        return f"{taking}{health.rate:.0f} a second{lost}"
