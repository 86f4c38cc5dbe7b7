"""How long the throat of whoever speaks is (`speech.throat`), found while they do: a question a frame, so that nothing
waits for it, asked again as more is heard, and of whoever speaks next."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..speech import frontend, held
from ..speech.acoustic import AcousticModel
from ..speech.throat import asking

Floats = NDArray[np.float32]
EVERY = 2  # of the frames in which somebody speaks one is kept
KEPT = 120  # frames that are asked
# Kept frames before the first round; the next come at twice as many, at most so many later
FIRST, OFTEN = 30, 400


class Throat:
    """`push` takes the power spectrum of each frame; `stretch` is the answer so far."""

    def __init__(self, model: AcousticModel) -> None:
        self._model, self.stretch = model, 1.0
        self.begin()

    def begin(self) -> None:
        """Learn anew, from the next frames alone; the answer so far stays until there is another."""
        self._kept: deque[Floats] = deque(maxlen=KEPT)
        self._spoken, self._next = 0, FIRST
        self._round: Iterator[float] | None = None
        self._answer = 1.0

    @property
    def heard(self) -> Floats:
        """Power spectra that were kept, shape (frames, 257)."""
        return np.stack(self._kept)

    def push(self, power: Floats, speaks: bool) -> bool:
        """Whether there is another answer."""
        if speaks:
            self._spoken += 1
            if self._spoken % EVERY == 0:
                self._kept.append(power)
        if self._round is None:
            if self._spoken // EVERY >= self._next:
                self._next += min(self._next, OFTEN)
                power = self.heard
                alike = held.heard(frontend.cepstra_of(power)).alike
                self._round = asking(self._model, power, alike, EVERY)
            return False
        answer = next(self._round, None)
        if answer is not None:
            self._answer = answer
            return False
        self._round = None
        changed, self.stretch = self._answer != self.stretch, self._answer
        return changed
