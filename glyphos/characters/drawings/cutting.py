"""One sheet with many drawings, cut into cells: by a grid, or where nothing is drawn."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from ...errors import ModelError
from .documents import MOST, Box
from .opening import Picture

FAINT = 24  # opacity below which nothing is drawn
LEAST = 0.012  # of the sheet's longer side: a gap that parts cells, and the least size of one
Spans = list[tuple[int, int]]


def grid_of(text: str) -> tuple[int, int]:
    """Columns and rows from words as 4x3; ModelError for others."""
    found = re.fullmatch(r"(\d{1,3})\s*[xX×]\s*(\d{1,3})", text.strip())
    if found is None:
        raise ModelError(f"“{text[:20]}” is no grid; write columns and rows, as in 4x3.")
    return int(found[1]), int(found[2])


def cells_of(picture: Picture, grid: tuple[int, int] | None = None) -> list[Box]:
    """Cells in reading order, in the units of the picture's size. grid: (columns, rows); without it
    they are found by the gaps between them, each as large as the largest, so that mouths stay where
    they are among each other."""
    width, height = picture.size
    if grid is not None:
        columns, rows = grid
        if not (1 <= columns <= MOST and 1 <= rows <= MOST and columns * rows <= MOST):
            raise ModelError(
                f"A sheet is cut into at most {MOST} cells; give columns and rows as in 4x3."
            )
        across, down = width / columns, height / rows
        boxes = [
            (round(c * across), round(r * down), max(1, round(across)), max(1, round(down)))
            for r in range(rows) for c in range(columns)
        ]  # fmt: skip
        return [b for b in boxes if _drawn(picture, b)]
    there = picture.pixels[..., 3] > FAINT
    least = max(2, round(LEAST * max(there.shape)))
    bands = _spans(there.any(1), least)
    found = [
        (left, top, right, bottom) for top, bottom in bands
        for left, right in _spans(there[top:bottom].any(0), least)
    ]  # fmt: skip
    if len(found) > MOST:
        raise ModelError(
            f"The sheet falls into {len(found)} cells; at most {MOST} are used. Give a grid, as in 4x3."
        )
    return [_in_units(picture, box) for box in _equal(found, there.shape)]


def _spans(there: NDArray[np.bool_] | np.bool_, least: int) -> Spans:
    """Stretches where something is, those that lie close to each other in one."""
    edges = np.flatnonzero(
        np.diff(np.concatenate(([0], np.asarray(there).astype(np.int8), [0])))
    ).reshape(-1, 2)
    found: Spans = []
    for a, b in edges.tolist():
        if found and a - found[-1][1] < least:
            found[-1] = (found[-1][0], b)
        else:
            found.append((a, b))
    return [(a, b) for a, b in found if b - a >= least]


def _equal(
    boxes: list[tuple[int, int, int, int]], shape: tuple[int, ...]
) -> list[tuple[int, int, int, int]]:
    """Cells of one size around what is drawn, without reaching into each other or off the sheet."""
    if not boxes:
        return []
    width = max(r - left for left, _, r, _ in boxes)
    made = []
    for left, top, right, bottom in boxes:
        middle = (left + right) / 2
        low, high = round(middle - width / 2), round(middle + width / 2)
        beside = [
            b for b in boxes if b[1] < bottom and b[3] > top and b != (left, top, right, bottom)
        ]
        low = max([0, low, *((b[2] + left) // 2 for b in beside if b[2] <= left)])
        high = min([shape[1], high, *((b[0] + right) // 2 for b in beside if b[0] >= right)])
        band = [b for b in boxes if b[1] < bottom and b[3] > top]
        made.append((low, min(b[1] for b in band), high, max(b[3] for b in band)))
    return made


def _in_units(picture: Picture, box: tuple[int, int, int, int]) -> Box:
    left, top, right, bottom = (v / picture.per_unit for v in box)
    x, y = int(left), int(top)
    return x, y, max(1, int(np.ceil(right)) - x), max(1, int(np.ceil(bottom)) - y)


def _drawn(picture: Picture, box: Box) -> bool:
    return bool((cut(picture, box).pixels[..., 3] > FAINT).any())


def cut(picture: Picture, cell: Box) -> Picture:
    """One cell of a sheet; ModelError where there is none."""
    left, top, width, height = (round(v * picture.per_unit) for v in cell)
    pixels = picture.pixels[top : top + height, left : left + width]
    if not pixels.size:
        raise ModelError("A cell lies outside its sheet; cut the sheet again.")
    return Picture(pixels, (float(cell[2]), float(cell[3])), picture.said)
