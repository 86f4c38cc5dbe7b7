"""The strip of tools under the curves: how far a pull reaches, and what is done to a stretch."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QToolButton,
    QWidget,
)

from ....motion.regions import REGIONS, channel_words, is_degrees, ranges, region_of
from ....speech.parts import LEVELS
from ...drawing.wrapping import Wrapping
from ...model.context import Context
from .amount import Amount
from .desk import CurveDesk

TOOLS = (
    ("smooth", "S&mooth", "Take out what is quick (S)"), ("hold", "&Hold", "The value at the playhead, all over it (H)"),
    ("ease", "&Ease", "One soft way from its beginning to its end (E)"),
    ("across", "Othe&r side", "The same on the other half of the face (X)"),
    ("fewer", "&Fewer keys", "As few keys as keep within 1 per cent of the range (F)"),
)  # fmt: skip


class Tools(QWidget):
    """Buttons; each does what its key does."""

    def __init__(self, context: Context, desk: CurveDesk) -> None:
        super().__init__()
        self._c, self._desk = context, desk
        row = Wrapping(spacing=4)
        row.setContentsMargins(14, 6, 14, 6)
        self.setLayout(row)
        self.reach = QWidget()  # stands above the curves
        levels = QHBoxLayout(self.reach)
        levels.setContentsMargins(0, 0, 8, 0)
        levels.setSpacing(4)
        levels.addWidget(QLabel("Pull over"))
        self.over = QButtonGroup(self)
        self.levels: dict[str, QPushButton] = {}
        for level in reversed(LEVELS):
            button = QPushButton(level)
            button.setObjectName("small")
            button.setCheckable(True)
            button.setAccessibleName(f"Pull over a {level}")
            button.clicked.connect(partial(desk.reach, level))
            self.over.addButton(button)
            self.levels[level] = button
            levels.addWidget(button)
        self.lift = Amount(self, "Lift by")
        self.scale = Amount(self, "Scale by", ("zero", "rest", "mean"))
        self.buttons: dict[str, QPushButton] = {}
        for name, text, tip in (
            ("scale", "&Scale…", "Larger or smaller over what is chosen"),
            ("lift", "&Lift…", "Higher or lower over what is chosen"),
            *TOOLS,
        ):
            button = QPushButton(text)
            button.setObjectName("small")
            button.setToolTip(tip)
            button.clicked.connect(partial(self._do, name))
            self.buttons[name] = button
            row.addWidget(button)
        self.copy = QToolButton()
        self.copy.setObjectName("small")
        self.copy.setText("Copy to ▾")
        self.copy.setAccessibleName("Copy to another channel")
        self.copy.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.copy.setMenu(self._channels())
        row.addWidget(self.copy)
        for amount, kind in ((self.lift, "lift"), (self.scale, "scale")):
            amount.moved.connect(partial(self._show, kind))
            amount.taken.connect(partial(self._take, kind))
            amount.dropped.connect(desk.give_up)
        desk.channel_changed.connect(self.refresh)
        self.refresh()

    def _channels(self) -> QMenu:
        menu = QMenu(self)
        for region in REGIONS:
            own = menu.addMenu(region.capitalize())
            for name in ranges():
                if region_of(name) == region:
                    own.addAction(
                        channel_words(name), partial(self._try, partial(self._desk.copy_to, name))
                    )
        return menu

    def refresh(self) -> None:
        self.levels[self._desk.over].setChecked(True)
        sided = self._desk.channel.endswith(("_left", "_right"))
        self.buttons["across"].setEnabled(sided)

    def _try(self, work: partial[None]) -> None:
        self._c.talk.try_to(work)

    def _do(self, name: str) -> None:
        if name in ("lift", "scale"):
            self._c.talk.try_to(partial(self.ask, name))
        else:
            self._c.talk.try_to(getattr(self._desk, name))

    def ask(self, kind: str) -> None:
        """Choose how much."""
        self._desk.stretch()
        button = self.buttons[kind]
        at = button.mapToGlobal(QPoint(0, 0))
        if kind == "lift":
            reach = 20.0 if is_degrees(self._desk.channel) else 1.0
            self.lift.ask(at, -reach, reach, 0.0)
        else:
            self.scale.ask(at, 0.0, 3.0, 1.0)

    def _about(self) -> str:
        return self.scale.about.currentText().removeprefix("about ")

    def _show(self, kind: str, value: float) -> None:
        self._c.talk.try_to(lambda: self._desk.drag_stretch(kind, value, self._about()))

    def _take(self, kind: str, value: float) -> None:
        def work() -> None:
            self._desk.give_up()
            if kind == "lift":
                self._desk.lift(value)
            else:
                self._desk.scale(value, self._about())

        self._c.talk.try_to(work)
