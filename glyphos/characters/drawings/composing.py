"""Pictures of a character of drawings: mouth, eyes and brows laid on the head."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ...errors import ModelError
from ...files import GONE, State, file_state
from .documents import Mouth, Part, Placing, View

if TYPE_CHECKING:
    from PIL import Image

    from .opening import Picture, Pixels

DRAWN = 1024  # pixels of the longer side of vectors


@lru_cache(512)
def _opened(path: Path, state: State, drawn: int) -> Picture:
    from .opening import open_picture

    return open_picture(path, drawn=drawn)


def open_drawing(folder: Path, file: str, cell: tuple[int, int, int, int] | None = None, *, drawn: int = DRAWN) -> Picture:  # fmt: skip
    """A drawing of a document, remembered while its file stays as it is. ModelError, one sentence."""
    from .cutting import cut

    path = folder / file
    state = file_state(path)
    if state == GONE:
        raise ModelError(f"{file} is not there; put it back, or read the drawings again.")
    picture = _opened(path, state, drawn)
    return cut(picture, cell) if cell is not None else picture


def frame_size(view: View, folder: Path) -> tuple[float, float]:
    """Width and height of what is shown: the head's picture, else the largest mouth."""
    if view.head:
        return open_drawing(folder, view.head).size
    sizes = [open_drawing(folder, m.file, m.cell).size for m in view.mouths]
    return max(s[0] for s in sizes), max(s[1] for s in sizes)


def placed(view: View) -> Placing | None:
    """Where mouths lie; None where there is no head, and a mouth fills what is shown."""
    return view.place if view.head else None


def layers(
    view: View, mouth: Mouth | None, states: Mapping[str, Mouth]
) -> list[tuple[Mouth, Placing]]:
    """Drawings of a frame and where they lie, the lowest first."""
    place = view.place
    own = [(mouth, place)] if mouth is not None else []

    def of(part: Part) -> tuple[Mouth, Placing]:
        return states.get(part.name, part.rest), part.place

    under = [of(p) for p in view.parts if not p.over]
    return [*under, *own, *(of(p) for p in view.parts if p.over)]


def composed(
    view: View, folder: Path, mouth: Mouth | None, states: Mapping[str, Mouth], width: int, *,
    head: bool = True,
) -> Pixels:  # fmt: skip
    """A frame as a picture (height, width, 4), straight RGBA, transparent where nothing is drawn.
    head: with the head under it, else the mouth alone in its place."""
    from PIL import Image

    across, down = frame_size(view, folder)
    scale = width / across
    canvas = Image.new("RGBA", (width, max(1, round(down * scale))), (0, 0, 0, 0))
    if view.head and head:
        picture = open_drawing(folder, view.head, drawn=max(DRAWN, *canvas.size))
        canvas.alpha_composite(
            Image.fromarray(picture.pixels).resize(canvas.size, Image.Resampling.LANCZOS)
        )
    shown = layers(view, mouth, states if head else {})
    for drawing, place in shown if head else [s for s in shown if s[0] is mouth]:
        picture = open_drawing(folder, drawing.file, drawing.cell, drawn=max(DRAWN, *canvas.size))
        if not view.head:
            place = Placing(across / 2, down / 2)
        canvas.alpha_composite(_laid(picture, place, drawing.offset, scale, canvas.size))
    return np.asarray(canvas)


def _laid(
    picture: Picture,
    place: Placing,
    offset: tuple[float, float],
    scale: float,
    size: tuple[int, int],
) -> Image.Image:
    """A drawing where it lies on a canvas of this size."""
    from PIL import Image

    a, b, c, d, e, f = (v * scale for v in place.matrix(*picture.size, offset))
    per = picture.per_unit
    forth = np.array([[a / per, c / per, e], [b / per, d / per, f], [0, 0, 1]])
    image = Image.fromarray(picture.pixels)
    shrunk = np.hypot(forth[0, 0], forth[1, 0])
    if shrunk < 0.6:  # made smaller first, evenly, or thin lines would break up
        small = (max(1, round(image.width * shrunk)), max(1, round(image.height * shrunk)))
        grow = np.diag([image.width / small[0], image.height / small[1], 1])
        image = image.resize(small, Image.Resampling.LANCZOS)
        forth = forth @ grow
    back = np.linalg.inv(forth)
    return image.transform(
        size, Image.Transform.AFFINE, tuple(back[:2].ravel()), Image.Resampling.BICUBIC
    )
