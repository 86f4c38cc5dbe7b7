"""The one-euro filter (Casiez, Roussel & Vogel 2012): smooth where a signal is slow, quick where it is quick."""

from __future__ import annotations

import math
from collections.abc import Mapping

SLOW, BETA, RATE = (
    1.0,
    0.06,
    1.0,
)  # Hz where nothing moves, Hz more a unit a second, Hz of the speed
DEGREES = 30.0  # that count as one unit


class OneEuro:
    """One for many channels. smoothing: 0 none, 1 as in the paper's example, more is smoother."""

    def __init__(self, smoothing: float = 1.0) -> None:
        self.smoothing = smoothing
        self._last: dict[str, tuple[float, float, float]] = {}  # seconds, value, speed

    def __call__(self, seconds: float, values: Mapping[str, float]) -> dict[str, float]:
        """Values at a time, smoothed."""
        return {name: self._one(name, seconds, value) for name, value in values.items()}

    def _one(self, name: str, seconds: float, value: float) -> float:
        last = self._last.get(name)
        if last is None or self.smoothing <= 0 or seconds - last[0] > 1.0:
            self._last[name] = (seconds, value, 0.0)
            return value
        step = seconds - last[0]
        if step <= 0:
            return last[1]
        raw = (value - last[1]) / step
        speed = last[2] + _share(RATE, step) * (raw - last[2])
        unit = DEGREES if name.startswith(("head_", "gaze_")) else 1.0
        cut = (SLOW + 60 * BETA * abs(speed) / unit) / self.smoothing
        made = last[1] + _share(cut, step) * (value - last[1])
        self._last[name] = (seconds, made, speed)
        return made


def _share(hertz: float, step: float) -> float:
    """How much of a step a low pass of a frequency takes."""
    lag = 1 / (2 * math.pi * hertz)
    return 1 / (1 + lag / step)
