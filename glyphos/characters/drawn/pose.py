"""Channel values as a drawing reads them: within their ranges, 0 where there is none."""

from __future__ import annotations

from collections.abc import Mapping

from .ink import clamp

SIGNED = {"lips_wide", "tongue_front"}
TURNS = ("head_yaw", "head_pitch", "head_roll")


class Pose:
    """Reads a mapping of channels. Sides are the character's own: −1 is picture left, its right."""

    def __init__(self, values: Mapping[str, float]) -> None:
        self._values = values

    def __call__(self, name: str) -> float:
        return clamp(float(self._values.get(name, 0.0)), -1.0 if name in SIGNED else 0.0, 1.0)

    def side(self, name: str, s: int) -> float:
        """`name`_right (s = −1) or `name`_left, else the plain name, which sets both."""
        own = name + ("_right" if s < 0 else "_left")
        return clamp(float(self._values.get(own, self._values.get(name, 0.0))))

    def degrees(self, name: str, limit: float) -> float:
        """An angle, at most `limit` either way."""
        return clamp(float(self._values.get(name, 0.0)), -limit, limit)
