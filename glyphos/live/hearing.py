"""A mouth driven by running sound: blocks in, values of the mouth's channels out, about a tenth of a second later."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..speech.acoustic import load_model
from .ear import LAG
from .ears import Ears, Known
from .front import DELAY, Frame, Front
from .mouth import Mouth
from .throat import Throat

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
SURE = 6.0  # most log odds of speech
# Of a voice that is new the ears are shy to shut the lips: something is added, less and less while somebody speaks
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
        self._model = load_model()
        self._front = Front(Throat(self._model))
        self._ears, self._mouth = Ears(), Mouth()
        self._shy = SHY

    def calibrate(self) -> None:
        """Learn the speaker and the room anew: five seconds of talk are enough."""
        self._front.calibrate()
        self.know(None)

    def know(self, known: Known | None) -> None:
        """What a sentence told of the speaker (`speaker`), who is not new then; None: nothing."""
        self._ears.known = known
        self._shy = SHY if known is None else 0.0

    def push(self, block: Floats) -> list[Heard]:
        """What is heard in these samples, as far as it is complete."""
        self._ears.hear(block)
        frames = self._front.push(block)
        if not frames:
            return []
        first, second, third = (np.stack(s) for s in zip(*(f.streams for f in frames), strict=True))
        scores = self._model.score((first, second, third))
        return [self._frame(f, s) for f, s in zip(frames, scores, strict=True)]

    def _frame(self, frame: Frame, scores: Floats) -> Heard:
        values, shut, speech = self._ears.push(frame, scores)
        if speech > 0:
            self._shy *= 1 - 0.01 / KNOWN
        shut += self._shy * (1.0 - frame.own_noisy)
        speech = min(max(float(speech), -SURE), SURE)
        return Heard(self._mouth.step(values, shut, speech), speech, frame.loud)
