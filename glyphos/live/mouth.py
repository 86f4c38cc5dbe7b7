"""The last step of the live mouth: estimates, closures and silence become curves without jitter."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .ear import CHANNELS, JAW, PART, PRESS

Array = NDArray[np.float64]
STEP = 0.01  # seconds
LOW = np.array([-1.0 if c in ("lips_wide", "tongue_front") else 0.0 for c in CHANNELS])
SHUT, AGAIN = -0.3, -1.0  # log odds at which lips shut, and under which they are let go
RISE, FALL, HOLD = 3, 5, 2  # frames from open to shut, back, and shut at least
WAIT = 6  # frames of silence until rest
# In speech lips are parted by so much at the least, but in a closure: less is seen as shut. So they stay for so many
# frames after it, since a silence as short is a stop or a short pause, in which they do not meet
PARTED, BRIDGE = 0.06, 6
WAKE, REST = 1.0, 0.0  # log odds of speech that wake it, and under which it is silence
SPAN = 3  # frames over which those are averaged
SETTLE, START = 0.020, 0.010  # seconds of going to rest, and of leaving it
TAU = 0.006 * np.array(
    [1.3, 1.0, 1.3, 1.3, 1.0, 1.0, 1.2, 1.0, 1.0, 1.2, 1.2]
)  # seconds of the followers


class Mouth:
    """`step` takes an estimate with the probabilities of a closure and of silence, and gives values to show."""

    def __init__(self) -> None:
        self._x, self._v = np.zeros(len(CHANNELS)), np.zeros(len(CHANNELS))
        self._phase, self._held, self._shut = 0.0, 0, False
        self._odds = [-6.0] * SPAN
        self._silent, self._awake, self._since = 99, False, 99
        self._parted = 0.0
        self._act, self._act_v = np.zeros(1), np.zeros(1)

    def step(self, estimate: Array, shut: float, speech: float) -> Array:
        """shut, speech: log odds that lips are shut, and that somebody speaks."""
        self._wake(speech)
        pace = 1 / (START if self._awake else SETTLE)
        self._act, self._act_v = _follow(self._act, self._act_v, np.array([float(self._awake)]), np.array([pace]))  # fmt: skip
        act = min(max(float(self._act[0]), 0.0), 1.0)
        if act < 0.02 and not self._awake:
            act = 0.0
        self._x, self._v = _follow(self._x, self._v, estimate, 1 / TAU)
        self._close(shut)
        closed = _ease(self._phase)
        made = np.clip(self._x, LOW, 1.0) * act
        self._parted += (float(self._since < BRIDGE) - self._parted) * 0.5
        if self._parted > 0.02:
            made[PART] = max(made[PART], PARTED * self._parted)
        made[PART] *= 1 - closed
        made[JAW] *= 1 - 0.4 * closed
        made[PRESS] = max(made[PRESS], 0.5 * closed * act)
        return np.asarray(made + 0.0)

    def _wake(self, speech: float) -> None:
        self._odds = [*self._odds[1:], speech]
        sure = sum(self._odds) / SPAN
        self._silent = self._silent + 1 if sure < REST else 0
        if self._silent > WAIT:
            self._awake = False
        elif sure > WAKE:
            self._awake = True
        self._since = 0 if self._awake else self._since + 1

    def _close(self, shut: float) -> None:
        """Closures come slowly enough to be a movement and stay long enough to be seen."""
        if not self._shut and shut > SHUT:
            self._shut, self._held = True, 0
        elif self._shut:
            self._held += self._phase >= 1
            if self._held >= HOLD and shut < AGAIN:
                self._shut = False
        move = 1 / RISE if self._shut else -1 / FALL
        self._phase = min(max(self._phase + move, 0.0), 1.0)


def _ease(x: float) -> float:
    return x * x * (3 - 2 * x)


def _follow(x: Array, v: Array, goal: Array, omega: Array) -> tuple[Array, Array]:
    """One step of a critically damped follower, exact for a goal that stays."""
    e = np.exp(-omega * STEP)
    d = x - goal
    k = v + omega * d
    return goal + (d + k * STEP) * e, (v - omega * k * STEP) * e
