"""The score in its frame: scrolls by whole rows and keeps the playhead's row in sight."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QScrollArea

from ....speech.parts import Part
from ...drawing.theme import Theme
from .hands import ScorePaper

NEAR = 0.75  # seconds beside the playhead that follow a hand before all else


class ScoreView(QScrollArea):
    """The page in its frame; keeps the playhead's row in sight."""

    rows_moved = Signal()  # other rows are in sight

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.page = ScorePaper(theme)
        self.setWidget(self.page)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusProxy(self.page)
        self.setAccessibleName("Score page")
        self.verticalScrollBar().valueChanged.connect(lambda _: self.rows_moved.emit())

    def resizeEvent(self, event: QResizeEvent) -> None:
        # The same width whether the bar is there or not, or a page that just needs it would be laid out twice
        self.page.column = self.width() - self.verticalScrollBar().sizeHint().width()
        super().resizeEvent(event)
        self.page.set_room(self.viewport().height())
        self.rows_moved.emit()

    def visible_span(self) -> tuple[float, float]:
        """Time that the rows in sight show."""
        top = self.verticalScrollBar().value()
        return self.page.visible_span(top, top + self.viewport().height())

    def near_span(self, seconds: float) -> tuple[float, float]:
        """Time around a moment, within its row."""
        page = self.page.page
        if page is None:
            return 0.0, 0.0
        row = page.rows[page.row_at(seconds)]
        return max(row.start, seconds - NEAR), min(row.end, seconds + NEAR) - 1e-6

    def follow(self, seconds: float) -> None:
        """Show the playhead at a time, scrolling by whole rows when it moves out of sight.

        A playhead that stands still leaves the page where a person scrolled it to.
        """
        moved = seconds != self.page.playhead
        self.page.set_playhead(seconds)
        if moved and self.page.page is not None:
            self.bring_row(self.page.page.row_at(seconds))

    def bring_row(self, row: int) -> None:
        """Scroll so that a row is in sight."""
        top = self.page.row_top(row)
        bar = self.verticalScrollBar()
        seen = bar.value() + self.viewport().height()
        if top < bar.value() or top + self.page.bands.height > seen + 1:
            bar.setValue(int(top - 13))

    def bring_part(self, part: Part) -> None:
        """Scroll so that a part is in sight."""
        if self.page.page is not None and self.page.flat is not None and self.page.flat.valid(part):
            self.bring_row(self.page.page.row_at(self.page.flat.span(part)[0]))
