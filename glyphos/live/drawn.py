"""A live face in drawings: the drawing that each part shows now, by its name, and what a page needs to lay them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np

from ..characters.drawings.composing import frame_size, open_drawing
from ..characters.drawings.documents import Box, Drawings, Mouth, Placing, View
from ..characters.drawings.opening import Picture
from ..characters.drawings.running import Running

HEAD, MOUTH, VIEW = "head", "mouth", "view"


class DrawnFace:
    """folder: what files are relative to."""

    def __init__(self, drawings: Drawings, folder: Path) -> None:
        self._drawings, self._running, self._folder = drawings, Running(drawings), folder
        self._pictures: list[tuple[str, Box | None]] = []

    @cached_property
    def views(self) -> list[dict[str, Any]]:
        """What a page needs; ModelError, one sentence, where a drawing cannot be read."""
        return [self._laid(view) for view in self._drawings.views]

    def show(self, values: Mapping[str, float], seconds: float) -> dict[str, str]:
        """What is shown at rising seconds: the view, its mouth, and a drawing of each of its parts."""
        view, mouth, states = self._running.show(values, seconds)
        shown = {VIEW: view.name, **{part: state.name for part, state in states.items()}}
        return shown if mouth is None else {**shown, MOUTH: mouth.name}

    def picture(self, number: int) -> bytes:
        """A picture that `views` names, as PNG; IndexError where there is none."""
        from PIL import Image

        if number < 0:
            raise IndexError(number)
        made = BytesIO()
        Image.fromarray(np.asarray(self._open(*self._pictures[number]).pixels)).save(made, "PNG")
        return made.getvalue()

    def _open(self, file: str, cell: Box | None = None) -> Picture:
        return open_drawing(self._folder, file, cell)

    def _laid(self, view: View) -> dict[str, Any]:
        """A view for the page: its size, and drawings from the lowest to the highest with their picture, size and
        place (a, b, c, d, e, f)."""
        size = frame_size(view, self._folder)
        middle = Placing(size[0] / 2, size[1] / 2)
        drawings: list[dict[str, Any]] = []

        def lay(part: str, drawing: Mouth, place: Placing) -> None:
            across, down = self._open(drawing.file, drawing.cell).size
            where = (place if view.head else middle).matrix(across, down, drawing.offset)
            self._pictures.append((drawing.file, drawing.cell))
            drawings.append(
                {"part": part, "name": drawing.name, "picture": len(self._pictures) - 1,
                 "size": [across, down], "place": [round(x, 5) for x in where]}
            )  # fmt: skip

        if view.head:
            lay(HEAD, Mouth(HEAD, view.head), middle)
        parts = [(p.over, p.name, p.place, p.drawings) for p in view.parts]
        for _, part, place, own in sorted(
            [*parts, (False, MOUTH, view.place, view.mouths)], key=lambda p: p[0]
        ):
            for drawing in own:
                lay(part, drawing, place)
        return {"name": view.name, "size": list(size), "drawings": drawings}
