"""What the mouth does, heard by an ear that knows many more people than this product could teach it with alone.

Mel bands, two convolutions and two layers of attention are the lower part of the recogniser of words that ships, which
learned on the English of 680,000 hours (Radford et al. 2022, "Robust Speech Recognition via Large-Scale Weak
Supervision"; its smallest size, MIT licence). They went on learning here (`tools/live/learn.py`), in many languages and
looking back alone, with a gated recurrent unit behind them that is new. Frames are 20 ms apart; each has two answers,
about what was 40 and 50 ms before its middle.
Its answers are the product's own offline motion: where that changes, it must learn again.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
HOP, WINDOW, BANDS = 160, 400, 80  # samples at 16 kHz, and mel bands
EARLY = 40  # samples by which bands are earlier than whole hops, so that an answer need not wait for the next block
CHANNELS = ("jaw_open", "lips_part", "lips_wide", "lips_round", "lips_press", "lip_to_teeth", "upper_lip_raise",
            "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_high")  # fmt: skip
JAW, PART, WIDE, ROUND, PRESS, TEETH = range(6)
AHEAD = 3  # of 10 ms each, that come before the first answer
DELAY = 0.0828  # seconds from the middle of what an answer is about until it is there
PARTS = ("bands", "first", "second")  # files of weights
BACK = 64  # frames of 20 ms that attention looks back
HEADS = 6
AT_ONCE = 64  # frames that go through the layers together
LOUDEST = 1.0  # of samples: full scale
# log10 of power: where the peak is put, how far under it anything lies at most, and its fall each 10 ms
LEVEL, RANGE, FALL = 1.5, 8.0, 0.001


@dataclass(frozen=True)
class Answer:
    """For 10 ms: values of CHANNELS, log odds that lips are shut and of speech; what is remembered by then."""

    values: Floats
    shut: float
    speech: float
    remembered: Floats


@dataclass(frozen=True)
class Known:
    """Of a speaker: what is added to the log odds of shut lips, `weights` times what the ear remembers, and `more`;
    from how many closures that was learnt (`speaker`)."""

    weights: Floats
    more: float
    closures: int


@cache
def _weights() -> dict[str, Floats]:
    made: dict[str, Floats] = {}
    for part in PARTS:
        data = np.load(BytesIO((files("glyphos.data") / "live" / f"ear-{part}.npz").read_bytes()))
        made |= {name: np.ascontiguousarray(data[name], np.float32) for name in data}
    return made


@cache
def mel_filters() -> Floats:
    """(201, 80): triangles of equal area on the mel scale of Slaney 1998 ("Auditory Toolbox"), 0 to 8 kHz."""
    knee, step = 1000.0, np.log(6.4) / 27

    def hertz(mel: Array) -> Array:
        return np.where(mel < 15, mel * 200 / 3, knee * np.exp(step * (mel - 15)))

    top = 15 + np.log(8000 / knee) / step
    edges = hertz(np.linspace(0.0, top, BANDS + 2))
    away = edges[:, None] - np.linspace(0, 8000, WINDOW // 2 + 1)
    wide = np.diff(edges)[:, None]
    made = np.maximum(0, np.minimum(-away[:-2] / wide[:-1], away[2:] / wide[1:]))
    return np.ascontiguousarray((made * (2 / (edges[2:] - edges[:-2]))[:, None]).T, np.float32)


class Bands:
    """`push` takes samples and gives logarithms of mel bands, (n, 80), under a peak that follows the loudest."""

    def __init__(self) -> None:
        self._buffer = np.zeros(WINDOW // 2 + EARLY, np.float32)
        self._window = np.hanning(WINDOW + 1)[:-1].astype(np.float32)
        self._peak, self._last = -1.0, list[float]()

    def push(self, block: Floats) -> Floats:
        block = np.nan_to_num(np.clip(block, -LOUDEST, LOUDEST))
        sound = np.concatenate([self._buffer, block])
        n = max(0, (len(sound) - WINDOW) // HOP + 1)
        self._buffer = sound[n * HOP :]
        if n == 0:
            return np.zeros((0, BANDS), np.float32)
        pieces = np.stack([sound[k * HOP : k * HOP + WINDOW] for k in range(n)])
        spectrum = np.fft.rfft(pieces * self._window, axis=1)
        power = (spectrum.real**2 + spectrum.imag**2).astype(np.float32)
        logs = np.log10(np.maximum(power @ mel_filters(), np.float32(1e-10)))
        for row in logs:
            self._last = [*(self._last or [float(row.max())] * 2)[-2:], float(row.max())]
            self._peak = max(self._peak - FALL, sum(self._last) / 3)
            row[:] = np.maximum(row - self._peak, -RANGE) + LEVEL
        return np.asarray((logs + 4) / 4, np.float32)


class _Looking:
    """A layer of attention that looks BACK frames back; keys and values of those are kept."""

    def __init__(self, weights: dict[str, Floats], name: str) -> None:
        self._w = {k.removeprefix(name): v for k, v in weights.items() if k.startswith(name)}
        size = self._w["own_b"].shape[0] // HEADS
        self._keys = self._values = np.zeros((HEADS, 0, size), np.float32)

    def push(self, x: Floats) -> Floats:
        w, n, size = self._w, len(x), self._keys.shape[2]
        asked = _even(x, w["before_g"], w["before_b"]) @ w["ask_w"] + w["ask_b"]
        query, keys, values = asked.reshape(n, 3, HEADS, size).transpose(1, 2, 0, 3)
        keys = np.concatenate([self._keys, keys], axis=1)
        values = np.concatenate([self._values, values], axis=1)
        odds = query @ keys.transpose(0, 2, 1) / np.float32(np.sqrt(size))
        length = keys.shape[1]
        if length > BACK or n > 1:
            later = np.arange(length) - np.arange(length - n, length)[:, None]
            odds = np.where((later > 0) | (later <= -BACK), np.float32(-np.inf), odds)
        odds = np.exp(odds - odds.max(axis=2, keepdims=True))
        seen = (odds / odds.sum(axis=2, keepdims=True)) @ values
        self._keys, self._values = keys[:, 1 - BACK :], values[:, 1 - BACK :]
        x = x + seen.transpose(1, 0, 2).reshape(n, -1) @ w["own_w"] + w["own_b"]
        more = _bent(_even(x, w["then_g"], w["then_b"]) @ w["up_w"] + w["up_b"])
        return np.asarray(x + more @ w["down_w"] + w["down_b"], np.float32)


class Ear:
    """`push` takes mono samples at 16 kHz and gives an Answer for each 10 ms after AHEAD, in order, whatever the blocks;
    every second comes 10 ms sooner than it is due."""

    def __init__(self) -> None:
        w = self._w = _weights()
        self._bands = Bands()
        self._looking = [_Looking(w, f"{part}.") for part in PARTS[1:]]
        self._mel = np.zeros((1, BANDS), np.float32)
        self._met = np.zeros((1, len(w["met_b"])), np.float32)
        self._at = 0
        self.known: Known | None = None
        self._memory: Floats = np.zeros(len(w["own_w"]), np.float32)

    @property
    def remembered(self) -> Floats:
        """What it remembers by now, (192,)."""
        return self._memory

    def push(self, block: Floats) -> list[Answer]:
        w = self._w
        mel = self._mel = np.concatenate([self._mel[-2:], self._bands.push(block)])
        if len(mel) < 3:
            return []
        met = np.concatenate([self._met, _bent(_threes(mel, 1) @ w["met_w"] + w["met_b"])])
        n = (len(met) - 1) // 2
        self._met = met[2 * n :]
        if n == 0:
            return []
        x = _bent(_threes(met[: 2 * n + 1], 2) @ w["seen_w"] + w["seen_b"])
        x = x + w["places"][(self._at + np.arange(n)) % len(w["places"])]
        answers: list[Answer] = []
        for at in range(0, n, AT_ONCE):
            part = x[at : at + AT_ONCE]
            for layer in self._looking:
                part = layer.push(part)
            for row in _even(part, w["even_g"], w["even_b"]) @ w["in_w"] + w["in_b"]:
                answers += self._remember(row)
        self._at += n
        return answers if self._at > n else answers[1:]  # the first of all is before the sound

    def _remember(self, looked: Floats) -> list[Answer]:
        w, h, n = self._w, self._memory, len(self._memory)
        own = h @ w["own_w"] + w["own_b"]
        gates = 1 / (1 + np.exp(-(looked[: 2 * n] + own[: 2 * n])))
        new = np.tanh(looked[2 * n :] + gates[:n] * own[2 * n :])
        h = self._memory = np.asarray((1 - gates[n:]) * new + gates[n:] * h, np.float32)
        both = (h @ w["out_w"] + w["out_b"]).reshape(2, -1)
        known, more = self.known, 0.0
        if known is not None:
            more = float(h @ known.weights) + known.more
        return [Answer(out[:11], float(out[11]) + more, float(out[12]), h) for out in both]


def _threes(rows: Floats, step: int) -> Floats:
    """Three neighbours side by side, every so many rows."""
    return np.concatenate([rows[:-2:step], rows[1:-1:step], rows[2::step]], axis=1)


def _even(x: Floats, gain: Floats, bias: Floats) -> Floats:
    """Layer normalisation (Ba, Kiros & Hinton 2016)."""
    x = np.asarray(x - np.add.reduce(x, axis=1, keepdims=True) / np.float32(x.shape[1]), np.float32)
    wide = np.einsum("ij,ij->i", x, x)[:, None] / np.float32(x.shape[1]) + np.float32(1e-5)
    return np.asarray(x / np.sqrt(wide) * gain + bias, np.float32)


def _bent(x: Floats) -> Floats:
    """Gaussian error linear unit, by its tanh (Hendrycks & Gimpel 2016)."""
    inner = np.float32(0.7978845608) * (x + np.float32(0.044715) * x * x * x)
    return np.asarray(np.float32(0.5) * x * (1 + np.tanh(inner)), np.float32)
