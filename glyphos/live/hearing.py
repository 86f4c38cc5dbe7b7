"""A mouth driven by running sound: blocks in, values of the mouth's channels out, about a tenth of a second later."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .ear import AHEAD, DELAY, Answer, Ear, Known
from .mouth import Mouth
from .room import Around, Room

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
SURE = 6.0  # most log odds of speech


@dataclass(frozen=True)
class Heard:
    """One frame: values of `ear.CHANNELS`, whether somebody speaks (log odds), how loud against their own, dB."""

    values: Array
    speech: float
    loud: float


class Hearing:
    """`push` takes mono samples at 16 kHz and gives one Heard for each 10 ms that is complete."""

    def __init__(self) -> None:
        self.delay = DELAY  # seconds from a sample to its value
        self._room, self._ear, self._mouth = Room(), Ear(), Mouth()
        self._answers, self._early = deque[Answer](), AHEAD

    def calibrate(self) -> None:
        """Learn the speaker and the room anew: five seconds of talk are enough."""
        self._room.calibrate()
        self.know(None)

    def know(self, known: Known | None) -> None:
        """What a sentence told of the speaker (`speaker`); None: nothing."""
        self._ear.known = known

    def push(self, block: Floats) -> list[Heard]:
        """What is heard in these samples, as far as it is complete."""
        self._answers.extend(self._ear.push(block))  # as many as are due, or one more
        made = self._room.push(block)
        early = min(self._early, len(made))
        self._early -= early
        return [self._frame(around, self._answers.popleft()) for around in made[early:]]

    def _frame(self, around: Around, answer: Answer) -> Heard:
        speech = min(max(float(answer.speech), -SURE), SURE)
        values = self._mouth.step(answer.values.astype(np.float64), answer.shut, speech)
        return Heard(values, speech, around.loud)
