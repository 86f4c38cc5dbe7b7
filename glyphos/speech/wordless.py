"""Laughs, moans and efforts: evidence for sounds where no words are said.

Nobody who laughs or cries says stops: what sounds like one is a break, in which breath goes out between open lips.
A laugh is bursts of a vowel between such breaths (Bachorowski, Smoski & Owren 2001), which a loop over phones does
not notice by itself: they are told where loudness dips between two bursts.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from . import frontend
from .acoustic import STATES, AcousticModel
from .align import Evidence
from .recording import Recording

STOPS = tuple("P B T D K G CH JH TH DH".split())
NEIGHBOURS = 20  # frames on either side in which a burst is looked for
DIP = 8.0  # dB under the weaker of both bursts
RISES, FAINT = 12.0, 40.0  # dB of a burst over what is around it, and under the loudest one
BREATH = 8.0  # by how much breath is likelier between bursts, and less so in them
NEVER = -1e4
Levels = NDArray[np.float64]
Places = NDArray[np.intp]


def without_words(evidence: Evidence, recording: Recording) -> Evidence:
    """The evidence as it is for sounds without words; the given one stays as it is."""
    model, table = evidence.model, evidence.table.copy()
    breaks = between_bursts(recording, len(table))
    loud = np.setdiff1d(bursts(recording, breaks, len(table)), breaks)
    for k in _states(model, "HH"):
        table[breaks, k] += BREATH
        table[loud, k] -= BREATH
    for name in STOPS:
        table[:, _states(model, name)] = NEVER
    return replace(evidence, table=table)


def between_bursts(recording: Recording, frames: int) -> Places:
    """Frames whose level dips between two louder ones."""
    level = _level(recording)
    before, after = _beside(level, -200.0)
    dips = np.minimum(before.max(axis=1), after.max(axis=1)) - level > DIP
    return np.flatnonzero(dips[:frames])


def bursts(recording: Recording, breaks: Places, frames: int) -> Places:
    """Frames beside such breaks that are louder than the quietest on either side, however faint beside the loudest: a
    laugh dies away."""
    level = _level(recording)
    before, after = _beside(level, 200.0)
    rises = level - np.maximum(before.min(axis=1), after.min(axis=1)) > RISES
    dips = np.zeros(len(level))
    dips[breaks] = 1
    near = np.maximum(*(x.max(axis=1) for x in _beside(dips, 0.0))) > 0
    return np.flatnonzero((rises & near & (level > level.max() - FAINT))[:frames])


def _level(recording: Recording) -> Levels:
    """dB of each frame."""
    hop = frontend.HOP
    power = np.add.reduceat(
        np.square(recording.samples, dtype=np.float64), np.arange(0, len(recording.samples), hop)
    )
    return np.asarray(10 * np.log10(power / hop + 1e-12))


def _beside(values: Levels, outside: float) -> tuple[Levels, Levels]:
    """Of each frame its NEIGHBOURS before and after it, (frames, NEIGHBOURS) each."""
    beyond = np.full(NEIGHBOURS, outside)
    around = np.lib.stride_tricks.sliding_window_view(
        np.concatenate([beyond, values, beyond]), NEIGHBOURS
    )
    return around[: len(values)], around[NEIGHBOURS + 1 :]


def _states(model: AcousticModel, phone: str) -> list[int]:
    return [model.index(phone) * STATES + k for k in range(STATES)]
