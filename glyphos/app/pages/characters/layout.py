"""How the page stands: the cast, the stage over the fitting in pictures, what was found."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ....stage.views import VIEWS
from ...drawing.headview import HeadView
from ...drawing.scrolled import Scrolled
from .cast import CastList
from .details import ChannelDetails, GestureDetails
from .drawn import DrawnSide
from .pairs import PairsView


class Parts(Protocol):
    """The widgets of the page."""

    cast: CastList
    head: HeadView
    pairs: PairsView
    model_label: QLabel
    findings: QListWidget
    gesture: GestureDetails
    channel: ChannelDetails
    pose: QComboBox
    worst: QPushButton
    point: QPushButton
    ours: QCheckBox
    view_buttons: dict[str, QPushButton]
    kinds: QStackedWidget
    drawn: DrawnSide


def view_buttons(head: HeadView) -> dict[str, QPushButton]:
    """A button for every fixed view."""
    made = {}
    for name in VIEWS:
        button = QPushButton(name.capitalize(), objectName="tab")
        button.setCheckable(True)
        button.setAccessibleName(f"View: {name}")
        button.clicked.connect(lambda _=False, n=name: head.set_view(n))
        made[name] = button
    return made


def laid_out(p: Parts) -> QWidget:
    """All of them in their places."""
    views = QHBoxLayout()
    views.setContentsMargins(10, 6, 10, 2)
    for button in p.view_buttons.values():
        views.addWidget(button)
    views.addStretch(1)
    views.addWidget(p.ours)
    show = QHBoxLayout()
    show.setContentsMargins(10, 2, 10, 4)
    show.setSpacing(8)
    show.addWidget(QLabel("Show me"))
    show.addWidget(p.pose)
    show.addWidget(p.worst)
    show.addWidget(p.point)
    show.addStretch(1)
    stage, below = QWidget(), QWidget()
    column = QVBoxLayout(stage)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    column.addLayout(views)
    column.addWidget(p.head, 1)
    column.addLayout(show)
    column = QVBoxLayout(below)
    column.setContentsMargins(10, 4, 10, 4)
    column.addWidget(
        QLabel("Fitting · as meant, as worn · what needs a look comes first", objectName="heading")
    )
    column.addWidget(p.pairs, 1)
    center = QSplitter(Qt.Orientation.Vertical)
    center.addWidget(stage)
    center.addWidget(below)
    center.setSizes([430, 300])
    side = QWidget(objectName="panel")
    column = QVBoxLayout(side)
    column.setContentsMargins(14, 12, 14, 10)
    side_parts: tuple[tuple[QWidget, int], ...] = (
        (p.model_label, 0),
        (p.findings, 1),
        (p.gesture, 0),
        (p.channel, 0),
    )
    for part, room in side_parts:
        column.addWidget(part, room)
    scroll = Scrolled()
    scroll.setWidget(side)
    modelled = QSplitter()
    modelled.addWidget(center)
    modelled.addWidget(scroll)
    modelled.setSizes([700, 360])
    modelled.setStretchFactor(0, 1)
    p.kinds.addWidget(modelled)
    p.kinds.addWidget(p.drawn.widget)
    root = QSplitter()
    root.addWidget(p.cast)
    root.addWidget(p.kinds)
    root.setSizes([220, 1060])
    root.setStretchFactor(1, 1)
    return root
