"""The one-euro filter (Casiez, Roussel & Vogel 2012): smooth where a signal is slow, quick where it is quick."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from .life.shapes import Array

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


def smoothed(times: Array, curves: Mapping[str, Array], smoothing: float) -> dict[str, Array]:
    """Curves (n,) at rising times (n,), smoothed as `OneEuro` does, once forwards and once backwards, so that
    nothing comes late."""
    names = list(curves)
    if smoothing <= 0 or len(times) < 3 or not names:
        return dict(curves)
    table = np.stack([curves[n] for n in names], 1)
    units = np.array([DEGREES if n.startswith(("head_", "gaze_")) else 1.0 for n in names])
    there = _forwards(times, table, units, smoothing)
    back = _forwards(-times[::-1], table[::-1], units, smoothing)[::-1]
    made = (there + back) / 2
    return {n: made[:, k] for k, n in enumerate(names)}


def _forwards(times: Array, table: Array, units: Array, smoothing: float) -> Array:
    made, speed = table.copy(), np.zeros(table.shape[1])
    for k in range(1, len(times)):
        step = times[k] - times[k - 1]
        if step > 1.0:
            speed[:] = 0.0
            continue
        raw = (table[k] - made[k - 1]) / step
        speed += _share(RATE, step) * (raw - speed)
        cut = (SLOW + 60 * BETA * np.abs(speed) / units) / smoothing
        lag = 1 / (2 * math.pi * cut)
        made[k] = made[k - 1] + (table[k] - made[k - 1]) / (1 + lag / step)
    return made
