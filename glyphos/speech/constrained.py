"""Alignment between walls: words are found in a stretch of time whose ends may be pinned.

Each stretch between two pins is aligned by itself. At a hard end the first (or last) sound begins
(ends) exactly there; at a soft end there may be a pause. A stretch too short for its sounds is
shared out among them evenly.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .acoustic import STATES
from .align import AlignedSound, Evidence, align
from .frontend import FRAME_RATE
from .graph import Pronunciation
from .phones import Unit
from .timing import SHORTEST, corrected


@dataclass(frozen=True)
class Stretch:
    """Word pieces (alternatives each) to be found between two times."""

    start: float
    end: float
    hard_start: bool
    hard_end: bool
    words: tuple[tuple[Pronunciation, ...], ...]


@dataclass(frozen=True)
class Placed:
    """A sound found in a stretch. `evidence` as in AlignedSound; −inf where it was shared out."""

    unit: Unit
    start: float
    end: float
    evidence: float


def place_stretch(
    evidence: Evidence, stretch: Stretch, *, fillers: bool = False
) -> list[tuple[Placed, ...]]:
    """Sounds of every word piece, in order, inside the stretch and never outside it.

    fillers: speech that no word explains may stand where a pause may.
    """
    shortest = [min(w, key=len) for w in stretch.words]
    states = sum(len(u.model) for units in shortest for u in units) * STATES
    frames = int((stretch.end - stretch.start) * FRAME_RATE)
    if frames < states + 2:
        return shared_out(stretch, [w[0] for w in stretch.words])
    part, origin = evidence.part(stretch.start, stretch.end)
    found = align(part, stretch.words, fillers=fillers, pause_before=not stretch.hard_start,
                  pause_after=not stretch.hard_end)  # fmt: skip
    flat = [s for w in found.words for s in w.sounds]
    if len(flat) != sum(len(stretch.words[k][w.variant]) for k, w in enumerate(found.words)):
        return shared_out(stretch, [w[0] for w in stretch.words])
    times = _inside(flat, stretch, origin)
    made, at = [], 0
    for word in found.words:
        own = []
        for sound in word.sounds:
            own.append(Placed(sound.unit, *times[at], sound.evidence))
            at += 1
        made.append(tuple(own))
    return made


def _inside(flat: list[AlignedSound], stretch: Stretch, origin: float) -> list[tuple[float, float]]:
    """Corrected times, moved to the recording's time and held between the walls."""
    span = stretch.end - origin
    times = [(a + origin, b + origin) for a, b in corrected(flat, span)]
    room = min(SHORTEST, (stretch.end - stretch.start) / (len(times) + 1))
    if stretch.hard_start:
        times[0] = (stretch.start, times[0][1])
    if stretch.hard_end:
        times[-1] = (times[-1][0], stretch.end)
    out: list[tuple[float, float]] = []
    for k, (start, end) in enumerate(times):
        touches = k > 0 and abs(start - times[k - 1][1]) < 1e-6
        floor = out[-1][1] if out else stretch.start
        latest = stretch.end - (len(times) - k) * room
        start = floor if touches else min(max(start, floor), latest)
        end = min(max(end, start + room), stretch.end - (len(times) - k - 1) * room)
        out.append((start, end))
    return out


def shared_out(stretch: Stretch, chosen: Sequence[Pronunciation]) -> list[tuple[Placed, ...]]:
    """The sounds in even shares of the stretch."""
    count = sum(len(units) for units in chosen)
    cuts = np.linspace(stretch.start, stretch.end, count + 1)
    made, at = [], 0
    for units in chosen:
        made.append(
            tuple(
                Placed(u, float(cuts[at + k]), float(cuts[at + k + 1]), -np.inf)
                for k, u in enumerate(units)
            )
        )
        at += len(units)
    return made
