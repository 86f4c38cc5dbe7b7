"""Sounds that lie under scenes of a production."""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from pathlib import Path

from ..errors import SaveError
from ..files import reason
from ..scene.documents import Scene
from ..speech.recording import open_stream
from .documents import slugify

PLACE = "sounds"  # folder of a production


def bed_brought_in(folder: Path, source: Path) -> str:
    """A sound, copied into a production; its place there. RecordingError where it is no sound, SaveError
    where it cannot be copied."""
    open_stream(source)
    target = folder / PLACE
    try:
        target.mkdir(exist_ok=True)
        name = slugify(source.stem, {p.stem for p in target.iterdir()}) + source.suffix.lower()
        shutil.copy2(source, target / name)
    except OSError as error:
        raise SaveError(
            f"{source.name} cannot be copied into the production: {reason(error)}."
        ) from None
    return f"{PLACE}/{name}"


def beds(scenes: Iterable[Scene]) -> set[str]:
    """Files of all beds, relative to the production."""
    return {c.audio for s in scenes for lane in s.lanes for c in lane.clips if c.audio}
