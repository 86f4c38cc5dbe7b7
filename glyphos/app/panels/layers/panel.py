"""The layers of a face: each on or off, alone, how strongly, and in which regions; A and B over all."""

from __future__ import annotations

from functools import partial

import msgspec
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ....motion.mix import ALL, LAYERS, MOST, Mix, Name
from ....production.documents import Line
from ....production.kinds import line_key
from ...drawing.layering import LAYER_WORDS
from ...drawing.readout import Readout
from ...drawing.words import counted
from ...model.context import Context

STEPS = 100
TIPS: dict[Name, str] = {
    "speech": "Jaw, lips and tongue as they speak; closures, teeth and rounding stay down to a half",
    "life": "Blinks, gaze, brows, head and breath from the voice",
    "mood": "What the face feels over spans of the line",
    "recorded": "Curves and heads that were recorded elsewhere",
    "touch": "What was shaped by hand on the Curves page",
}  # fmt: skip


class LayersPanel(QWidget):
    """Five layers of the line that is shown."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self._shown: tuple[object, ...] | None = None
        self.on: dict[Name, QCheckBox] = {}
        self.solo: dict[Name, QPushButton] = {}
        self.strength: dict[Name, QSlider] = {}
        self.regions: dict[Name, QToolButton] = {}
        self._marks: dict[Name, dict[str, QAction]] = {}
        self._values: dict[Name, Readout] = {}
        self.said: dict[Name, QLabel] = {}
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        for number, name in enumerate(LAYERS):
            self._add(grid, 3 * number, name)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 10)
        column.addLayout(grid)
        c = context
        c.current.line_changed.connect(self._show)
        c.document.changed.connect(lambda _: self._follow())
        self._show()

    def _add(self, grid: QGridLayout, row: int, name: Name) -> None:
        words = LAYER_WORDS[name]
        on = QCheckBox(words)
        on.setToolTip(TIPS[name])
        solo = QPushButton("Alone")
        solo.setObjectName("small")
        solo.setCheckable(True)
        solo.setToolTip(f"Only {words.lower()}, with whatever else is shown alone")
        solo.setAccessibleName(f"{words} alone")
        value = Readout("150 % ")
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, round(STEPS * MOST))
        slider.setPageStep(10)
        slider.setAccessibleName(f"Strength of {words.lower()}")
        said = QLabel()
        said.setObjectName("faint")
        where = QToolButton()
        where.setObjectName("small")
        where.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        where.setAccessibleName(f"Regions of {words.lower()}")
        menu = QMenu(where)
        self._marks[name] = {}
        for region in ALL:
            action = menu.addAction(region.capitalize())
            action.setCheckable(True)
            action.triggered.connect(lambda _=False, n=name: self._set_regions(n))
            self._marks[name][region] = action
        where.setMenu(menu)
        grid.addWidget(on, row, 0, 1, 2)
        grid.addWidget(solo, row, 2)
        grid.addWidget(value, row, 3)
        grid.addWidget(slider, row + 1, 0, 1, 4)
        grid.addWidget(said, row + 2, 0, 1, 2)
        grid.addWidget(where, row + 2, 2, 1, 2)
        self.on[name], self.solo[name], self.strength[name] = on, solo, slider
        self.regions[name], self._values[name], self.said[name] = where, value, said
        on.clicked.connect(lambda value, n=name: self._switch(n, value))
        solo.clicked.connect(lambda value, n=name: self._alone(n, value))
        slider.valueChanged.connect(lambda value, n=name: self._slid(n, value))
        slider.sliderReleased.connect(partial(self._released, name))

    # ---- hands --------------------------------------------------------------------------------

    def _take(self, step: str, mix: Mix, *, merge: bool = False) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is not None:
            made = msgspec.structs.replace(line, mix=mix)
            self._c.document.change(step, {line_key(line.slug): made}, merge=merge)

    def _mix(self) -> Mix:
        line = self._c.document.kept_line(self._c.selection.slug)
        return line.mix if line is not None else Mix()

    def _switch(self, name: Name, on: bool) -> None:
        step = f"{LAYER_WORDS[name]} {'on' if on else 'off'}"
        self._take(step, self._mix().changed(name, on=on))

    def _alone(self, name: Name, solo: bool) -> None:
        self._take(f"{LAYER_WORDS[name]} alone", self._mix().changed(name, solo=solo))

    def _set_regions(self, name: Name) -> None:
        chosen = tuple(r for r, a in self._marks[name].items() if a.isChecked())
        self._take(f"Regions of {LAYER_WORDS[name]}", self._mix().changed(name, regions=chosen))

    def _slid(self, name: Name, steps: int) -> None:
        mix = self._mix().changed(name, strength=steps / STEPS)
        line = self._c.document.kept_line(self._c.selection.slug)
        self._values[name].setText(f"{steps} %")
        if line is not None and self.strength[name].isSliderDown():
            shown = msgspec.structs.replace(line, mix=mix)
            self._c.document.preview(line_key(line.slug), shown)
        else:
            self._take(f"Strength of {LAYER_WORDS[name]}", mix, merge=True)

    def _released(self, name: Name) -> None:
        steps = self.strength[name].value()
        mix = self._mix().changed(name, strength=steps / STEPS)
        if mix == self._mix():
            self._c.document.drop_preview()
        self._take(f"Strength of {LAYER_WORDS[name]}", mix)

    # ---- showing ------------------------------------------------------------------------------

    def _follow(self) -> None:
        if self._c.document.previewed is None or self.isVisible():
            self._show()

    def _show(self) -> None:
        line = self._c.document.line(self._c.selection.slug)
        shown = _what_is_shown(line) if line is not None else None
        if shown is not None and shown == self._shown:
            return
        self._shown = shown
        self.setEnabled(line is not None and line.reading is not None)
        mix = line.mix if line is not None else Mix()
        for name in LAYERS:
            lay = mix.of(name)
            for widget, value in ((self.on[name], lay.on), (self.solo[name], lay.solo)):
                with QSignalBlocker(widget):
                    widget.setChecked(value)
            slider, steps = self.strength[name], round(STEPS * lay.strength)
            if not slider.isSliderDown():
                with QSignalBlocker(slider):
                    slider.setValue(steps)
            self._values[name].setText(f"{steps} %")
            slider.setEnabled(mix.counts(name) or lay.strength == 0)
            for region, action in self._marks[name].items():
                action.setChecked(region in lay.regions)
            count = len(lay.regions)
            where = "whole face" if count == len(ALL) else " · ".join(lay.regions) or "nowhere"
            self.regions[name].setText((where if len(where) < 18 else f"{count} regions") + " ▾")
            self.regions[name].setToolTip(f"Acts on: {where}")
            self.said[name].setText(_said(name, line) if line is not None else "")


def _what_is_shown(line: Line) -> tuple[object, ...]:
    """What the panel hangs on: an edge that moves is nothing to it."""
    return (
        line.reading is None,
        line.mix,
        line.life is None,
        line.moods,
        line.recorded,
        line.touches,
    )


def _said(name: Name, line: Line) -> str:
    """What there is of a layer, in words."""
    if name == "speech":
        return "mouth"
    if name == "life":
        return "none; switch it on under Life" if line.life is None else "from the voice"
    if name == "mood":
        felt = list(dict.fromkeys(m.mood for m in line.moods))
        return ", ".join(felt[:2]) + (" …" if len(felt) > 2 else "") if felt else "none"
    if name == "recorded":
        return (
            counted(sum(r.on for r in line.recorded), "file")
            if line.recorded
            else "nothing recorded"
        )
    keys = sum(len(t.keys) for t in line.touches)
    return counted(keys, "key") if keys else "none"
