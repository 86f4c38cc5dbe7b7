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
BREATH = 8.0  # by how much breath is likelier there
NEVER = -1e4
Array = NDArray[np.float32]


def without_words(evidence: Evidence, recording: Recording) -> Evidence:
    """The evidence as it is for sounds without words; the given one stays as it is."""
    model, table = evidence.model, evidence.table.copy()
    breaks = between_bursts(recording, len(table))
    for k in _states(model, "HH"):
        table[breaks, k] += BREATH
    for name in STOPS:
        table[:, _states(model, name)] = NEVER
    return replace(evidence, table=table)


def between_bursts(recording: Recording, frames: int) -> NDArray[np.intp]:
    """Frames whose level dips between two louder ones."""
    hop = frontend.HOP
    power = np.add.reduceat(
        np.square(recording.samples, dtype=np.float64), np.arange(0, len(recording.samples), hop)
    )
    level = 10 * np.log10(power / hop + 1e-12)
    silence = np.full(NEIGHBOURS, -200.0)
    around = np.lib.stride_tricks.sliding_window_view(
        np.concatenate([silence, level, silence]), NEIGHBOURS
    ).max(axis=1)
    before, after = around[: len(level)], around[NEIGHBOURS + 1 :]
    dips = np.flatnonzero(np.minimum(before, after) - level > DIP)
    return dips[dips < frames]


def _states(model: AcousticModel, phone: str) -> list[int]:
    return [model.index(phone) * STATES + k for k in range(STATES)]
