"""The gesture channels: their names are part of the file formats."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from ..tables import rows


@dataclass(frozen=True)
class Channel:
    """Range, and reach in seconds before and after a sound."""

    name: str
    low: float
    high: float
    before: float
    after: float
    idle: float


@cache
def channels() -> tuple[Channel, ...]:
    """All gesture channels in the order of the file formats."""
    return tuple(
        Channel(
            r["name"], float(r["low"]), float(r["high"]),
            float(r["before_ms"]) / 1000, float(r["after_ms"]) / 1000,
            float(r["idle"]),
        )
        for r in rows("channels.csv")
    )  # fmt: skip


@cache
def index(name: str) -> int:
    """Column of a channel."""
    return [c.name for c in channels()].index(name)
