"""What is known of a face once it was found."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..head import Ints
from .stack import Floats, Moves

Weighted = tuple[Ints, Floats]  # points, and their weights in a mean


@dataclass
class Jaw:
    """The channel that lowers the chin, by how many degrees, about which hinge (y, z)."""

    channel: int
    degrees: float
    hinge: tuple[float, float] | None


@dataclass
class Face:
    """A face in its own frame: x to its own left, y up, z to the front, the middle of the mouth at 0,
    the mouth 1 wide. `turn` (3, 3) and `center`, `width` lead there from the file."""

    points: Floats
    moves: Moves
    faces: Ints
    turn: Floats
    center: Floats
    width: float
    upper: Ints
    lower: Ints
    pairs: tuple[Ints, Ints]
    marks: dict[str, Weighted] = field(default_factory=dict)
    jaw: Jaw | None = None
    said: list[str] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)
