"""Causal decoding: a forward pass over a loop of the model's phones, smoothed by a short fixed lag.

At every frame a backward pass over the last few gives each of them the best posterior that can be had by now
(Rabiner 1989, forward and backward variables; fixed-lag smoothing).
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from ..speech.acoustic import AcousticModel, load_model

Floats = NDArray[np.float32]
FLOOR = np.float32(1e-12)
LEAST = -14.0  # of a bigram
SCALE = 0.25  # of the acoustic scores
NEW = float(np.exp(1.0))  # for every new phone


@cache
def _bigrams(phones: tuple[str, ...]) -> NDArray[np.float64]:
    """Log probability (a, b) of phone b after a, from the phone grammar that comes with the acoustic model."""
    import pocketsphinx

    log = pocketsphinx.LogMath()
    grammar = pocketsphinx.NGramModel(
        None, log, pocketsphinx.get_model_path("en-us/en-us-phone.lm.bin")
    )
    table = np.full((len(phones), len(phones)), LEAST)
    spoken = [k for k, p in enumerate(phones) if not p.startswith("+")]
    for a in spoken:
        for b in spoken:
            table[a, b] = log.log_to_ln(grammar.prob([phones[b], phones[a]]))
    return table


def _changes(model: AcousticModel) -> NDArray[np.float64]:
    """Log bigrams of the dictionary; noises and breath may stand where silence may."""
    change = _bigrams(model.phones).copy()
    silence = model.index("SIL")
    for name in ("+NSN+", "+SPN+"):
        k = model.index(name)
        change[k] = change[silence]
        change[:, k] = change[:, silence] - 3.0
    change = np.maximum(change, LEAST)
    return np.asarray(change - np.logaddexp.reduce(change, axis=1, keepdims=True))


class Loop:
    """`push` takes the scores (126,) of a frame and gives posteriors (lag + 1, 126), the oldest frame first."""

    def __init__(self, lag: int) -> None:
        model = load_model()
        self.lag, self._count = lag, len(model.phones)
        stay, leave = model.stay.astype(float), model.leave.astype(float)
        both = np.logaddexp(stay, leave)
        self._stay = np.exp(stay - both).astype(np.float32)
        self._leave = np.exp(leave - both).astype(np.float32)
        self._change = (np.exp(_changes(model)) * NEW).astype(np.float32)
        self._alpha: Floats = np.full((self._count, 3), 1e-6, np.float32)
        self._alpha[model.index("SIL")] = 1.0
        self._history: list[
            tuple[Floats, Floats]
        ] = []  # forward variable and emission, oldest first

    def push(self, scores: Floats) -> Floats:
        """Posteriors of the last frames, the newest included."""
        x = scores.reshape(self._count, 3)
        emission = np.exp(np.maximum(SCALE * (x - x.max()), -25.0)).astype(np.float32)
        leaving = self._alpha * self._leave
        new = self._alpha * self._stay
        new[:, 1:] += leaving[:, :-1]
        new[:, 0] += leaving[:, 2] @ self._change
        new *= emission
        new /= new.sum()
        self._alpha = np.maximum(new, FLOOR)
        self._history.append((self._alpha, emission))
        del self._history[: -(self.lag + 1)]
        return self._smoothed()

    def _smoothed(self) -> Floats:
        beta = np.ones_like(self._alpha)
        out: list[Floats] = []
        for k in range(len(self._history) - 1, -1, -1):
            alpha, emission = self._history[k]
            both = alpha * beta
            out.append((both / both.sum()).ravel())
            if k:
                b = emission * beta
                beta = self._stay * b
                beta[:, :2] += self._leave[:, :2] * b[:, 1:]
                beta[:, 2] += self._leave[:, 2] * (self._change @ b[:, 0])
                beta /= beta.max()
        out += [out[-1]] * (self.lag + 1 - len(out))  # at the very start
        return np.stack(out[::-1])


class Closing:
    """`push` takes the scores of a frame and gives the log odds, of the frame `lag` earlier, that lips are shut: that
    it is a p, b or m, by the loop, over a few frames around it."""

    def __init__(self, lag: int, *, wide: float = 1.5, back: int = 10) -> None:
        model = load_model()
        self._loop = Loop(lag)
        self._shut = np.array([3 * model.index(p) + k for p in ("P", "B", "M") for k in range(3)])
        self._window = np.exp(-0.5 * (np.arange(-back, lag + 1) / wide) ** 2)
        self._window /= self._window.sum()
        self._past = np.zeros(back)

    def push(self, scores: Floats) -> float:
        new = self._loop.push(scores)[:, self._shut].sum(axis=1)
        p = float(self._window @ np.concatenate([self._past, new]))
        p = min(max(p, 1e-4), 1 - 1e-4)
        self._past = np.append(self._past[1:], new[0])
        return float(np.log(p / (1 - p)))
