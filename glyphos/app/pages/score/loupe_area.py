"""The Loupe with its head: which word is shown, how sure it is, where the chosen edge stands."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from ....speech.edits import pin_count
from ...drawing.theme import Theme
from ...drawing.words import counted, edge_text, sureness
from ...model.context import Context
from .loupe import Loupe


class LoupeArea(QWidget):
    """Follows current line and selection; tells nothing but through the Loupe's own signals."""

    def __init__(self, context: Context, theme: Theme) -> None:
        super().__init__(objectName="panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._c = context
        self._theme = theme
        self.loupe = Loupe(theme)
        self.title = QLabel(objectName="loupehead")
        self.title.setAccessibleName("In the Loupe")
        self.snap = QComboBox()
        self.snap.setAccessibleName("Edges snap to")
        self.snap.setToolTip("What an edge snaps to while it is dragged")
        for value in ("off", "frames", "energy"):
            self.snap.addItem(f"snap: {value}", value)
        head = QHBoxLayout()
        head.setContentsMargins(14, 3, 14, 0)
        head.addWidget(self.title, 1)
        head.addWidget(self.snap)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(head)
        column.addWidget(self.loupe, 1)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._show_title)
        current, selection = context.current, context.selection
        self.snap.activated.connect(lambda _: self._snap_chosen())
        self.loupe.edge_chosen.connect(selection.choose_edge)
        self.loupe.shown_changed.connect(self._title_soon)
        current.line_changed.connect(self.loupe.pass_by)
        current.reading_changed.connect(self._show_reading)
        current.motion_changed.connect(self._show_motion)
        current.sound_changed.connect(self._show_sound)
        selection.part_changed.connect(self._show_part)
        selection.edge_changed.connect(self._show_edge)

    def set_theme(self, theme: Theme) -> None:
        self._theme = self.loupe.theme = theme
        self._show_title()

    def show_preferences(self) -> None:
        """Snap and shading as they are preferred."""
        now = self._c.preferring.now
        self.loupe.snap = now.snap
        self.snap.setCurrentIndex(self.snap.findData(now.snap))
        self.loupe.set_formants(now.formants)

    def _snap_chosen(self) -> None:
        self._c.preferring.set(snap=str(self.snap.currentData()))

    def _show_sound(self) -> None:
        opened = self._c.current.opened
        samples = opened.recording.samples if opened is not None else self.loupe.samples[:0]
        self.loupe.show_sound(samples, 16_000, self._c.current.duration)

    def _show_reading(self) -> None:
        self.loupe.show_reading(self._c.current.flat if self._c.current.heard else None)
        self._title_soon()

    def _show_motion(self) -> None:
        self.loupe.show_motion(self._c.current.motion, self._c.current.delivery.lead / 1000)

    def _show_part(self) -> None:
        self.loupe.show_part(self._c.selection.part)

    def _show_edge(self) -> None:
        self.loupe.show_edge(self._c.selection.edge)
        self._title_soon()

    def _title_soon(self) -> None:
        self._soon.start(0)

    def _show_title(self) -> None:
        flat, part = self.loupe.flat, self.loupe.word()
        if flat is None or part is None:
            self.title.clear()
            return
        a, b = flat.word_range(part)
        text = " ".join(w.text for w in flat.words[a:b])
        pins = pin_count(flat.reading, part)
        least = min(flat.words[a:b], key=lambda w: w.confidence if w.doubtful else 1 + w.confidence)
        shown = [
            f"<b style='color:{self._theme.ink}'>{text[:60]}</b>",
            f"{counted(pins, 'edge')} pinned" if pins else "",
            sureness(least),
        ]
        edge = self._c.selection.edge
        if edge is not None and flat.has_edge(edge):
            shown.append(f"edge at {edge_text(flat.edge_time(edge), float(self._c.current.fps))}")
        self.title.setText(" · ".join(t for t in shown if t))
