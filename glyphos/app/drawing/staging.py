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
PAINTED = QImage.Format.Format_ARGB32_Premultiplied


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
    """One for the window; a process begins when the first picture is wished for, a second one when several
    heads are to move at once."""

    trouble_changed = Signal(str)  # why heads cannot be shown
    _come = Signal(object, object, str)

    def __init__(self) -> None:
        super().__init__()
        self._clients: list[StageClient] = []
        self._given: dict[
            Hashable, tuple[int, int]
        ] = {}  # views that wait: for whom, and their newest wish
        self._wishes = 0
        self._trouble = ""
        self._closed = False
        self._come.connect(self._take, Qt.ConnectionType.QueuedConnection)

    @property
    def trouble(self) -> str:
        return self._trouble

    def draw(self, view: Hashable, request: Request, then: Then, *, process: int = 0) -> None:
        """Draw for a view; only its newest wish counts. process: by which of them, unless another draws for
        the view already."""
        if self._closed:
            return
        number = self._given.get(view, (process, 0))[0]
        while len(self._clients) <= number:
            self._clients.append(StageClient())
        self._wishes += 1
        wish = self._wishes
        self._given[view] = (number, wish)
        self._clients[number].draw(
            view, request, lambda pixels, problem: self._come.emit((view, wish, then), pixels, problem)
        )  # fmt: skip

    def drop(self, view: Hashable) -> None:
        self._given.pop(view, None)
        for client in self._clients:
            client.drop(view)

    def close(self) -> None:
        """No more pictures; the processes end."""
        self._closed = True
        for client in self._clients:
            client.close()

    def _take(
        self, asked: tuple[Hashable, int, Then], pixels: np.ndarray | None, problem: str
    ) -> None:
        if self._closed:
            return
        view, wish, then = asked
        if self._given.get(view, (0, 0))[1] <= wish:
            self._given.pop(view, None)
        trouble = next((c.trouble for c in self._clients if c.trouble), "")
        if trouble != self._trouble:
            self._trouble = trouble
            self.trouble_changed.emit(self._trouble)
        image = None
        if pixels is not None:
            height, width = pixels.shape[:2]
            image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_RGBA8888)
            image = image.convertToFormat(PAINTED)  # it owns its pixels, as they are painted
        then(image, problem)
