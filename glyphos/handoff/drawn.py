"""A line in drawings leaves in the format that the ending of its file says."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from ..characters.drawings.sheet import Sheet
from ..errors import SaveError
from ..files import write_atomic
from ..motion.delivery import Delivery
from ..progress import Progress
from ..speech.reading import Reading
from .exposure import Samples, rows_of, to_csv, to_list, to_seconds, to_sheet
from .exposure_paper import to_pdf, to_svg
from .exposure_pictures import WIDTH, save_numbered, save_sprites

FORMATS = {
    "txt": "frame list, a line a change", "csv": "table, a row an exposure",
    "seconds.txt": "list of changes in seconds", "xsheet.csv": "exposure sheet, a row a frame",
    "xsheet.pdf": "exposure sheet to print, PDF", "xsheet.svg": "exposure sheet to print, SVG",
    "png-folder": "numbered pictures of the head", "mouth.png-folder": "numbered pictures of the mouth alone",
    "sprites.json": "all mouths in one picture, with JSON",
}  # fmt: skip


@dataclass(frozen=True)
class Spoken:
    """A line in drawings with what it is made of. folder: of the drawings. first_frame: number of its
    first frame. title: what stands over a sheet on paper."""

    sheet: Sheet
    reading: Reading
    delivery: Delivery
    folder: Path
    samples: Samples | None = None
    first_frame: int = 0
    title: str = ""
    width: int = WIDTH


def ending_of(path: Path) -> str:
    """The format that a name asks for; SaveError for any other."""
    name = path.name.lower()
    known = [e for e in FORMATS if name.endswith(f".{e}") or name == e]
    if not known:
        raise SaveError(
            f"Held drawings are not written as {path.name}; let it end in {', '.join('.' + e for e in FORMATS)}."
        )
    return max(known, key=len)


def hand_over(spoken: Spoken, path: Path, *, progress: Progress | None = None) -> list[Path]:
    """Write a line in drawings; returns what was written. SaveError where it cannot be."""
    ending, sheet, first = ending_of(path), spoken.sheet, spoken.first_frame
    if ending.endswith("png-folder"):
        alone = ending.startswith("mouth")
        save_numbered(sheet, spoken.folder, path, head=not alone, width=spoken.width, first_frame=first,
                      stem=path.name.lower().removesuffix(f".{ending}") or "frame", progress=progress)  # fmt: skip
        return [path]
    if ending == "sprites.json":
        return save_sprites(sheet, spoken.folder, path, first)
    if ending == "txt":
        data = to_list(sheet, first)
    elif ending == "seconds.txt":
        data = to_seconds(sheet)
    elif ending == "csv":
        data = to_csv(sheet, first)
    else:
        rows = rows_of(sheet, spoken.reading, spoken.delivery, first, spoken.samples)
        title = spoken.title or path.name.rpartition(".xsheet")[0]
        data = (
            to_pdf(rows, title, sheet.fps) if ending == "xsheet.pdf"
            else to_svg(rows, title, sheet.fps) if ending == "xsheet.svg" else to_sheet(rows)
        )  # fmt: skip
    write_atomic(path, data)
    return [path]


def rested(spoken: Spoken, before: float, after: float) -> Spoken:
    """With seconds of rest before and after."""
    sheet = spoken.sheet
    ahead, behind = round(before * sheet.fps), round(after * sheet.fps)
    if not ahead and not behind:
        return spoken
    values = np.pad(sheet.motion.values, ((ahead, behind), (0, 0)), mode="edge")
    if ahead:
        values[:ahead] = 0.0
    if behind:
        values[len(values) - behind :] = 0.0
    last = len(values)

    def later(exposures, rest: int):  # type: ignore[no-untyped-def]
        moved = [replace(e, first=e.first + ahead) for e in exposures]
        if ahead and moved:
            same = moved[0].drawing == rest
            moved[:1] = (
                [replace(moved[0], first=0, frames=moved[0].frames + ahead)] if same
                else [replace(moved[0], drawing=rest, first=0, frames=ahead, pinned=False), moved[0]]
            )  # fmt: skip
        if behind and moved:
            end = moved[-1]
            if end.drawing == rest:
                moved[-1] = replace(end, frames=end.frames + behind)
            else:
                moved.append(
                    replace(end, drawing=rest, first=last - behind, frames=behind, pinned=False)
                )
        return moved

    view = sheet.drawings.views[0]
    rest = view.mouths.index(view.rest)
    motion = replace(sheet.motion, values=values, curves=None)
    made = replace(
        sheet, motion=motion, mouths=later(sheet.mouths, rest),
        parts={p.name: later(sheet.parts[p.name], p.drawings.index(p.rest)) for p in view.parts if p.name in sheet.parts},
    )  # fmt: skip
    delivery = Delivery(**{f: getattr(spoken.delivery, f) for f in Delivery.__struct_fields__}
                        | {"offset": spoken.delivery.offset + ahead / sheet.fps})  # fmt: skip
    return replace(spoken, sheet=made, delivery=delivery)
