"""The lines of the production beside the page: list, search, filter and sorting."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from ....production.documents import STATES
from ....production.kinds import Key
from ...drawing.theme import Theme
from ...model.context import Context
from .model import STATE_SIGNS, LinesModel
from .view import LinesView

SORTS = (("order", "as placed"), ("speaker", "by speaker"), ("length", "by length"),
         ("state", "by state"), ("words", "by words"))  # fmt: skip


class LinesPanel(QWidget):
    """Follows the document; what is chosen here is chosen everywhere."""

    def __init__(self, context: Context, theme: Theme) -> None:
        super().__init__()
        self._c = context
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.lines = LinesModel(context.document, context.proofing)
        self.list = LinesView(self.lines, theme)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search in all scripts")
        self.search.setAccessibleName("Search in all scripts")
        self.search.setClearButtonEnabled(True)
        self.state = self._box(
            "Show lines that are", [("", "all"), *((s, f"{STATE_SIGNS[s]}  {s}") for s in STATES)]
        )
        self.sort = self._box("Sort lines by", list(SORTS))
        self.heading = QLabel("Lines", objectName="heading")
        choices = QHBoxLayout()
        choices.setSpacing(4)
        choices.addWidget(self.state)
        choices.addWidget(self.sort)
        inner = QVBoxLayout()
        inner.setContentsMargins(8, 0, 8, 0)
        inner.setSpacing(5)
        inner.addWidget(self.heading)
        inner.addWidget(self.search)
        inner.addLayout(choices)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 10, 0, 0)
        column.setSpacing(5)
        column.addLayout(inner)
        column.addWidget(self.list)
        self.search.textChanged.connect(self._again)
        self.state.currentIndexChanged.connect(self._again)
        self.sort.currentIndexChanged.connect(self._again)
        context.document.opened.connect(self._again)
        context.document.changed.connect(self._follow)
        context.proofing.changed.connect(self.lines.show_found)
        context.selection.line_changed.connect(self._show_selection)
        context.current.sound_changed.connect(self._show_sound)
        self.list.chosen.connect(context.selection.show)
        self.list.selected_changed.connect(context.selection.choose)

    def _box(self, name: str, choices: list[tuple[str, str]]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for value, text in choices:
            box.addItem(text, value)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(6)
        return box

    def _show_sound(self) -> None:
        """The recording of the line that is shown may be away by now, or back."""
        self.lines.show_again(self._c.selection.slug)

    def set_theme(self, theme: Theme) -> None:
        self.list.rows.theme = theme
        self.list.viewport().update()

    def show_busy(self, slugs: frozenset[str]) -> None:
        """Show which lines are being listened to."""
        self.lines.show_busy(slugs)

    def _again(self) -> None:
        self.lines.list_again(
            text=self.search.text(), state=str(self.state.currentData()),
            sort=str(self.sort.currentData()),
        )  # fmt: skip
        self._show_selection()
        self._show_count()

    def _follow(self, keys: frozenset[Key]) -> None:
        before = self.lines.slugs
        if self._c.document.previewed in keys:
            return  # what is dragged is not kept yet, and changes nothing here
        self.lines.follow(keys)
        if self.lines.slugs is not before:
            self._show_selection()
            self._show_count()

    def _show_selection(self) -> None:
        self.list.show_selection(self._c.selection.slug, self._c.selection.slugs)

    def _show_count(self) -> None:
        count, total = len(self.lines.slugs), len(self._c.document.production.slugs)
        self.heading.setText("Lines" if count == total else f"Lines · {count} of {total}")
