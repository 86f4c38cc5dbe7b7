"""Curves that were recorded elsewhere and lie on lines of a production."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import GlyphosError, SaveError
from ..files import reason, write_atomic
from .brought import copied_in
from .documents import Line, Recorded

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ..motion.layers import Layer

PLACE = "layers"  # folder of a production


def brought_in(folder: Path, source: Path) -> Recorded:
    """A file of curves, copied into a production; SaveError where it cannot be."""
    return Recorded(copied_in(folder, PLACE, source))


def take_kept(folder: Path, table: str, stem: str) -> Recorded:
    """A table that was just recorded, kept in a production as the next take; SaveError where it cannot be."""
    target = folder / PLACE
    try:
        target.mkdir(exist_ok=True)
        number = 1 + max((_number(p.stem, stem) for p in target.glob(f"{stem}*.csv")), default=0)
        path = target / f"{stem}{number}.csv"
        write_atomic(path, table.encode())
    except OSError as error:
        raise SaveError(f"The take cannot be kept in the production: {reason(error)}.") from None
    return Recorded(f"{PLACE}/{path.name}")


def _number(name: str, stem: str) -> int:
    rest = name.removeprefix(stem)
    return int(rest) if rest.isdecimal() else 0


def layers_of(line: Line, folder: Path, fps: float) -> tuple[list[Layer], list[str]]:
    """The layers of a line that are on, and what cannot be used, in words."""
    from ..characters.recorded import laid, open_layer

    made, said = [], []
    for r in line.recorded:
        if not r.on:
            continue
        try:
            layer, _ = open_layer(folder / r.file, fps, r.zero, r.smoothing)
        except GlyphosError as error:
            said.append(str(error))
            continue
        made.append(laid(layer, r.offset, r.strength, r.regions))
    return made, said
