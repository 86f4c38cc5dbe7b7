"""Sounds that lie under scenes of a production."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from ..errors import DocumentError
from ..scene.documents import Scene
from ..speech.recording import open_stream
from .brought import copied_in

PLACE = "sounds"  # folder of a production


def bed_brought_in(folder: Path, source: Path) -> str:
    """A sound, copied into a production; its place there. RecordingError where it is no sound, SaveError
    where it cannot be copied."""
    open_stream(source)
    return copied_in(folder, PLACE, source)


def motion_brought_in(folder: Path, source: Path) -> str:
    """A recorded motion (BVH), copied into a production; its place there. DocumentError where it is none,
    SaveError where it cannot be copied."""
    from ..characters.recorded import open_layer

    if source.suffix.lower() != ".bvh":
        raise DocumentError(f"{source.name} is no motion of a body; choose a BVH file.")
    open_layer(source)
    return copied_in(folder, PLACE, source)


def files_of(scenes: Iterable[Scene]) -> set[str]:
    """Files of all beds and motions, relative to the production."""
    lanes = [lane for s in scenes for lane in s.lanes]
    return {c.audio for x in lanes for c in x.clips if c.audio} | {
        m.file for x in lanes for m in x.moves
    }
