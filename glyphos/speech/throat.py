"""How long a speaker's throat is: children, giants and creatures, whose formants lie higher or lower than those that
the model was taught.

Of some loud frames it is asked at which stretch of the frequencies the model explains them best (vocal tract length
normalisation: Lee & Rose 1996, by a search over a few of them; no words need to be known).
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from . import frontend, held
from .acoustic import AcousticModel

Array = NDArray[np.float32]

# How much further up than usual the formants lie
SHORTER = (1.08, 1.16, 1.25, 1.34)
LONGER = (0.93, 0.86, 0.80, 0.74)
FRAMES = 240  # that are asked
UNUSUAL = 4.0  # nats a frame that a throat must explain more, times its log squared
WORTH = 0.2  # nats a frame that it must explain more at all,
ENOUGH = 40  # and more where there are fewer frames of different sounds: one vowel tells nothing about a throat


def stretch_of(model: AcousticModel, signal: frontend.Signal, found: held.Heard) -> float:
    """How much further up than usual the formants of a recording lie: 1 where that makes no difference. In noise or
    music nothing can be asked."""
    loud = np.flatnonzero(found.loud)
    if not len(loud):
        return 1.0
    asked = loud[np.unique(np.linspace(0, len(loud) - 1, FRAMES).astype(int))]
    power = frontend.power_at(signal, asked)
    *_, stretch = asking(model, power, found.alike[asked], len(loud) / len(asked))
    return stretch


def asking(
    model: AcousticModel, power: Array, alike: NDArray[np.int32], of_all: float
) -> Iterator[float]:
    """The same of the power spectra of some frames, question by question: the best answer so far. alike: how many
    frames around each are the same sound; of_all: for how many frames each stands."""
    counts = np.minimum(1, held.COUNTED / alike).astype(np.float32)
    usual = held.USUAL_COUNTS / of_all

    def explained(stretch: float) -> float:
        cepstrum = frontend.cepstra_of(power, stretch)
        total = counts @ cepstrum + usual * held.USUAL
        static = model.score_static(cepstrum - total / (counts.sum() + usual))
        mean = np.average(static.max(axis=1), weights=counts)
        return float(mean - UNUSUAL * np.log(stretch) ** 2)

    different = float(counts.sum()) * of_all
    best, most = 1.0, explained(1.0) + WORTH * max(1.0, ENOUGH / different)
    yield best
    for side in (SHORTER, LONGER):
        before = -np.inf
        for stretch in side:
            now = explained(stretch)
            if now > most:
                best, most = stretch, now
            yield best
            if now < before:
                break
            before = now
