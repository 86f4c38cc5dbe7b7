"""Exact numbers: the touch-ups of a channel, the chosen key's time, value and way; what was set aside."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....errors import EditError
from ....motion.regions import is_degrees, value_text
from ....motion.touch.keys import MODES, WAYS, Touch, times_of
from ....production.carrying import placed_again
from ....production.kinds import line_key
from ...dialogs.common import number
from ...drawing.words import counted, seconds_text
from ...model.context import Context
from .desk import CurveDesk

MODE_WORDS = {"add": "added", "replace": "in place of it", "scale": "a factor"}
WAY_WORDS = {"ease": "eased", "line": "straight", "hold": "held"}


class Numbers(QWidget):
    """One row a key; fields for the chosen one. wanted: it is to be seen."""

    wanted = Signal()

    def __init__(self, context: Context, desk: CurveDesk) -> None:
        super().__init__()
        self._c, self._desk = context, desk
        self.list = QListWidget()
        self.list.setAccessibleName("Keys of the channel")
        self.list.setMaximumHeight(130)
        self.mode, self.way = QComboBox(), QComboBox()
        for box, words, name in (
            (self.mode, MODE_WORDS, "Mode of the touch-up"),
            (self.way, WAY_WORDS, "Way to the next key"),
        ):
            for key, text in words.items():
                box.addItem(text, key)
            box.setAccessibleName(name)
        self.at = number("Time", -3600, 36000, 0.01, " s", 3)
        self.value = number("Value", -1000, 1000, 0.01, "", 3)
        self.free = QCheckBox("Also over &closures")
        self.free.setToolTip(
            "Speech keeps closures, teeth on the lip and rounded lips; this touch-up may break them"
        )
        self.delete = QPushButton("Delete ke&y")
        self.clear = QPushButton("Clear &all of it")
        self.clear.setToolTip("Every touch-up of this channel over what is chosen")
        self.aside = QListWidget()
        self.aside.setAccessibleName("What could not be carried")
        self.aside.setMaximumHeight(60)
        self.aside_label = QLabel("Could not be carried along:")
        self.again, self.drop = QPushButton("&Place here"), QPushButton("&Drop")
        self.again.setToolTip("At the playhead")
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        for row, (text, field) in enumerate(
            (
                ("&Keys are", self.mode),
                ("&Time", self.at),
                ("&Value", self.value),
                ("&Goes on", self.way),
            )
        ):
            label = QLabel(text)
            label.setBuddy(field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        grid.addWidget(self.free, 4, 0, 1, 2)
        grid.addWidget(self.delete, 5, 0)
        grid.addWidget(self.clear, 5, 1)
        grid.addWidget(self.aside_label, 6, 0, 1, 2)
        grid.addWidget(self.aside, 7, 0, 1, 2)
        grid.addWidget(self.again, 8, 0)
        grid.addWidget(self.drop, 8, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 10)
        column.addWidget(self.list)
        column.addLayout(grid)
        self._connect()
        self._show()

    def _connect(self) -> None:
        c, desk, try_to = self._c, self._desk, self._c.talk.try_to
        self.list.currentItemChanged.connect(
            lambda item, _: desk.choose(item.data(Qt.ItemDataRole.UserRole) if item else None)
        )
        self.mode.activated.connect(lambda k: try_to(lambda: desk.set_mode(MODES[k])))
        self.way.activated.connect(lambda k: try_to(lambda: desk.set_key(way=WAYS[k])))
        self.at.valueChanged.connect(lambda v: try_to(lambda: desk.set_key(seconds=desk.heard(v))))
        self.value.valueChanged.connect(lambda v: try_to(lambda: desk.set_key(value=v)))
        self.free.clicked.connect(lambda on: try_to(lambda: desk.free(on)))
        self.delete.clicked.connect(lambda: try_to(desk.delete))
        self.clear.clicked.connect(lambda: try_to(desk.clear))
        self.again.clicked.connect(lambda: try_to(self.place))
        self.drop.clicked.connect(lambda: try_to(self.forget))
        desk.channel_changed.connect(self._show)
        desk.chosen_changed.connect(self._show)
        c.document.changed.connect(lambda _: self._follow())
        c.current.line_changed.connect(self._show)

    # ---- what was set aside -------------------------------------------------------------------

    def _aside(self) -> int:
        if self.aside.currentRow() < 0:
            raise EditError("Choose something in the list of what could not be carried first.")
        return self.aside.currentRow()

    def place(self) -> None:
        """Put what was set aside at the playhead."""
        line, _ = self._desk.need()
        k = self._aside()
        made = placed_again(line, k, self._desk.heard(self._c.transport.position()))
        self._c.document.change(f"Place {line.aside[k].what}", {line_key(line.slug): made})

    def forget(self) -> None:
        line, _ = self._desk.need()
        k = self._aside()
        left = (*line.aside[:k], *line.aside[k + 1 :])
        made = msgspec.structs.replace(line, aside=left)
        self._c.document.change(f"Drop {line.aside[k].what}", {line_key(line.slug): made})

    # ---- showing ------------------------------------------------------------------------------

    def _follow(self) -> None:
        if self._c.document.previewed is None or self.isVisible():
            self._show()

    def _show(self) -> None:
        line, desk = self._c.current.line, self._desk
        self.setEnabled(line is not None and line.reading is not None)
        row = self.aside.currentRow()
        with QSignalBlocker(self.aside):
            self.aside.clear()
            for one in line.aside if line is not None else ():
                self.aside.addItem(one.what)
            self.aside.setCurrentRow(min(max(row, 0), self.aside.count() - 1))
        for widget in (self.aside_label, self.aside, self.again, self.drop):
            widget.setVisible(self.aside.count() > 0)
        reading = line.reading if line is not None else None
        with QSignalBlocker(self.list):
            self.list.clear()
            for n, touch in desk.touches() if reading is not None else []:
                assert reading is not None
                for k, heard in enumerate(times_of(touch, reading).tolist()):
                    item = QListWidgetItem(_row(touch, k, desk.film(heard)))
                    item.setData(Qt.ItemDataRole.UserRole, (n, k))
                    self.list.addItem(item)
                    if desk.chosen == (n, k):
                        self.list.setCurrentItem(item)
            if desk.chosen is None:
                self.list.setCurrentRow(-1)
        self.list.setAccessibleDescription(counted(self.list.count(), "key"))
        self._show_key()

    def _show_key(self) -> None:
        desk = self._desk
        line = self._c.current.line
        chosen = desk.chosen
        there = chosen is not None and line is not None and chosen[0] < len(line.touches)
        for widget in (self.mode, self.way, self.at, self.value, self.free, self.delete):
            widget.setEnabled(there)
        self.clear.setEnabled(bool(desk.touches()))
        if not there or chosen is None or line is None or line.reading is None:
            return
        touch = line.touches[chosen[0]]
        k = min(chosen[1], len(touch.keys) - 1)
        at = desk.film(float(times_of(touch, line.reading)[k]))
        self.value.setSingleStep(
            0.5 if is_degrees(touch.channel) and touch.mode != "scale" else 0.02
        )
        for field, value in ((self.at, at), (self.value, touch.keys[k].value)):
            if abs(field.value() - value) > 5e-4:
                with QSignalBlocker(field):
                    field.setValue(value)
        for box, index in (
            (self.mode, MODES.index(touch.mode)),
            (self.way, WAYS.index(touch.keys[k].way)),
        ):
            with QSignalBlocker(box):
                box.setCurrentIndex(index)
        with QSignalBlocker(self.free):
            self.free.setChecked(touch.free)


def _row(touch: Touch, k: int, seconds: float) -> str:
    key = touch.keys[k]
    if touch.mode == "scale":
        value = f"×{key.value:.2f}"
    else:
        value = value_text(touch.channel, key.value, signed=touch.mode == "add")
    name = f"  {touch.what or touch.mode}" if k == 0 else ""
    return f"{seconds_text(seconds, 2)}  {value}{name}"
