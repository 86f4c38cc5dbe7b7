"""The Booth: a line before there is an actor, and then with one."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QSplitter, QWidget

from ...drawing.scrolled import Scrolled
from ...drawing.theme import Theme
from ...model.context import Context
from ...page import Command, Page
from .recording import Recording
from .saying import Saying


class BoothPage(Page):
    """Say it on the left, record it on the right."""

    name = "booth"

    def __init__(self, context: Context, theme: Theme) -> None:
        self._c = context
        self.saying = Saying(context)
        self.recording = Recording(context, theme)
        self._root = QSplitter()
        self._root.addWidget(self.saying)
        record = Scrolled()  # in a low window there is more than it shows
        record.setFrameShape(Scrolled.Shape.NoFrame)
        record.setWidget(self.recording)
        record.setAccessibleName("Record and live")
        self._root.addWidget(record)
        self._root.setChildrenCollapsible(False)
        self._root.setSizes([300, 450])

    def widget(self) -> QWidget:
        return self._root

    def commands(self) -> Sequence[Command]:
        page, say, record = self.name, self.saying, self.recording
        return [
            Command("booth-hear", "Hear the text", "Booth", say.hear, "Ctrl+Space", page),
            Command("booth-make", "Make lines of the text", "Booth", say.make, "Ctrl+Return", page),
            Command("booth-again", "Say the placeholder line again", "Booth", say.again, "", page),
            Command("booth-record", "Record a take, or end it", "Booth", record.record, "R", page),
            Command("booth-take", "Hear the take", "Booth", record.hear, "T", page),
            Command("booth-live", "Speak now, or no more", "Booth", record.live.flip, "N", page),
            Command(
                "booth-calibrate", "Calibrate the live face", "Booth", record.live.learn, "", page
            ),
            Command("booth-use", "Use this take", "Booth", record.use, "U", page),
        ]

    def enter(self) -> None:
        self.saying.refresh()
        self.recording.refresh()
        self.saying.text.setFocus()

    def leave(self) -> None:
        self.recording.let_go()

    def set_theme(self, theme: Theme) -> None:
        self.recording.level.theme = theme
        self.recording.level.update()
