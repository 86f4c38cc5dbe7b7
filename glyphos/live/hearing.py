"""A mouth driven by running sound: blocks in, values of the mouth's channels out, about a tenth of a second later."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..speech.acoustic import load_model
from .estimate import Net, Speech, Table, learned, states_of
from .front import DELAY, Frame, Front
from .loop import SCALE, Loop
from .mouth import Mouth

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
BLEND = 0.35  # share of the table's estimate beside the net's


@dataclass(frozen=True)
class Heard:
    """One frame: values of `estimate.CHANNELS`, whether somebody speaks (log odds), how loud against their own, dB."""

    values: Array
    speech: float
    loud: float


class Hearing:
    """`push` takes mono samples at 16 kHz and gives one Heard for each 10 ms that is complete."""

    def __init__(self) -> None:
        lag = learned().lag
        self.delay = DELAY + 0.01 * lag  # seconds from a sample to its value
        self._front, self._speech, self._net = Front(), Speech(), Net()
        self._loop, self._table, self._mouth = Loop(lag), Table(lag), Mouth()
        self._model = load_model()
        self._silence = states_of("SIL", "+NSN+", "+SPN+")

    def calibrate(self) -> None:
        """Learn the speaker and the room anew: five seconds of talk are enough."""
        self._front.calibrate()

    def push(self, block: Floats) -> list[Heard]:
        """What is heard in these samples, as far as it is complete."""
        return [self._frame(f) for f in self._front.push(block)]

    def _frame(self, frame: Frame) -> Heard:
        odds = self._speech.push(frame)
        first, second, third = frame.streams
        scores = self._model.score((first[None], second[None], third[None]))[0]
        scores[self._silence] -= odds / SCALE
        posteriors = self._loop.push(scores)
        silence = posteriors[:, self._silence].sum(axis=1)
        table, shut = self._table.push(posteriors)
        values, own = self._net.push(frame, posteriors, odds)
        noisy = (
            0.5 * frame.own_noisy
        )  # in noise the learned detector finds more than the posteriors do
        shut = (1 - noisy) * shut + noisy / (1 + float(np.exp(-own)))
        mixed = (1 - BLEND) * values + BLEND * table
        made = self._mouth.step(mixed, shut, float(silence[0]), float(silence[-1]), odds)
        return Heard(made, odds, frame.loud)
