"""What is seen on one frame of a film."""

from __future__ import annotations

from dataclasses import dataclass

from ..characters.drawings.documents import Mouth, View
from ..stage.messages import Ask


@dataclass(frozen=True)
class Drawn:
    """A character of drawings on one frame."""

    view: View
    folder: str
    mouth: Mouth
    states: tuple[tuple[str, Mouth], ...] = ()

    @property
    def key(self) -> tuple[object, ...]:
        """Equal where the same is seen."""
        shown = [(part, m.file, m.cell, m.offset) for part, m in (("", self.mouth), *self.states)]
        return (self.folder, self.view.name, *shown)


@dataclass(frozen=True)
class Picture:
    """What is seen on one frame: columns from left to right, and words said. size: width and height.
    background: of BACKGROUNDS, or a picture's file."""

    columns: tuple[Ask | Drawn, ...]
    size: tuple[int, int]
    background: str = "paper"
    fine: bool = False
    caption: str = ""
