"""The areas of the window and how they stand: bars above and below, lines left, face right."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QSplitter, QStackedWidget, QVBoxLayout, QWidget

from ..drawing.theme import Theme
from ..model.context import Context
from ..page import PageEntry
from ..panels.face.panel import FacePanel
from ..panels.lines.panel import LinesPanel
from .bars import BottomBar, OfferBar, TopBar
from .inspector import Inspector


class Areas(QWidget):
    """All widgets of the window, laid out; what they do is the window's business."""

    def __init__(self, context: Context, pages: Sequence[PageEntry], theme: Theme) -> None:
        super().__init__()
        self._beside, self._alone, self._lists, self._faces = True, False, False, True
        self.top = TopBar(context, pages)
        self.bottom = BottomBar(context)
        self.offers = OfferBar(context)
        self.lines = LinesPanel(context, theme)
        self.face = FacePanel(context, theme)
        self.inspector = Inspector()
        self.stack = QStackedWidget()
        center, self.right = QWidget(), QWidget(objectName="panel")
        for widget, parts in (
            (center, (self.stack, self.offers, self.bottom)),
            (self.right, (self.face, self.inspector)),
        ):
            column = _column(widget)
            for number, part in enumerate(parts):
                column.addWidget(part, 0 if number else 1)
        self.columns = QSplitter()
        for widget, least in ((self.lines, 150), (center, 380), (self.right, 270)):
            self.columns.addWidget(widget)
            self.columns.setStretchFactor(self.columns.count() - 1, 1 if widget is center else 0)
            widget.setMinimumWidth(least)
        self.columns.setCollapsible(1, False)
        self.columns.setSizes([214, 746, 320])
        whole = _column(self)
        whole.addWidget(self.top)
        whole.addWidget(self.columns, 1)

    def set_theme(self, theme: Theme, *, other: str) -> None:
        """Dress what paints itself; `other` is the theme that the button offers."""
        self.top.theme_button.setText(other)
        self.lines.set_theme(theme)
        self.face.set_theme(theme)

    def show_beside(self, shown: bool) -> None:
        """Show or hide everything but the page and its bar."""
        self._beside = shown
        self.top.setVisible(shown)
        self._show_sides()

    def give_room(self, alone: bool, lists: bool, faces: bool) -> None:
        """Give a page the room beside it, or that of the lines, or of the face, or take it back."""
        self._alone, self._lists, self._faces = alone, lists, faces
        self._show_sides()

    def _show_sides(self) -> None:
        room = self._beside and not self._alone
        self.lines.setVisible(room and not self._lists)
        self.right.setVisible(room and self._faces)


def _column(widget: QWidget) -> QVBoxLayout:
    layout = QVBoxLayout(widget)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    return layout
