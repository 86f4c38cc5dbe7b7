"""A line's recording as the window needs it: for listening, for playing, with its loudness."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...motion.loudness import Loudness, measure
from ...progress import Progress
from ...speech.recording import Recording, open_for_playing


@dataclass(frozen=True)
class Opened:
    """A line's recording, read for listening and for playing, with its loudness."""

    recording: Recording
    sound: NDArray[np.float32]
    loudness: Loudness


def open_sound(path: Path, *, channel: int = 0, progress: Progress | None = None) -> Opened:
    """Read a recording for the window. `channel`: from 1; 0 for all of them. `progress` is told
    as it goes on and may raise to stop it."""
    recording, sound = open_for_playing(
        path, channel=channel - 1 if channel else None, progress=progress
    )
    return Opened(recording, sound, measure(recording.samples, 16_000))
