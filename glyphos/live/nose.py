"""How the nose of whoever speaks sounds: what all their nasal sounds have in common, followed while they speak.

An m and an n differ by the mouth behind shut lips or a raised tongue, which takes its own frequencies out of the murmur
(Kurowski & Blumstein 1984); noses differ by more than that. Against what a voice's own nasals have in common the same
difference is left for every voice: with the nasals of 25 voices, those of each told apart by a linear discriminant of
all others, 77 of 100 m were found instead of 72, and 19 of 100 n taken for m instead of 28.
"""

from __future__ import annotations

from collections import deque

import numpy as np
from numpy.typing import NDArray

from ..speech.acoustic import AcousticModel

Floats = NDArray[np.float32]
# Of 14 voices: cepstra of their nasals, less the running mean of all speech
GENERIC = np.array([-3.3, 9.7, 3.4, 6.3, 16.2, 4.1, 8.9, 9.7, -5.7, -2.1, 4.8, -3.6, -0.8])
PRIOR, MEMORY = 15.0, 300.0  # frames of nasals: what the generic nose counts for, what is kept
BEFORE = 10  # frames until a sound counts, so that it is not measured against itself
SCALE = 0.6  # of the acoustic scores
SEEN = len(GENERIC) + 2


class Nose:
    """`push` takes cepstra (13,) and scores (126,) of a frame and gives (15,): cepstra against the speaker's nasals,
    as far as this is one; how sure that is, 0..1; how well the nose is known, 0..1."""

    def __init__(self, model: AcousticModel) -> None:
        self._nasal = np.array([3 * model.index(p) + k for p in ("M", "N", "NG") for k in range(3)])
        self.begin()

    def begin(self) -> None:
        """Learn anew, from the next frames alone."""
        self.mean, self._weight = GENERIC.copy(), PRIOR
        self._waiting: deque[tuple[Floats, float]] = deque()

    def push(self, cepstra: Floats, scores: NDArray[np.floating]) -> Floats:
        likely = np.exp(SCALE * np.asarray(scores - scores.max(), np.float64))
        sure = float(likely[self._nasal].sum() / likely.sum())
        against = sure * (cepstra - self.mean) / 10
        known = 1 - PRIOR / self._weight
        self._waiting.append((cepstra, sure))
        if len(self._waiting) > BEFORE:
            self._count(*self._waiting.popleft())
        return np.array([*against, sure, known], np.float32)

    def _count(self, cepstra: Floats, sure: float) -> None:
        if sure > 0.5:
            self._weight = min(self._weight, MEMORY) + sure
            self.mean += (cepstra - self.mean) * sure / self._weight
