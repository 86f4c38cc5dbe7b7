"""Sounds that lie under scenes of a production."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from ..scene.documents import Scene
from ..speech.recording import open_stream
from .brought import copied_in

PLACE = "sounds"  # folder of a production


def bed_brought_in(folder: Path, source: Path) -> str:
    """A sound, copied into a production; its place there. RecordingError where it is no sound, SaveError
    where it cannot be copied."""
    open_stream(source)
    return copied_in(folder, PLACE, source)


def beds(scenes: Iterable[Scene]) -> set[str]:
    """Files of all beds, relative to the production."""
    return {c.audio for s in scenes for lane in s.lanes for c in lane.clips if c.audio}
