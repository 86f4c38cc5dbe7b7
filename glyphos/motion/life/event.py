"""What happens in a living face, and why; and how lively it is to be."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import msgspec

PARTS = ("blinks", "gaze", "brows", "head", "face")
Part = Literal["blinks", "gaze", "brows", "head", "face"]
State = Literal["talk", "listen", "read"]
Strength = Annotated[float, msgspec.Meta(ge=0, le=2)]


@dataclass(frozen=True)
class Event:
    """One thing that happens: seconds of its start, peak and end, its size (degrees, or 0..1), the
    reason in words, and what its shape needs (`more`)."""

    part: Part
    kind: str
    start: float
    peak: float
    end: float
    size: float
    reason: str
    more: tuple[float, ...] = ()


@dataclass(frozen=True)
class Spell:
    """Looking away, towards (x, y) degrees, and why."""

    start: float
    end: float
    x: float
    y: float
    why: str
    back: str


class Liveliness(msgspec.Struct, frozen=True):
    """Strength of all, and of each part (1: as found in talk); seed: of the draws. head: may be off."""

    strength: Strength = 1.0
    seed: int = 0
    blinks: Strength = 1.0
    gaze: Strength = 1.0
    brows: Strength = 1.0
    head: Strength = 1.0
    face: Strength = 1.0
    state: State = "talk"

    def of(self, part: Part) -> float:
        """Strength of a part, with that of all."""
        return self.strength * float(getattr(self, part))
