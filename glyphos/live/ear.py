"""What the mouth does, learned: acoustic scores, cepstra and bands in, curves, shut lips and speech out.

One layer looks at a frame, one remembers (gated recurrent unit, Cho et al. 2014), one answers for the frame LAG
earlier. Several ears that were taught apart listen side by side and their answers are averaged: what one of them
mishears the others mostly do not (Hansen & Salamon 1990). Learned with `tools/live` on the product's own offline
motion, of many voices, clean and spoiled; where that motion changes, they must be learned again.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

from .front import Frame

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
CHANNELS = ("jaw_open", "lips_part", "lips_wide", "lips_round", "lips_press", "lip_to_teeth", "upper_lip_raise",
            "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_high")  # fmt: skip
JAW, PART, WIDE, ROUND, PRESS, TEETH = range(6)
LAG = 4  # frames that an answer is later than the frame, beyond those that double deltas need
SCALE = 0.25  # of the acoustic scores


def seen_of(frame: Frame, scores: NDArray[np.floating]) -> Floats:
    """What is seen of a frame with its acoustic scores (126,)."""
    x = SCALE * np.asarray(scores, np.float64)
    x = x - x.max()
    x -= np.log(np.exp(x).sum())
    level, loud, low, high, centroid, peak = frame.newest
    return np.concatenate(
        [np.maximum(x, -10.0) / 5 + 1, frame.streams[0] / 10, frame.streams[1] / 10, frame.streams[2] / 10,
         frame.fresh[:13] / 10, np.clip(frame.fresh[13:] / 2, -1, 3),
         [min(max(level, -5), 60) / 20, min(max(loud, -40), 10) / 15, min(max(low, -5), 50) / 20,
          min(max(high, -5), 50) / 20, centroid * 2, peak / 40, frame.noisy, frame.own_noisy]]
    ).astype(np.float32)  # fmt: skip


@cache
def _weights() -> dict[str, Floats]:
    data = np.load(BytesIO((files("glyphos.data") / "live" / "ear.npz").read_bytes()))
    return {name: np.ascontiguousarray(data[name], np.float32) for name in data}


class Ear:
    """`push` takes a frame with its scores and gives (values of CHANNELS, log odds that lips are shut, and of
    speech), LAG frames earlier. Weights of all ears lie behind each other: `look_w` is (ears, 211, layer)."""

    def __init__(self) -> None:
        self._w = _weights()
        ears, size, _ = self._w["own_w"].shape
        self._memory = np.zeros((ears, 1, size), np.float32)

    @property
    def remembered(self) -> Floats:
        """What all ears remember, (ears × size,)."""
        return self._memory.ravel()

    def push(self, frame: Frame, scores: NDArray[np.floating]) -> tuple[Array, float, float]:
        w, h = self._w, self._memory
        seen = (seen_of(frame, scores) - w["mean"]) * w["scale"]
        looked = np.tanh(seen @ w["look_w"] + w["look_b"])[:, None] @ w["in_w"] + w["in_b"]
        own = h @ w["own_w"] + w["own_b"]
        n = h.shape[2]
        gates = 1 / (1 + np.exp(-(looked[..., : 2 * n] + own[..., : 2 * n])))
        new = np.tanh(looked[..., 2 * n :] + gates[..., :n] * own[..., 2 * n :])
        self._memory = (1 - gates[..., n:]) * new + gates[..., n:] * h
        out = (self._memory @ w["out_w"] + w["out_b"]).mean(axis=(0, 1)).astype(np.float64)
        return out[:11], float(out[11]), float(out[12])
