"""Files that are copied into a production, each into the folder of its kind."""

from __future__ import annotations

import shutil
from pathlib import Path

from ..errors import SaveError
from ..files import reason
from .documents import slugify


def copied_in(folder: Path, place: str, source: Path) -> str:
    """Copy a file into a folder of a production, under a name that is free; its place there, relative to the
    production. SaveError where it cannot be."""
    target, made = folder / place, None
    try:
        target.mkdir(exist_ok=True)
        name = slugify(source.stem, {p.stem for p in target.iterdir()}) + source.suffix.lower()
        made = target / name
        shutil.copy2(source, made)
    except OSError as error:
        if made is not None:
            made.unlink(missing_ok=True)  # half of it
        raise SaveError(
            f"{source.name} cannot be copied into the production: {reason(error)}."
        ) from None
    return f"{place}/{name}"
