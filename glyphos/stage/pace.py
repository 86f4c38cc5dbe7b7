"""How pictures are drawn that are wanted soon: with fewer triangles where whole ones would come late."""

from __future__ import annotations

from dataclasses import dataclass

COST = 0.55  # of the time of a whole picture, what one takes that is drawn lightly
SLOW, QUICK = 3, 40  # pictures in a row until they are drawn lightly, or whole again
EASE = 0.7  # of the time that a whole picture must be expected to fit into


@dataclass
class _State:
    light: bool = False
    late: int = 0
    early: int = 0


class Pace:
    """`light` before a picture, `took` after it; views of one size share what was learned."""

    def __init__(self) -> None:
        self._states: dict[tuple[int, int], _State] = {}

    def light(self, size: tuple[int, int], within: float) -> bool:
        """Whether to draw it lightly. within: seconds that a picture may take, 0 if it is to be whole."""
        return within > 0 and self._states.setdefault(size, _State()).light

    def took(self, size: tuple[int, int], within: float, seconds: float) -> None:
        """Learn from a picture of this size that took so long."""
        if within <= 0:
            return
        state = self._states.setdefault(size, _State())
        whole = seconds / COST if state.light else seconds
        state.late = state.late + 1 if whole > within else 0
        state.early = state.early + 1 if whole < EASE * within else 0
        if state.late >= SLOW:
            state.light = True
        elif state.early >= QUICK:
            state.light = False
