"""How large pictures are drawn that are wanted soon: a little smaller where whole ones would come late."""

from __future__ import annotations

from dataclasses import dataclass

SHARE = 0.85  # of width and height; smaller ones come hardly sooner, since triangles take the time
SLOW, QUICK = 3, 40  # pictures in a row until it is drawn smaller, or whole again
EASE = 0.7  # of the time that a whole picture must be expected to fit into


@dataclass
class _State:
    small: bool = False
    late: int = 0
    early: int = 0


class Pace:
    """`size` before a picture, `took` after it; views of one size share what was learned."""

    def __init__(self) -> None:
        self._states: dict[tuple[int, int], _State] = {}

    def size(self, size: tuple[int, int], within: float) -> tuple[int, int]:
        """The size to draw. within: seconds that a picture may take, 0 if it is to be whole."""
        small = within > 0 and self._states.setdefault(size, _State()).small
        return (round(SHARE * size[0]), round(SHARE * size[1])) if small else size

    def took(self, size: tuple[int, int], within: float, seconds: float) -> None:
        """Learn from a picture that was wished for in this size and took so long."""
        if within <= 0:
            return
        state = self._states.setdefault(size, _State())
        whole = seconds / SHARE**2 if state.small else seconds
        state.late = state.late + 1 if whole > within else 0
        state.early = state.early + 1 if whole < EASE * within else 0
        if state.late >= SLOW:
            state.small = True
        elif state.early >= QUICK:
            state.small = False
