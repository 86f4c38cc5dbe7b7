"""The gesture channels: their names are part of the file formats."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np

from ..tables import rows


@dataclass(frozen=True)
class Channel:
    """Range, time constant (seconds), greatest speed (full ranges a second), pull to none."""

    name: str
    low: float
    high: float
    tau: float
    speed: float
    idle: float

    @property
    def span(self) -> float:
        return self.high - self.low


@cache
def channels() -> tuple[Channel, ...]:
    """All gesture channels in the order of the file formats."""
    return tuple(
        Channel(
            r["name"], float(r["low"]), float(r["high"]), float(r["tau_ms"]) / 1000,
            float(r["speed"]), float(r["idle"]),
        )
        for r in rows("channels.csv")
    )  # fmt: skip


@cache
def index(name: str) -> int:
    """Column of a channel."""
    return [c.name for c in channels()].index(name)


JAW, PART, WIDE, ROUND, PRESS, TEETH, UPPER, TIP, BETWEEN, FRONT, HIGH = (
    index(name) for name in (
        "jaw_open", "lips_part", "lips_wide", "lips_round", "lips_press", "lip_to_teeth",
        "upper_lip_raise", "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_high",
    )
)  # fmt: skip
COUNT = len(channels())
LOW = np.array([c.low for c in channels()])
TOP = np.array([c.high for c in channels()])
