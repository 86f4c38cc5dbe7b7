"""A line in drawings as pictures: numbered ones with transparency, and one sheet of all mouths."""

from __future__ import annotations

import io
import json
from pathlib import Path

import numpy as np

from ..characters.drawings.composing import composed, open_drawing
from ..characters.drawings.opening import Pixels
from ..characters.drawings.sheet import Sheet
from ..errors import SaveError
from ..files import make_folder, write_atomic
from ..progress import Progress

WIDTH = 800  # pixels of a numbered picture, unless told
MOST_WIDE = 8192
CELL = 256  # pixels of the longer side of a mouth on the sheet of all
ACROSS = 8


def png(pixels: Pixels) -> bytes:
    """A picture as PNG."""
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


def save_numbered(
    sheet: Sheet, drawings: Path, folder: Path, *, head: bool = True, width: int = WIDTH, first_frame: int = 0,
    stem: str = "frame", progress: Progress | None = None,
) -> int:  # fmt: skip
    """A picture of every frame, `{stem}.0012.png`. drawings: the folder of the drawings. head: mouth
    and eyes on their head, else the mouth alone in its place. Returns how many were written."""
    if not 8 <= width <= MOST_WIDE:
        raise SaveError(f"Pictures are 8 to {MOST_WIDE} pixels wide.")
    make_folder(folder)
    digits = max(4, len(str(sheet.frames + first_frame)))
    made: tuple[object, bytes] = (None, b"")
    for frame in range(sheet.frames):
        if progress is not None:
            progress(frame / sheet.frames)
        view = sheet.view_at(frame)
        mouth = sheet.drawings.in_view(view, sheet.mouth(sheet.at(frame)))
        states = sheet.states_at(frame, view)
        shows = (view.name, mouth.name, tuple(sorted((k, m.name) for k, m in states.items())))
        if shows != made[0]:
            made = shows, png(composed(view, drawings, mouth, states, width, head=head))
        write_atomic(folder / f"{stem}.{frame + first_frame:0{digits}d}.png", made[1])
    return sheet.frames


def save_sprites(sheet: Sheet, drawings: Path, path: Path, first_frame: int = 0) -> list[Path]:
    """All mouths in one picture, and a JSON beside it that says where each is and when it is shown.
    path: of the JSON (`.sprites.json`)."""
    view = sheet.drawings.views[0]
    cells = []
    for mouth in view.mouths:
        picture = open_drawing(drawings, mouth.file, mouth.cell)
        cells.append(_fitted(picture.pixels))
    high, wide = max(c.shape[0] for c in cells), max(c.shape[1] for c in cells)
    columns = min(ACROSS, len(cells))
    canvas = np.zeros((high * -(-len(cells) // columns), wide * columns, 4), np.uint8)
    frames = {}
    for k, (mouth, cell) in enumerate(zip(view.mouths, cells, strict=True)):
        x, y = (k % columns) * wide, (k // columns) * high
        left, top = x + (wide - cell.shape[1]) // 2, y + (high - cell.shape[0]) // 2
        canvas[top : top + cell.shape[0], left : left + cell.shape[1]] = cell
        frames[mouth.name] = {"x": x, "y": y, "w": wide, "h": high}
    picture_path = path.with_name(path.name.removesuffix(".json") + ".png")
    document = {
        "image": picture_path.name, "size": {"w": canvas.shape[1], "h": canvas.shape[0]}, "frames": frames,
        "fps": sheet.fps,
        "exposures": [
            {"frame": e.first + first_frame, "frames": e.frames, "name": sheet.mouth(e).name}
            for e in sheet.mouths
        ],
    }  # fmt: skip
    write_atomic(picture_path, png(canvas))
    write_atomic(path, json.dumps(document, indent=1, ensure_ascii=False).encode() + b"\n")
    return [picture_path, path]


def _fitted(pixels: Pixels) -> Pixels:
    from PIL import Image

    longer = max(pixels.shape[:2])
    if longer <= CELL:
        return pixels
    size = (
        max(1, round(pixels.shape[1] * CELL / longer)),
        max(1, round(pixels.shape[0] * CELL / longer)),
    )
    return np.asarray(Image.fromarray(pixels).resize(size, Image.Resampling.LANCZOS))
