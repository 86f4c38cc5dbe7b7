"""Windows that show heads, and a head nobody prepared."""

from __future__ import annotations

import tempfile
from collections.abc import Hashable
from functools import cache
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QTimer
from PySide6.QtGui import QImage

from glyphos.app.drawing.staging import PAINTED, Then
from glyphos.stage.messages import Request
from tests.app.harness import WindowCase
from tests.characters.remade import own, plain, saved, without

DROPPED = ("lips_press", "lip_tighten", "chin_raise")


@cache
def model() -> Path:
    """A foreign head that cannot press its lips, as a file."""
    path = Path(tempfile.mkdtemp()) / "porter.glb"
    return saved(plain(without(own("osric"), *DROPPED)), path)


def _blank(view: Hashable, request: Request, then: Then, *, process: int = 0) -> None:
    """A picture of nothing, as soon as whoever asks goes on."""
    image = QImage(*request.size, PAINTED)
    image.fill(0xFF808080)
    QTimer.singleShot(0, lambda: then(image, ""))


class Heads(WindowCase):
    """A window that shows heads."""

    shown_as = "head"
    looked_at: tuple[str, ...] | None = (
        None  # tests whose heads are really drawn, else grey stands for them; None: all
    )

    def setUp(self) -> None:
        super().setUp()
        if self.looked_at is not None and self._testMethodName not in self.looked_at:
            self.enterContext(mock.patch.object(self.context.staging, "draw", _blank))
        self.face = self.window.face_panel
        self.characters = self.window.pages["characters"]

    def seen(self, view=None) -> None:  # type: ignore[no-untyped-def]
        """Wait until a picture has come."""
        view = view or self.face.head
        self.wait(lambda: view.image is not None)
