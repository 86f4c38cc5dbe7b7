"""What stands for pictures of heads in tests that do not look at them: heads take long to load and to paint."""

from __future__ import annotations

from collections.abc import Hashable

from PySide6.QtCore import QTimer
from PySide6.QtGui import QImage

from glyphos.app.drawing.staging import PAINTED, Then
from glyphos.stage.messages import Request


def grey(view: Hashable, request: Request, then: Then, *, process: int = 0) -> None:
    """A picture of nothing, as soon as whoever asks goes on."""
    image = QImage(*request.size, PAINTED)
    image.fill(0xFF808080)
    QTimer.singleShot(0, lambda: then(image, ""))
