"""One frame of a movie from what is to be seen on it: heads by the stage, drawings laid together, each in a
column of its own, a caption over them. Runs in processes of its own."""

from __future__ import annotations

import os
from collections import OrderedDict
from collections.abc import Callable, Sequence
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..characters.drawings.composing import composed
from ..errors import ModelError
from ..stage.messages import Ask, Request
from ..stage.renderer import Stage
from ..stage.views import BACKGROUNDS
from ..stage.worker import Heads, draw
from .documents import BACKGROUNDS as OURS
from .picture import Drawn, Picture

Pixels = NDArray[np.uint8]
TEXT, UNDER = (247, 243, 233), (24, 25, 30)  # of captions and their plate
FACES = 64  # drawn ones that are kept
LINES = 2  # of a caption at most
CAPTION = 0.045  # height of its letters, of the picture's shorter side


class Painter:
    """Paints; holds a stage once a head is wanted. StageError where there is none."""

    def __init__(self) -> None:
        self._stage: Stage | None = None
        self._heads: Heads | None = None

    def paint(self, picture: Picture) -> Pixels:
        """Pixels (height, width, 4), straight alpha."""
        width, height = picture.size
        known = picture.background in BACKGROUNDS
        ground = picture.background if known else "none"
        if known and len(picture.columns) == 1 and not isinstance(picture.columns[0], Drawn):
            whole = self._head(picture.columns[0], picture.size, ground, picture.fine)
            if picture.caption:
                _lay(whole, _caption(picture.caption, width, height))
            return whole
        whole = np.zeros((height, width, 4), np.uint8)
        whole[..., :3] = BACKGROUNDS[ground]
        whole[..., 3] = 0 if ground == "none" else 255
        edges = [
            round(width * k / max(1, len(picture.columns))) for k in range(len(picture.columns) + 1)
        ]
        for column, left, right in zip(picture.columns, edges, edges[1:], strict=False):
            if isinstance(column, Drawn):
                _lay(whole[:, left:right], _drawn(column, right - left, height))
            else:
                whole[:, left:right] = self._head(
                    column, (right - left, height), ground, picture.fine
                )
        if not known:
            backdrop = _backdrop(picture.background, width, height).copy()
            _lay(backdrop, whole)
            whole = backdrop
        if picture.caption:
            _lay(whole, _caption(picture.caption, width, height))
        return whole

    def _head(self, ask: Ask, size: tuple[int, int], background: str, fine: bool) -> Pixels:
        if self._stage is None or self._heads is None:
            self._stage = Stage()
            self._heads = Heads(self._stage)
        request = Request([ask], size, background, fine)
        pixels: Pixels = draw(self._stage, self._heads, request)
        return pixels[:, : size[0]]

    def close(self) -> None:
        if self._stage is not None:
            self._stage.close()


_painter: Painter | None = None


def paint_all(pictures: Sequence[Picture]) -> list[tuple[bytes, tuple[int, ...]]]:
    """In a process of its own: pictures as bytes, and their shapes."""
    global _painter
    if _painter is None:
        os.nice(3)
        os.environ.setdefault("LP_NUM_THREADS", "1")  # each paints on a core of its own
        _painter = Painter()
    made = [_painter.paint(p) for p in pictures]
    return [(np.ascontiguousarray(m).tobytes(), m.shape) for m in made]


def readable_background(given: str) -> str:
    """One of ours ("" for the scene's own), or the whole name of a picture that can be read; ModelError."""
    from PIL import Image

    if not given or given in OURS:
        return given
    try:
        with Image.open(given) as picture:
            picture.verify()
    except (OSError, ValueError, SyntaxError):
        raise ModelError(
            f"{given} cannot be read as a picture; give {', '.join(OURS)}, or a PNG or JPEG."
        ) from None
    return str(Path(given).resolve())


def _lay(under: Pixels, over: Pixels) -> None:
    """Lay a picture with straight alpha on another, in place, where there is something of it."""
    rows = np.flatnonzero(over[..., 3].any(1))
    if not len(rows):
        return
    under, over = under[rows[0] : rows[-1] + 1], over[rows[0] : rows[-1] + 1]
    share = over[..., 3:].astype(np.float32) / 255
    below = under[..., 3:].astype(np.float32) / 255 * (1 - share)
    alpha = share + below
    color = (over[..., :3] * share + under[..., :3] * below) / np.maximum(alpha, 1e-6)
    under[..., :3] = np.rint(color)
    under[..., 3:] = np.rint(alpha * 255)


_faces: OrderedDict[object, Pixels] = OrderedDict()  # drawn lately


def _drawn(drawn: Drawn, width: int, height: int) -> Pixels:
    """A drawn face in the middle of its column; kept, since few are many frames."""
    key = (drawn.key, width, height)
    made = _faces.get(key)
    if made is None:
        made = _faces[key] = _laid_together(drawn, width, height)
        while len(_faces) > FACES:
            _faces.popitem(last=False)
    else:
        _faces.move_to_end(key)
    return made


def _laid_together(drawn: Drawn, width: int, height: int) -> Pixels:
    from PIL import Image

    pixels = composed(drawn.view, Path(drawn.folder), drawn.mouth, dict(drawn.states), 2 * width)
    image = Image.fromarray(pixels)
    image.thumbnail((width, round(0.92 * height)), Image.Resampling.LANCZOS)
    made = Image.new("RGBA", (width, height))
    made.paste(image, ((width - image.width) // 2, (height - image.height) // 2))
    return np.asarray(made)


@lru_cache(2)
def _backdrop(path: str, width: int, height: int) -> Pixels:
    """A picture that fills the frame."""
    from PIL import Image, ImageOps

    with Image.open(path) as image:
        return np.asarray(ImageOps.fit(image.convert("RGBA"), (width, height)))


@lru_cache(16)
def _caption(text: str, width: int, height: int) -> Pixels:
    """Words in the lower third, on a plate that keeps them readable over anything."""
    from PIL import Image, ImageDraw, ImageFont

    size = max(9, round(CAPTION * min(width, height)))
    font = ImageFont.truetype(str(files("glyphos.data") / "fonts" / "Inter-SemiBold.otf"), size)
    image = Image.new("RGBA", (width, height))
    pen = ImageDraw.Draw(image)
    rows = broken(text, lambda t: pen.textlength(t, font=font), 0.86 * width)
    step = round(1.35 * size)
    top = height - round(0.07 * height) - step * len(rows)
    wide = max(pen.textlength(r, font=font) for r in rows)
    pad = round(0.45 * size)
    box = (
        (width - wide) / 2 - pad,
        top - pad,
        (width + wide) / 2 + pad,
        top + step * len(rows) + pad / 2,
    )
    pen.rounded_rectangle(box, pad, fill=(*UNDER, 190))
    for k, row in enumerate(rows):
        left = (width - pen.textlength(row, font=font)) / 2
        pen.text((left, top + k * step), row, font=font, fill=(*TEXT, 255))
    return np.asarray(image)


def broken(text: str, wide: Callable[[str], float], room: float) -> list[str]:
    """Words in as few rows as have room for them, of nearly the same length; wide(text): pixels."""
    words = text.split() or [""]
    for count in range(1, len(words) + 1):
        if count >= len(words) or wide(text) / count <= room:
            rows = _rows(words, wide, max(wide(text) / count * 1.12, 1.0))
            if all(wide(r) <= room for r in rows) or count >= len(words):
                return rows
    return words


def _rows(words: list[str], wide: Callable[[str], float], most: float) -> list[str]:
    rows = [words[0]]
    for word in words[1:]:
        joined = f"{rows[-1]} {word}"
        if wide(joined) <= most:
            rows[-1] = joined
        else:
            rows.append(word)
    return rows
