"""All that listens, together: ears that were taught here (`ear`), and one that knows many more people (`inner`).

They hear the same sound by other means, so what one of them mishears the other mostly does not (Hansen & Salamon
1990). What a speaker is known by corrects the log odds of shut lips, by what all of them remember.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .ear import Ear
from .front import Frame
from .inner import Answer, Inner

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
INNER = 0.7  # its share of every answer


@dataclass(frozen=True)
class Known:
    """Of a speaker: what is added to the log odds of shut lips, `weights` times what is remembered, and `more`; from
    how many closures that was learnt (`speaker`)."""

    weights: Floats
    more: float
    closures: int


class Ears:
    """`hear` takes the sound, `push` each frame that `front` has of it, with its scores, and gives (values of
    `ear.CHANNELS`, log odds that lips are shut, and of speech), LAG frames earlier."""

    def __init__(self) -> None:
        self._ear, self._inner = Ear(), Inner()
        self._answers = deque[Answer]()
        self._remembered = self._inner.remembered
        self.known: Known | None = None

    @property
    def remembered(self) -> Floats:
        """What all of them remember, of the newest frame."""
        return np.concatenate([self._ear.remembered, self._remembered])

    def hear(self, block: Floats) -> None:
        """Mono samples at 16 kHz."""
        self._answers.extend(self._inner.push(block))

    def push(self, frame: Frame, scores: NDArray[np.floating]) -> tuple[Array, float, float]:
        answer = self._answers.popleft()  # there are as many as frames, or more
        self._remembered = answer.remembered
        values, shut, speech = self._ear.push(frame, scores)
        values = values + INNER * (answer.values - values)
        shut += INNER * (answer.shut - shut)
        speech += INNER * (answer.speech - speech)
        if self.known is not None:
            shut += float(self.remembered @ self.known.weights) + self.known.more
        return values, shut, speech
