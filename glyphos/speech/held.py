"""Held sounds: a vowel that is called, sung or drawn out lasts a second and hardly changes.

Two things that hold for talk fail there. The mean over the loud frames, which is taken away so that microphone and
level fall out, *is* the held sound: frames that are alike count for a few of them only, and some usual speech counts
with them (a mean after Gauvain & Lee 1994, maximum a posteriori). And a model that was taught talk explains such a
sound badly, so that a pause or speech that nobody wrote seems likelier: while it is loud, it is dearer to be either.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .acoustic import STATES, AcousticModel

Array = NDArray[np.float32]
Marks = NDArray[np.bool_]

# Cepstra of loud frames: the middle over 62 recordings of thirty voices, and how much they vary within a recording
USUAL = np.array(
    [60.3, 8.8, -0.5, 23.8, -11.4, -0.7, 7.4, -11.7, -0.8, -6.4, 4.2, 0.8, 1.7], np.float32
)  # fmt: skip
VARIES = np.array(
    [8.9, 22.3, 16.3, 23.6, 22.1, 15.2, 18.8, 17.5, 16.2, 16.0, 13.3, 11.5, 13.0], np.float32
)  # fmt: skip
USUAL_COUNTS = 50  # frames that usual speech counts for in the mean
ALIKE = 0.5  # mean square difference, in what they vary by, below which frames are the same sound
AROUND = 75  # frames before and after that are looked at
COUNTED = 12  # frames that are alike count for no more than so many in the mean
HELD = 20  # more of them than that are a sound that is held
LOUD, VOICE = 0.4, 0.5  # of the span of frame energy: where speech is, and where surely no pause is
# Nats a frame that a pause costs more while it is loud, and besides while a sound is held
NO_PAUSE, NO_PAUSE_HELD = 2.0, 8.0
UNWRITTEN = 4.0  # nats a frame that speech nobody wrote costs more while a sound is held
# Under the best sound by so many nats, the rest counts for so much while a sound is held
WORST, BEYOND = 3.0, 0.3


@dataclass(frozen=True)
class Heard:
    """What a recording is like in each of its frames. alike: how many frames around are the same sound."""

    speech: Marks
    loud: Marks
    alike: NDArray[np.int32]

    @property
    def held(self) -> Marks:
        return np.asarray(self.loud & (self.alike > HELD))


def heard(cepstrum: Array) -> Heard:
    """Looks at cepstra of a whole recording, shape (frames, 13)."""
    low, high = np.percentile(cepstrum[:, 0], [5, 95])
    share = (cepstrum[:, 0] - low) / max(float(high - low), 1e-6)
    scaled = cepstrum / VARIES
    alike = np.ones(len(scaled), np.int32)
    for k in range(1, min(AROUND, len(scaled) - 1) + 1):
        apart = scaled[k:] - scaled[:-k]
        same = np.einsum("ij,ij->i", apart, apart) < ALIKE * scaled.shape[1]
        alike[k:] += same
        alike[:-k] += same
    return Heard(share >= LOUD, share >= VOICE, alike)


def normalise(cepstrum: Array, found: Heard) -> Array:
    """Subtract the mean over the louder frames, so that channel and level fall out."""
    counts = np.minimum(1, COUNTED / found.alike[found.speech]).astype(np.float32)
    total = counts @ cepstrum[found.speech] + USUAL_COUNTS * USUAL
    return np.asarray(cepstrum - total / (counts.sum() + USUAL_COUNTS), np.float32)


def favour(model: AcousticModel, table: Array, loud: Marks, held: Marks) -> None:
    """Changes scores in place, shape (frames, 127), the last column speech that nobody wrote."""
    silence = model.index("SIL") * STATES
    pause = slice(silence, silence + STATES)
    rows = table[held]
    short = rows[:, :-1] - rows[:, :-1].max(axis=1, keepdims=True)
    rows[:, :-1] += (BEYOND - 1) * np.minimum(short + WORST, 0)
    rows[:, pause] = table[held, pause] - NO_PAUSE_HELD
    rows[:, -1] -= UNWRITTEN
    table[held] = rows
    table[loud, pause] -= NO_PAUSE
