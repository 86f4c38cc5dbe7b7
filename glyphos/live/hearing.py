"""A mouth driven by running sound: blocks in, values of the mouth's channels out, about a tenth of a second later."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .ear import LAG, Answer, Ear, Known
from .front import DELAY, Frame, Front
from .mouth import Mouth

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
SURE = 6.0  # most log odds of speech
# Of a voice that is new the ear is shy to shut the lips: something is added, less and less while somebody speaks
SHY, KNOWN = 0.4, 4.0  # what is added at first, and seconds of speech in which it falls to a third


@dataclass(frozen=True)
class Heard:
    """One frame: values of `ear.CHANNELS`, whether somebody speaks (log odds), how loud against their own, dB."""

    values: Array
    speech: float
    loud: float


class Hearing:
    """`push` takes mono samples at 16 kHz and gives one Heard for each 10 ms that is complete."""

    def __init__(self) -> None:
        self.delay = DELAY + 0.01 * LAG  # seconds from a sample to its value
        self._front, self._ear, self._mouth = Front(), Ear(), Mouth()
        self._answers = deque[Answer]()
        self._shy = SHY

    def calibrate(self) -> None:
        """Learn the speaker and the room anew: five seconds of talk are enough."""
        self._front.calibrate()
        self.know(None)

    def know(self, known: Known | None) -> None:
        """What a sentence told of the speaker (`speaker`), who is not new then; None: nothing."""
        self._ear.known = known
        self._shy = SHY if known is None else 0.0

    def push(self, block: Floats) -> list[Heard]:
        """What is heard in these samples, as far as it is complete."""
        self._answers.extend(self._ear.push(block))  # as many as frames, or more
        return [self._frame(f, self._answers.popleft()) for f in self._front.push(block)]

    def _frame(self, frame: Frame, answer: Answer) -> Heard:
        shut, speech = answer.shut, answer.speech
        if speech > 0:
            self._shy *= 1 - 0.01 / KNOWN
        shut += self._shy * (1.0 - frame.own_noisy)
        speech = min(max(float(speech), -SURE), SURE)
        return Heard(
            self._mouth.step(answer.values.astype(np.float64), shut, speech), speech, frame.loud
        )
