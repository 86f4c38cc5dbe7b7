"""F0 and voicing: candidates by normalised cross-correlation, the path by dynamic programming (after
Talkin 1995, RAPT), made exact by the phase of the first harmonics.

The speaker's range comes from a first path over all of LOWEST..HIGHEST: from 0.7 of the lower to 2.1
of the upper quartile (after De Looze & Hirst 2008).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import soxr
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ..filters import FROM_60_TO_900, passed

Array = NDArray[np.float64]
RATE = 16_000  # of the sound that is analysed
HOP = 0.010  # seconds from one frame to the next
LOW = 4_000  # candidates are sought below 900 Hz at this rate
LOWEST, HIGHEST = 50.0, 550.0  # Hz, before the speaker is known
COUNT = 6  # candidates of a frame
LONG, FAR = 0.02, 0.12  # cost of an octave down; of an octave beyond 0.55 from the speaker's middle
JUMP, SWITCH, UNVOICED = (
    1.0,
    0.25,
    0.55,
)  # cost of an octave's jump, of beginning or ceasing, of silence
QUIET, FAINT = -32.0, -25.0  # dB under the loud frames: not voiced; not asked for the range
STEADY, CLEAR = 2.0, 3.0  # dB in which a ground stays; over it a voice is
HARMONICS = 3  # whose phase tells the exact frequency
SLIP = 0.12  # octaves that the phase may correct


@dataclass(frozen=True)
class Pitch:
    """hertz: F0 every HOP seconds, 0 where unvoiced. floor, ceiling: the range that was searched."""

    hertz: Array
    floor: float
    ceiling: float


def find_pitch(samples: Array, floor: float = 0.0, ceiling: float = 0.0) -> Pitch:
    """F0 of mono sound at RATE. floor, ceiling: the speaker's range in Hz, if it is known."""
    frames = int(len(samples) / RATE / HOP) + 1
    low = soxr.resample(np.asarray(samples, np.float64), RATE, LOW)
    if len(low) < 64:
        return Pitch(np.zeros(frames), LOWEST, HIGHEST)
    low = passed(FROM_60_TO_900, low, 27)
    level = _levels(samples, frames)
    middle = 0.0
    if not floor:
        first = _path(*_candidates(low, frames, LOWEST, HIGHEST), level, HIGHEST)
        sure = first[(first > 0) & (level > FAINT)]
        quarter, middle, three = np.percentile(
            sure if len(sure) > 20 else [90.0, 130.0, 180.0], [25, 50, 75]
        )
        floor, ceiling = max(LOWEST, 0.7 * quarter), min(700.0, 2.1 * three)
    else:
        middle = float(np.sqrt(floor * ceiling))
    found = _path(*_candidates(low, frames, floor, ceiling), level, ceiling, middle)
    return Pitch(_exact(low, found), float(floor), float(ceiling))


def _levels(samples: Array, frames: int) -> Array:
    """Level of 25 ms around every frame, dB under the loud ones. What sounds on in the pauses, a hum or
    music, is no voice: a steady ground counts as silence."""
    energy = np.concatenate(([0.0], np.cumsum(np.asarray(samples, np.float64) ** 2)))
    at = np.round(np.arange(frames) * HOP * RATE).astype(int)
    span = energy[np.minimum(at + 200, len(samples))] - energy[np.maximum(at - 200, 0)]
    level = 10 * np.log10(span / 400 + 1e-12)
    low, ground, loud = np.percentile(level, [5, 30, 95])
    if ground - low < STEADY < CLEAR < loud - ground:
        level = np.where(level < ground + CLEAR, loud - 99.0, level)
    return np.asarray(level - loud)


def _candidates(low: Array, frames: int, floor: float, ceiling: float) -> tuple[Array, Array]:
    """The highest maxima of every frame's correlation: Hz and height (COUNT, frames).

    Two neighbouring stretches of two periods each (12 ms at least), centred on the frame, are
    correlated.
    """
    lags = np.arange(int(LOW / ceiling) - 1, int(np.ceil(LOW / floor)) + 2)
    pad = 4 * int(lags[-1])
    padded = np.concatenate((np.zeros(pad), low, np.zeros(pad + LOW // 10)))
    step = round(HOP * LOW)

    def framed(x: Array, first: int) -> Array:
        """What every frame has at a place, that the first one has at `first`."""
        return x[first : first + step * (frames - 1) + 1 : step]

    energy = np.concatenate(([0.0], np.cumsum(padded**2)))
    soft = 1e-4 * float(np.mean(low**2)) + 1e-12
    height = np.empty((len(lags), frames), np.float32)
    for k, lag in enumerate(lags.tolist()):
        wide = max(2 * lag, int(0.012 * LOW))
        windows, first = sliding_window_view(padded, wide), pad - (wide + lag) // 2
        both = np.einsum("ij,ij->i", framed(windows, first), framed(windows, first + lag))
        one = framed(energy, first + wide) - framed(energy, first) + soft * wide
        other = framed(energy, first + lag + wide) - framed(energy, first + lag) + soft * wide
        height[k] = both / np.sqrt(one * other)
    tops = np.where((height[1:-1] >= height[:-2]) & (height[1:-1] > height[2:]), height[1:-1], -1.0)
    best = np.argsort(-tops, axis=0)[:COUNT]
    a, b, c = (np.take_along_axis(height, best + d, 0).astype(np.float64) for d in (0, 1, 2))
    bend = np.where(np.abs(a - 2 * b + c) > 1e-9, a - 2 * b + c, 1.0)
    beside = np.clip(0.5 * (a - c) / bend, -0.5, 0.5)
    there = np.take_along_axis(tops, best, 0) > 0
    return LOW / (lags[best + 1] + beside), np.where(there, b - 0.25 * (a - c) * beside, -1.0)


def _path(
    hertz: Array, height: Array, level: Array, ceiling: float, middle: float = 0.0
) -> Array:  # fmt: skip
    """The cheapest way through the candidates, or through silence: Hz, 0 where unvoiced."""
    count, frames = hertz.shape
    octave = np.log2(hertz)
    cost = 1 - height * (1 - LONG * np.clip(np.log2(ceiling) - octave, 0, 5))
    if middle:
        cost = cost + FAR * np.maximum(0, np.abs(octave - np.log2(middle)) - 0.55)
    cost = np.where(height < 0.2, 9.0, cost)
    cost = np.vstack([cost, np.where(level < QUIET, -1.0, UNVOICED)])
    back = np.zeros((count + 1, frames), np.int8)
    total = cost[:, 0].copy()
    move = np.full((count + 1, count + 1), SWITCH)
    move[count, count] = 0
    jumps = JUMP * np.minimum(np.abs(octave[:, None, 1:] - octave[None, :, :-1]), 1.2)
    every = np.arange(count + 1)
    for t in range(1, frames):
        move[:count, :count] = jumps[:, :, t - 1]
        ways = move + total
        best = ways.argmin(1)
        back[:, t], total = best, ways[every, best] + cost[:, t]
    k, states = int(total.argmin()), np.empty(frames, int)
    for t in range(frames - 1, -1, -1):
        states[t] = k
        k = int(back[k, t])
    chosen = hertz[np.minimum(states, count - 1), np.arange(frames)]
    return np.where(states < count, chosen, 0.0)


def _exact(low: Array, hertz: Array) -> Array:
    """F0 from how fast the phase of its first harmonics turns, in windows of three periods."""
    voiced = np.flatnonzero(hertz > 0)
    made = hertz.copy()
    if not len(voiced):
        return made
    reach = int(1.5 * LOW / hertz[voiced].min()) + 1
    padded = np.pad(low, reach + 2)
    offsets = np.arange(-reach, reach + 1)
    for start in range(0, len(voiced), 2000):
        rows = voiced[start : start + 2000]
        f = hertz[rows][:, None]
        turn = offsets / LOW * f  # periods from the middle
        window = np.where(np.abs(turn) < 1.5, np.cos(np.pi * turn / 3) ** 2, 0.0)
        at = np.round(rows * HOP * LOW).astype(int)[:, None] + offsets + reach + 2
        before, after = padded[at - 1] * window, padded[at + 1] * window
        weight, sum_ = np.zeros(len(rows)), np.zeros(len(rows))
        first = np.exp(-2j * np.pi * turn)
        wave = np.ones_like(first)
        for k in range(1, HARMONICS + 1):
            wave = wave * first
            a, b = (before * wave).sum(1), (after * wave).sum(1)
            own = np.angle(b * np.conj(a)) * LOW / (4 * np.pi) / k
            sure = np.sqrt(np.abs(a) * np.abs(b)) * (k * f[:, 0] < 850)
            near = np.abs(np.log2(np.maximum(own, 1.0) / f[:, 0])) < SLIP
            weight += sure * near
            sum_ += sure * near * own
        made[rows] = np.where(weight > 0, sum_ / np.maximum(weight, 1e-30), f[:, 0])
    return made
