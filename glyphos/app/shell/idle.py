"""What nobody has asked for yet is made in idle moments, so that it is there when it is wanted."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

from ..model.context import Context
from .pages import Pages

IDLE = 400  # ms between two pages that are made before anybody asks for them


class Idle(QTimer):
    """Makes the missing pages, one in each moment in which nothing has happened for a while."""

    def __init__(
        self, context: Context, pages: Pages, busy: Callable[[], bool], parent: QObject
    ) -> None:
        super().__init__(parent)
        self._pages, self._busy = pages, busy
        self.setInterval(IDLE)
        self.timeout.connect(self._make_missing)
        for happening in (
            context.current.motion_changed, context.document.opened, context.document.changed,
            context.selection.line_changed,
        ):  # fmt: skip
            happening.connect(lambda *_: self._put_off())

    def _make_missing(self) -> None:
        if self._pages.missing and not self._busy():
            _ = self._pages[self._pages.missing]
        if not self._pages.missing:
            self.stop()

    def _put_off(self) -> None:
        """Something is happening: what nobody asked for waits for a quiet moment."""
        if self.isActive():
            self.start()
