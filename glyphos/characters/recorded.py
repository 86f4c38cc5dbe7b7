"""A face that was recorded elsewhere, as a layer: a table of curves, whatever its columns are called."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np

from ..errors import DocumentError
from ..files import State, file_state, text_of
from ..motion.euro import smoothed
from ..motion.layers import Layer
from ..tables import cells
from .channels import face_channels
from .fitting.names import match_names

MOST_ROWS = 2_000_000
MOST_BYTES = 256_000_000
FRAME, SECONDS = ("frame", "frames"), ("seconds", "time", "timestamp", "t", "timecode")


def read_layer(data: bytes, name: str, fps: float = 0.0) -> tuple[Layer, list[str]]:
    """A table (CSV) of curves, a row a frame, as a layer, and what a person should know of it.

    Columns are our channels, or names that say which they mean. Shares of 0..100 become 0..1. fps: of
    the rows, where no column tells seconds. DocumentError, one sentence, for what is none.
    """
    table = cells(text_of(data, name), name)
    if len(table) < 2 or len(table) > MOST_ROWS:
        raise DocumentError(
            f"{name} holds no curves; it should have a row of names and a row a frame."
        )
    header = [c.strip() for c in table[0]]
    values = _numbers(table[1:], len(header), name)
    times = _times(header, values, fps, name)
    curves, said, unknown = {}, [], []
    known = face_channels()
    for k, column in enumerate(header):
        if column.lower() in (*FRAME, *SECONDS) or not column:
            continue
        channel = channel_of(column)
        if channel is None or channel in curves:
            unknown.append(column)
            continue
        low, high = known[channel].low, known[channel].high
        own = values[:, k]
        if low >= -1 and high <= 1 and np.abs(own).max(initial=0.0) > 2:
            own = own / 100
        curves[channel] = np.clip(own, low, high)
        if channel != _plain(column):
            said.append(f"“{column}” is taken for {channel.replace('_', ' ')}")
    if not curves:
        raise DocumentError(
            f"None of the columns of {name} is a channel of a face; name them as in jaw_open."
        )
    if unknown:
        said.append(f"not used: {', '.join(unknown[:6])}" + (" …" if len(unknown) > 6 else ""))
    return Layer(times, curves), said


def _numbers(rows: list[list[str]], columns: int, name: str) -> np.ndarray:
    made = np.zeros((len(rows), columns))
    for k, row in enumerate(rows):
        if not any(c.strip() for c in row):
            continue
        try:
            own = [float(c) if re.search(r"\d", c) else 0.0 for c in row]
        except ValueError:
            raise DocumentError(
                f"Line {k + 2} of {name} holds something that is no number."
            ) from None
        if len(own) != columns or not np.isfinite(own).all():
            raise DocumentError(
                f"Line {k + 2} of {name} has {len(own)} columns, not {columns}, or a value that is none."
            )
        made[k] = own
    return made


def _times(header: list[str], values: np.ndarray, fps: float, name: str) -> np.ndarray:
    plain = [c.lower() for c in header]
    at = next((plain.index(s) for s in SECONDS if s in plain), None)
    if at is not None:
        times = values[:, at]
    elif fps > 0:
        frame = next((plain.index(s) for s in FRAME if s in plain), None)
        times = (np.arange(len(values)) if frame is None else values[:, frame]) / fps
    else:
        raise DocumentError(
            f"{name} has no column “seconds”, and it is not known how many rows a second are."
        )
    if (np.diff(times) <= 0).any():
        raise DocumentError(f"The times of {name} do not rise from row to row.")
    return np.asarray(times, np.float64)


def _plain(column: str) -> str:
    """JawOpen, jaw-open and jaw open are one name."""
    return re.sub(r"[\W_]+|(?<=[a-z])(?=[A-Z])", "_", column).lower()


@lru_cache(4096)
def channel_of(name: str) -> str | None:
    """The channel that a name of any spelling means; None for none."""
    return _plain(name) if _plain(name) in face_channels() else _meant(name)


def _meant(column: str) -> str | None:
    """The channel that a name means."""
    named = match_names((column,))[0]
    return named.gesture if named.known and named.gesture in face_channels() else None


def open_layer(
    path: Path, fps: float = 0.0, zero: float | None = None, smoothing: float = 0.0
) -> tuple[Layer, list[str]]:
    """A table or a BVH clip as a layer, and what a person should know of it; kept until the file is
    another. zero: seconds at which the face is at rest; smoothing: of `motion.euro`. DocumentError, one
    sentence."""
    try:
        state = file_state(path)
        if state[1] > MOST_BYTES:
            raise DocumentError(f"{path.name} is larger than 256 MB; cut it.")
        return _shaped(path, state, fps, zero, smoothing)
    except OSError:
        raise DocumentError(f"{path.name} is not there; put it back, or choose another.") from None


@lru_cache(8)
def _shaped(
    path: Path, state: State, fps: float, zero: float | None, smoothing: float
) -> tuple[Layer, list[str]]:
    layer, said = _opened(path, state, fps)
    if zero is None and smoothing <= 0:
        return layer, said
    curves = smoothed(layer.times, layer.curves, smoothing)
    if zero is not None:
        curves = {n: _from_zero(n, layer.times, v, zero) for n, v in curves.items()}
    return replace(layer, curves=curves), said


def _from_zero(name: str, times: np.ndarray, values: np.ndarray, zero: float) -> np.ndarray:
    return from_rest(name, values, float(np.interp(zero, times, values)))


def from_rest(name: str, value: np.ndarray, rest: float) -> np.ndarray:
    """Values of a channel from a rest that is not 0; what is left of a share's way is its whole way again."""
    known = face_channels()[name]
    made = value - rest
    if known.low >= 0 and rest < 1:
        made = made / (1 - rest)
    return np.clip(made, known.low, known.high)


@lru_cache(8)
def _opened(path: Path, _state: State, fps: float) -> tuple[Layer, list[str]]:
    data = path.read_bytes()
    if path.suffix.lower() == ".bvh":
        from .bvh import read_bvh

        return read_bvh(data, path.name)
    return read_layer(data, path.name, fps)


def laid(layer: Layer, offset: float, strength: float, regions: Sequence[str]) -> Layer:
    """A layer some seconds later, weaker or stronger, on some regions of the face alone."""
    return replace(layer, times=layer.times + offset, strength=strength, regions=frozenset(regions))
