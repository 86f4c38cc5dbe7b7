"""Pictures of heads for widgets: asks the stage's process, brings what comes to the interface
thread."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping

import numpy as np
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QImage

from ...characters.models.looking import TURNS
from ...stage.client import StageClient
from ...stage.messages import Ask, Request

UNSEEN = 1e-5  # of a weight
Then = Callable[[QImage | None, str], None]


NOWHERE = (0.0, 0.0, 0.0, 0.0, 0.0)  # the view that shows it has a camera of its own


def worn(
    model: str, poses: str, framing: tuple[float, ...], weights: Mapping[str, float],
    values: Mapping[str, float] | None = None,
) -> Ask:  # fmt: skip
    """A head with weights of its own channels, as a view is asked to show it. values: of our
    channels, of which those that turn eyes and head are followed too."""
    told = {n: v for n, v in weights.items() if abs(v) > UNSEEN}
    turns = {n: v for n, v in (values or {}).items() if n in TURNS}
    return Ask(model, NOWHERE, poses, turns, told or {next(iter(weights), ""): 0.0}, framing)


class Staging(QObject):
    """One for the window; the process begins when the first picture is wished for."""

    trouble_changed = Signal(str)  # why heads cannot be shown
    _come = Signal(object, object, str)

    def __init__(self) -> None:
        super().__init__()
        self._client: StageClient | None = None
        self._trouble = ""
        self._closed = False
        self._come.connect(self._take, Qt.ConnectionType.QueuedConnection)

    @property
    def trouble(self) -> str:
        return self._trouble

    def draw(self, view: Hashable, request: Request, then: Then) -> None:
        """Draw for a view; only its newest wish counts."""
        if self._closed:
            return
        if self._client is None:
            self._client = StageClient()
        self._client.draw(
            view, request, lambda pixels, problem: self._come.emit(then, pixels, problem)
        )

    def drop(self, view: Hashable) -> None:
        if self._client is not None:
            self._client.drop(view)

    def close(self) -> None:
        """No more pictures; the process ends."""
        self._closed = True
        if self._client is not None:
            self._client.close()

    def _take(self, then: Then, pixels: np.ndarray | None, problem: str) -> None:
        if self._closed:
            return
        client = self._client
        if client is not None and client.trouble != self._trouble:
            self._trouble = client.trouble
            self.trouble_changed.emit(self._trouble)
        image = None
        if pixels is not None:
            height, width = pixels.shape[:2]
            image = QImage(pixels.tobytes(), width, height, QImage.Format.Format_RGBA8888)
            image = image.copy()  # it owns its pixels
        then(image, problem)
