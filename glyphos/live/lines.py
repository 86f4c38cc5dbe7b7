"""What the lines of a speaker tell of their voice: who was recorded before need not read a sentence to a live face.

Of each line that was listened to it is known when lips are shut, as it is of a sentence that is read aloud.
"""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..caches import Shelf
from ..production.documents import Line, known_as
from ..production.performed import samples_of
from ..production.production import Production
from ..progress import Progress, share
from ..speech.frontend import RATE
from .ear import Known
from .keeping import ears, packed, unpacked
from .speaker import (
    CLOSED_TO,
    ENOUGH,
    LEAST,
    CalibrationError,
    Sound,
    known_from,
    sounds_of,
    surely_heard,
)

REST = 0.3  # seconds of silence between lines
_learned = Shelf("voices", 1_000_000, sealed=True)
Recorded = tuple[Line, Path]  # a line and where its recording lies


def heard_speakers(production: Production) -> list[str]:
    """Who said lines themselves that were listened to, by name."""
    named = {known_as(x.speaker): x.speaker.strip() for x in production.lines if _told(x)}
    return sorted((n for n in named.values() if n), key=str.casefold)


def heard_lines(production: Production, speaker: str) -> list[Recorded]:
    """Such lines of a speaker. CalibrationError where there is none."""
    wanted = known_as(speaker)
    lines = [x for x in production.lines if _told(x) and known_as(x.speaker) == wanted]
    if not lines:
        others = ", ".join(heard_speakers(production))
        raise CalibrationError(
            f"No line of {speaker} was recorded and listened to yet, so nothing is known of the voice"
            + (f"; there are lines of {others}." if others else ".")
        )
    return [(x, production.audio_path(x)) for x in lines]


def known_by(lines: Sequence[Recorded], speaker: str, progress: Progress | None = None) -> Known:
    """What the lines of a speaker tell of how their lips are shut; those that shut them most often first, up to
    `ENOUGH` seconds. CalibrationError where that is too little. progress may raise Cancelled."""
    samples, sounds = _joined(lines, share(progress, 0.0, 0.1))
    closures = sum(p in CLOSED_TO for p, _, _ in sounds)
    if closures < LEAST:
        raise CalibrationError(
            f"In lines of {speaker} that are surely heard lips are shut {closures} times, too few to learn the voice "
            "from; listen to more of them, or calibrate."
        )
    source = b"\0".join((ears(), samples.tobytes(), repr(sounds).encode()))
    digest = blake2b(source, digest_size=32).digest()
    told = share(progress, 0.1, 1.0)
    known = unpacked(_learned.of(digest, lambda: packed(known_from(samples, sounds, told))))
    assert known is not None  # it is of these ears, and whole
    return known


def _told(line: Line) -> bool:
    return line.reading is not None and not line.placeholder


def _joined(
    lines: Sequence[Recorded], progress: Progress | None
) -> tuple[NDArray[np.float32], list[Sound]]:
    """Lines one behind the other, and what sounds where."""
    telling = [
        (line, audio, line.reading)
        for line, audio in lines
        if line.reading is not None and (line.confirmed or surely_heard(line.reading))
    ]
    telling.sort(key=lambda x: -_often(x[0], sounds_of(x[2])))
    pieces: list[NDArray[np.float32]] = []
    sounds: list[Sound] = []
    at = 0.0
    for number, (line, audio, reading) in enumerate(telling):
        if at >= ENOUGH:
            break
        if progress is not None:
            progress(number / len(telling))
        samples = samples_of(line, audio)
        if samples is None:  # it is away; the others are there
            continue
        sounds += sounds_of(reading, at)
        pieces += [samples, np.zeros(round(REST * RATE), np.float32)]
        at = sum(map(len, pieces)) / RATE
    return np.concatenate([np.zeros(0, np.float32), *pieces]), sounds


def _often(line: Line, sounds: Sequence[Sound]) -> float:
    """Shut lips a second."""
    return sum(p in CLOSED_TO for p, _, _ in sounds) / max(line.duration, 0.5)
