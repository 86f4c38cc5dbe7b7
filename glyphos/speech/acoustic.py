"""The acoustic model: its files read directly, and scores of its 126 phone states per frame.

A phonetically tied mixture model: each of 42 phones has a codebook of 128 diagonal Gaussians
in each of three feature streams; each of its three states weighs them differently.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from functools import cache
from importlib.resources import as_file, files
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from . import frontend

Array = NDArray[np.float32]

STATES = 3
STREAMS = 3
DENSITIES = 128
LOG_UNIT = 0.1024  # nats a unit in `sendump`, which holds negated logs
MIN_VARIANCE = 1e-4
CHUNK = 250  # frames scored at once: what they need stays in the processor's cache
FEW = 8  # frames up to which one at a time is quicker


@dataclass(frozen=True)
class AcousticModel:
    """Gaussians, weights and transitions, ready for matrix products."""

    phones: tuple[str, ...]
    linear: tuple[Array, ...]  # per stream (27, 42·128): coefficients of x, x², 1
    weights: tuple[Array, ...]  # per stream (42, 128, 3)
    stay: Array  # (42, 3) log probability of staying
    leave: Array  # (42, 3) log probability of moving on

    def index(self, phone: str) -> int:
        """Position of `phone` (model's own names, upper case)."""
        return self.phones.index(phone)

    def score(self, streams: tuple[Array, Array, Array]) -> Array:
        """Log likelihood of every state, shape (frames, 126); state k of phone c is 3c + k."""
        n = len(streams[0])
        out = np.zeros((n, len(self.phones) * STATES), np.float32)
        chunk = CHUNK if n > FEW else 1
        for first in range(0, n, chunk):
            rows = slice(first, min(n, first + chunk))
            for stream, linear, weights in zip(streams, self.linear, self.weights, strict=True):
                out[rows] += self._score_stream(stream[rows], linear, weights)
        return out

    def score_static(self, cepstrum: Array) -> Array:
        """`score` of the first stream alone, of frames that need not be neighbours."""
        return self._score_stream(cepstrum, self.linear[0], self.weights[0])

    def _score_stream(self, x: Array, linear: Array, weights: Array) -> Array:
        """Frames last, so that what is done for every Gaussian runs along frames that lie side by side."""
        n, size = x.shape
        design = np.empty((2 * size + 1, n), np.float32)
        design[:size] = x.T
        np.square(design[:size], out=design[size:-1])
        design[-1] = 1
        logs = (linear.T @ design).reshape(len(self.phones), DENSITIES, n)
        top = logs.max(axis=1, keepdims=True)
        logs -= top
        np.exp(logs, out=logs)
        mixed = np.matmul(weights.transpose(0, 2, 1), logs)  # (42, 3, n)
        np.log(np.maximum(mixed, 1e-30, out=mixed), out=mixed)
        mixed += top
        return np.asarray(mixed.reshape(-1, n).T, np.float32)


@cache
def load_model() -> AcousticModel:
    """The US English model that the recogniser's wheel carries."""
    with as_file(files("pocketsphinx") / "model" / "en-us" / "en-us") as folder:
        return read_model(Path(folder))


def read_model(folder: Path) -> AcousticModel:
    """Read `mdef`, `means`, `variances`, `sendump` and `transition_matrices` from `folder`."""
    phones = _phone_names((folder / "mdef").read_bytes())
    count = len(phones)
    shape = (count, STREAMS, DENSITIES, frontend.CEPSTRA)
    means = _parameters(folder / "means", shape)
    variances = np.maximum(_parameters(folder / "variances", shape), MIN_VARIANCE)
    weights = _mixture_weights((folder / "sendump").read_bytes(), count)
    linear = []
    for stream in range(STREAMS):
        mu, var = means[:, stream], variances[:, stream]
        constant = -0.5 * (np.log(2 * np.pi * var) + mu**2 / var).sum(-1)
        rows = np.concatenate([mu / var, -0.5 / var, constant[..., None]], axis=2)
        linear.append(np.ascontiguousarray(rows.reshape(count * DENSITIES, -1).T, np.float32))
    stay, leave = _transitions((folder / "transition_matrices").read_bytes(), count)
    return AcousticModel(phones, tuple(linear), tuple(weights), stay, leave)


def _phone_names(data: bytes) -> tuple[str, ...]:
    (length,) = struct.unpack_from("<i", data, 8)
    counts = struct.unpack_from("<i", data, 12 + length)
    start = data.index(b"+NSN+\0", 12 + length)
    return tuple(name.decode() for name in data[start:].split(b"\0", counts[0])[: counts[0]])


def _body(data: bytes) -> bytes:
    end = data.index(b"endhdr\n") + len(b"endhdr\n")
    return data[end + 4 :]  # the byte-order word


def _parameters(path: Path, shape: tuple[int, ...]) -> Array:
    size = int(np.prod(shape)) * 4
    body = _body(path.read_bytes())
    values = np.frombuffer(body[-size - 4 : -4], "<f4")  # a check sum follows
    return values.reshape(shape).astype(np.float64)


def _mixture_weights(data: bytes, count: int) -> list[Array]:
    position = 0
    while True:  # length-prefixed strings, closed by a zero length
        (length,) = struct.unpack_from("<i", data, position)
        position += 4 + length
        if length == 0:
            break
    densities, senones = struct.unpack_from("<ii", data, position)
    raw = np.frombuffer(data, np.uint8, offset=len(data) - STREAMS * densities * senones)
    table = raw.reshape(STREAMS, densities, senones)[:, :, : count * STATES]
    weights = np.exp(-LOG_UNIT * table.astype(np.float32))
    weights = weights.reshape(STREAMS, densities, count, STATES).transpose(0, 2, 1, 3)
    return [np.ascontiguousarray(w) for w in weights]


def _transitions(data: bytes, count: int) -> tuple[Array, Array]:
    size = count * STATES * (STATES + 1) * 4
    counts = np.frombuffer(_body(data)[-size - 4 : -4], "<f4").reshape(count, STATES, STATES + 1)
    rows = counts / counts.sum(axis=2, keepdims=True)
    k = np.arange(STATES)
    stay, leave = rows[:, k, k], rows[:, k, k + 1]
    return np.log(np.maximum(stay, 1e-4)), np.log(np.maximum(leave, 1e-4))
