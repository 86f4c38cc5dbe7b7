"""Contact sheets: a character in many poses or views on one picture."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from importlib.resources import files
from pathlib import Path

import numpy as np

from ..characters.channels import face_channels
from ..characters.dressing import Dressed
from ..characters.poses import POSES, REST, SOUNDS, Pose
from ..characters.posing import turns_of
from ..errors import StageError
from ..files import write_atomic
from ..progress import Progress
from .renderer import Pixels, Shot, Stage
from .views import BACKGROUNDS, VIEWS, framing_from

COLUMNS = 6
INK, NIGHT_INK = (60, 48, 40, 255), (226, 220, 208, 255)


def poses_named(names: Sequence[str]) -> dict[str, Pose]:
    """Poses by name, or written as `channel=value,…`; all sounds if none is named."""
    if not names:
        return {"rest": REST, **SOUNDS}
    known = face_channels()
    found: dict[str, Pose] = {}
    for name in names:
        if "=" not in name:
            if name not in POSES:
                raise StageError(f"There is no pose “{name}”; choose one of: {', '.join(POSES)}.")
            found[name] = POSES[name]
            continue
        values = {}
        for part in name.split(","):
            channel, _, value = part.partition("=")
            try:
                values[channel.strip()] = float(value)
            except ValueError:
                raise StageError(f"“{part}” is not a channel and a number.") from None
            if channel.strip() not in known:
                raise StageError(f"There is no channel “{channel.strip()}”.")
        found[name] = values
    return found


def draw_sheet(
    dressed: Dressed, poses: Mapping[str, Pose], views: Sequence[str], size: tuple[int, int], *,
    background: str = "paper", through: bool = False, wire: bool = False, fine: bool = True,
    progress: Progress | None = None,
) -> Pixels:  # fmt: skip
    """Every pose in every view, with its name, as pixels (height, width, 4)."""
    from PIL import Image, ImageDraw, ImageFont

    stage = Stage()
    framing = framing_from(dressed.framing)
    cells: list[tuple[str, Pixels]] = []
    try:
        for number, (name, values) in enumerate(poses.items()):
            weights, turns = dressed.weights_for(values), turns_of(dressed.head, values)
            for view in views:
                shot = Shot(
                    dressed.head,
                    weights,
                    turns,
                    VIEWS[view],
                    through=through,
                    wire=wire,
                    framing=framing,
                )
                cells.append((name, stage.draw([shot], size, background=background, fine=fine)))
            if progress is not None:
                progress((number + 1) / len(poses))
    finally:
        stage.close()
    columns = min(
        len(cells), COLUMNS if len(views) == 1 else len(views) * max(1, COLUMNS // len(views))
    )
    rows = -(-len(cells) // columns)
    width, height = size
    empty = (*BACKGROUNDS[background], 0 if background == "none" else 255)
    sheet = Image.new("RGBA", (columns * width, rows * height), empty)
    draw = ImageDraw.Draw(sheet)
    font = ImageFont.truetype(io.BytesIO(_font()), max(11, height // 20))
    for k, (name, pixels) in enumerate(cells):
        at = (k % columns * width, k // columns * height)
        sheet.paste(Image.fromarray(np.asarray(pixels)), at)
        if len(cells) > 1:
            said = f"/{name}/" if name in SOUNDS else name.replace(",", "\n")
            ink = NIGHT_INK if background == "night" else INK
            draw.text((at[0] + 7, at[1] + 4), said, fill=ink, font=font)
    return np.asarray(sheet)


def save_png(pixels: Pixels, path: Path) -> None:
    """Write a picture as PNG."""
    from PIL import Image

    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "PNG", optimize=True)
    write_atomic(path, data.getvalue())


def _font() -> bytes:
    return (files("glyphos.data") / "fonts" / "GentiumPlus-Regular.ttf").read_bytes()
