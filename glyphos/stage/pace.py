"""How large pictures are drawn that are wanted soon: smaller where whole ones would come late."""

from __future__ import annotations

SHARES = (
    1.0,
    0.85,
)  # of width and height; smaller ones are hardly drawn sooner: triangles take the time
SLOW, QUICK = 3, 40  # pictures in a row until the next smaller, or larger, size is tried
EASE = 0.7  # of the time a larger picture must be expected to fit into


class Pace:
    """`size` before a picture, `took` after it; views of one size share what was learned."""

    def __init__(self) -> None:
        self._steps: dict[tuple[int, int], int] = {}
        self._late = self._early = 0

    def size(self, size: tuple[int, int], within: float) -> tuple[int, int]:
        """The size to draw. within: seconds that a picture may take, 0 if it is to be whole."""
        share = SHARES[self._steps.get(size, 0)] if within > 0 else 1.0
        return max(8, round(share * size[0])), max(8, round(share * size[1]))

    def took(self, size: tuple[int, int], within: float, seconds: float) -> None:
        """Learn from a picture that was wished for in this size and took so long."""
        if within <= 0:
            return
        step = self._steps.get(size, 0)
        larger = (SHARES[step - 1] / SHARES[step]) ** 2 if step else 1.0
        self._late = self._late + 1 if seconds > within else 0
        self._early = self._early + 1 if seconds * larger < EASE * within else 0
        if self._late >= SLOW and step + 1 < len(SHARES):
            self._steps[size], self._late = step + 1, 0
        elif self._early >= QUICK and step:
            self._steps[size], self._early = step - 1, 0
