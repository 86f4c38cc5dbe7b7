"""Small learned parts of the live mouth, and its table: is it speech, what the mouth does, is it shut.

Learned from recordings with the product's own offline motion as the answer (clean, with hiss and with voices
behind); they see posteriors of the loop and levels over the noise floor, and nothing of the speaker. Where the
offline motion changes, they must be learned again.
"""

from __future__ import annotations

import csv
from collections import deque
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

from ..speech.acoustic import load_model
from ..speech.phones import model_spelling
from .front import Frame

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
CHANNELS = ("jaw_open", "lips_part", "lips_wide", "lips_round", "lips_press", "lip_to_teeth", "upper_lip_raise",
            "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_high")  # fmt: skip
JAW, PART, WIDE, ROUND, PRESS, TEETH = range(6)
WINDOWS = ((-12, -5), (-4, -1), (0, 1), (2, 3))  # frames around the one decided on
LEVELS = (0, 1, 2, 3, 4, 5, 6, 8, 10, 13, 17, 20)  # frames back from the newest
LIPS = ("P", "B", "M", "F", "V", "W")


def states_of(*phones: str) -> NDArray[np.intp]:
    """Numbers of the model's states of phones."""
    model = load_model()
    return np.array([3 * model.index(p) + k for p in phones for k in range(3)], np.intp)


@dataclass(frozen=True)
class Learned:
    """speech: weights (51,); net: two layers with their biases; lag: frames of look-ahead it was learned for."""

    speech: Array
    net: tuple[Floats, Floats, Floats, Floats]
    lag: int


@cache
def learned() -> Learned:
    """What ships."""
    data = np.load(BytesIO((files("glyphos.data") / "live" / "weights.npz").read_bytes()))
    w1, b1, w2, b2 = (data[f"p{k}"].astype(np.float32) for k in range(4))
    return Learned(data["speech"].astype(np.float64), (w1, b1, w2, b2), int(data["lag"]))


class Speech:
    """`push` takes a frame and gives the log odds that it is speech, within −6..6."""

    def __init__(self) -> None:
        self._weights = learned().speech
        self._ring: deque[tuple[float, float, float]] = deque(maxlen=16)

    def push(self, frame: Frame) -> float:
        level, loud, _, _, _, peak = frame.newest
        new = (
            level / 20, min(max(loud, -40), 10) / 20, min(max(level / max(peak, 8.0), -0.2), 1.2),
        )  # fmt: skip
        if not self._ring:
            self._ring.extend([new] * 15)
        self._ring.append(new)
        ring = np.array(self._ring)  # 12 is the frame itself, 15 three later
        base = np.array([ring[12 + a : 13 + b].mean(axis=0) for a, b in WINDOWS]).T.ravel()
        up, noisy = np.maximum(base, 0), frame.noisy
        seen = np.concatenate([base, up, base * noisy, up * noisy, [peak / 40, noisy, 1.0]])
        return float(np.clip(seen @ self._weights, -6, 6))


class Net:
    """`push` takes a frame with its posteriors and gives (values of CHANNELS, log odds that lips are shut)."""

    def __init__(self) -> None:
        self._p = learned().net
        self._own = states_of(*LIPS)
        self._phones: deque[Floats] = deque(
            [np.zeros(42, np.float32)] * 14, maxlen=14
        )  # newest first
        self._states: deque[Floats] = deque([np.zeros(len(self._own), np.float32)] * 4, maxlen=4)
        self._levels: deque[Floats] = deque([np.zeros(6, np.float32)] * 21, maxlen=21)

    def push(self, frame: Frame, posteriors: Floats, speech: float) -> tuple[Array, float]:
        seen = self._features(frame, posteriors, speech)
        w1, b1, w2, b2 = self._p
        out = np.tanh(seen @ w1 + b1) @ w2 + b2
        return np.asarray(out[:11], np.float64), float(out[11])

    def _features(self, frame: Frame, posteriors: Floats, speech: float) -> Floats:
        p = posteriors.reshape(len(posteriors), 42, 3).sum(axis=-1)
        s = posteriors[:, self._own]
        self._phones.appendleft(p[0])
        self._states.appendleft(s[0])
        level, loud, low, high, centroid, peak = frame.newest
        self._levels.appendleft(
            np.array([min(max(level, -5), 60) / 20, min(max(loud, -40), 10) / 15, min(max(low, -5), 50) / 20,
                      min(max(high, -5), 50) / 20, speech / 3, centroid * 2], np.float32)
        )  # fmt: skip
        h, g = np.array(self._phones), np.array(self._states)
        return np.concatenate(
            [h[8:14].mean(0), h[4:8].mean(0), h[2:4].mean(0), h[1], p[0], p[1], p[2:4].mean(0), p[4:].mean(0),
             *[self._levels[k] for k in LEVELS], np.array([frame.noisy, peak / 40], np.float32),
             g[2:4].mean(0), g[1], s[0], s[1], s[2:4].mean(0), s[4:].mean(0)]
        ).astype(np.float32)  # fmt: skip


class Table:
    """Without learning: targets of the sounds, weighted by their posteriors over a short window."""

    def __init__(self, lag: int, *, wide: float = 3.0, narrow: float = 1.5, back: int = 10) -> None:
        target, strength = _state_targets()
        lips = np.zeros((len(target), 1))
        lips[states_of("P", "B", "M")] = 1
        self._matrix = np.concatenate([target * strength, strength, lips], axis=1).astype(
            np.float32
        )
        at = np.arange(-back, lag + 1)
        self._wide, self._narrow = (np.exp(-0.5 * (at / w) ** 2) for w in (wide, narrow))
        self._narrow /= self._narrow.sum()
        self._past = np.zeros((back, 23), np.float32)

    def push(self, posteriors: Floats) -> tuple[Array, float]:
        """Values of CHANNELS, and the probability that lips are shut."""
        new = posteriors @ self._matrix
        rows = np.concatenate([self._past, new])
        sums = self._wide @ rows
        self._past = np.concatenate([self._past[1:], new[:1]])
        return np.asarray(sums[:11] / (sums[11:22] + 0.05)), float(self._narrow @ rows[:, 22])


def _parts() -> tuple[Array, dict[str, list[tuple[Array, Array]]]]:
    """Idle pulls, and the parts of each sound as (target, strength)."""
    text = (files("glyphos.data") / "live" / "targets.csv").read_text(encoding="utf-8")
    parts: dict[str, list[tuple[Array, Array]]] = {}
    idle = np.zeros(11)
    for row in csv.DictReader(x for x in text.splitlines() if not x.startswith("#")):
        if row["ipa"] == "idle":
            idle = np.array([float(row[c]) for c in CHANNELS])
        elif row["ipa"] != "tau_ms":
            cells = [row[c].partition("/") for c in CHANNELS]
            target = np.array([float(v or 0) for v, _, _ in cells])
            strength = np.array([float(s or 1) if v else 0.0 for v, _, s in cells])
            parts.setdefault(row["ipa"], []).append((target, strength))
    return idle, parts


def _state_targets(edge: float = 1.0, rest: float = 0.5) -> tuple[Array, Array]:
    """Targets and strengths (126, 11) of the model's states."""
    model, (idle, parts) = load_model(), _parts()
    target, strength = np.zeros((3 * len(model.phones), 11)), np.zeros((3 * len(model.phones), 11))
    for c, phone in enumerate(model.phones):
        if phone == "SIL" or phone.startswith("+"):
            strength[3 * c : 3 * c + 3] = rest
            continue
        two = parts["ə" if phone == "AH" else model_spelling(phone)]
        if phone == "AH":  # the model does not tell schwa from the vowel of “cut”
            a, b = parts["ə"][0], parts["ʌ"][0]
            two = [((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)]
        for k in range(3):
            goal, pull = two[0] if k < 2 or len(two) == 1 else two[1]
            if len(two) == 2 and k == 1:
                goal, pull = (two[0][0] + two[1][0]) / 2, (two[0][1] + two[1][1]) / 2
            pull = np.where(pull > 0, pull, idle)
            target[3 * c + k], strength[3 * c + k] = goal, pull * (1.0 if k == 1 else edge)
    return target, strength
