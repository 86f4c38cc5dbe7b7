"""What blending alone does not keep: closures, teeth on lip, sibilant jaws, vowels, rest, calm.

Each promise is a function that takes the curves and gives them back with the promise kept; they
are applied in an order in which a later one does not break an earlier one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .channels import channels, index

Array = NDArray[np.float64]
Ints = NDArray[np.intp]

RAMP = 0.075  # seconds in which lips close or part
SIBILANT_JAW = 0.18
SIBILANT_RAMP = 0.07
ARRIVAL = 0.87  # of a vowel's target, for vowels of at least LONG_VOWEL
LONG_VOWEL = 0.08
PARTED = 0.10  # the least gap between two closures around a vowel
FASTEST = 24.0  # full ranges a second
ANTICIPATION = 0.14  # seconds before the first sound at which the mouth may leave rest


@dataclass(frozen=True)
class Keys:
    """Frames that must show something: one a sound, with the sound's own interval in seconds."""

    frame: Ints
    start: Array
    end: Array

    def __len__(self) -> int:
        return len(self.frame)

    def within(self, first: int, count: int) -> Keys:
        """The keys of `count` frames from frame `first` on, their frames counted from there."""
        inside = (self.frame >= first) & (self.frame < first + count)
        return Keys(self.frame[inside] - first, self.start[inside], self.end[inside])


@dataclass(frozen=True)
class Frames:
    """The frames of a stretch: frame `first` of the line and those after it, at `fps` a second.

    Which frame a moment falls on is reckoned from the line's start, so that it does not depend
    on where the stretch begins.
    """

    first: int
    count: int
    fps: float

    @property
    def times(self) -> Array:
        return np.arange(self.first, self.first + self.count) / self.fps

    def of(self, seconds: Array) -> Ints:
        """The frame nearest to each time, counted from the stretch's first."""
        return np.asarray(np.rint(seconds * self.fps).astype(np.intp) - self.first)


def closure_keys(start: Array, end: Array, fps: float) -> Keys:
    """Choose the frame of each closure: nearest to the middle of the closed interval, moved apart
    within half a frame of it where two closures would leave no frame between them.

    start, end: (n,) seconds of ALL closures of the line, in order; frames count from the line's
    start. What is chosen for one closure depends on those before it, so a stretch of the line
    must be given the whole and take its part (`within`).
    """
    if len(start) == 0:
        return Keys(np.zeros(0, np.intp), np.zeros(0), np.zeros(0))
    # lists, since numbers of an array are slow to take one by one
    frame: list[int] = np.rint((start + end) / 2 * fps).astype(np.intp).tolist()
    earliest = np.ceil(start * fps - 0.5 + 1e-9).astype(np.intp).tolist()
    latest = np.floor(end * fps + 0.5 - 1e-9).astype(np.intp).tolist()
    joined = (start[1:] - end[:-1] < 0.02).tolist()
    for k in range(len(frame) - 1):
        if joined[k]:
            continue
        if frame[k + 1] - frame[k] < 2 and frame[k] - 1 >= earliest[k]:
            before = frame[k - 1] if k else -2
            if frame[k] - 1 - before >= 2 or frame[k] - before < 2:
                frame[k] -= 1
        if frame[k + 1] - frame[k] < 2 and frame[k] + 2 <= latest[k + 1]:
            frame[k + 1] = frame[k] + 2
    return Keys(np.array(frame, np.intp), start, end)


def _distance(times: Array, start: Array, end: Array) -> Array:
    """Seconds from each time to the nearest of the (sorted) intervals; 0 inside one."""
    if len(start) == 0:
        return np.full(len(times), np.inf)
    before = np.searchsorted(start, times, side="right") - 1
    reached = np.maximum.accumulate(end)[np.maximum(before, 0)]
    after = np.minimum(before + 1, len(start) - 1)
    to_left = np.where(before >= 0, np.maximum(0.0, times - reached), np.inf)
    to_right = np.where(before + 1 < len(start), np.maximum(0.0, start[after] - times), np.inf)
    return np.minimum(to_left, to_right)


def ease(x: Array) -> Array:
    """From 0 to 1 without a jolt, for x from 0 to 1 (a cubic); still outside."""
    x = np.clip(x, 0.0, 1.0)
    return x * x * (3 - 2 * x)


def rest(curves: Array, times: Array, start: Array, end: Array, settle: float) -> Array:
    """At rest before the first sound, `settle` after the last, and in long pauses."""
    if len(start) == 0:
        return np.zeros_like(curves)
    before = np.searchsorted(start, times, side="right") - 1
    since = np.where(before >= 0, times - np.maximum.accumulate(end)[np.maximum(before, 0)], np.inf)
    following = np.minimum(before + 1, len(start) - 1)
    until = np.where(before + 1 < len(start), start[following] - times, np.inf)
    lead_in = min(ANTICIPATION, settle)
    leaving = ease(1 - np.maximum(0.0, since) / settle)
    arriving = ease(1 - np.maximum(0.0, until) / lead_in)
    speaking = (since <= 0) | (until <= 0)
    gap = np.where(before >= 0, until + since, np.inf)
    alive = np.where(speaking | (gap <= 2 * settle), 1.0, np.maximum(leaving, arriving))
    gated: Array = curves * alive[:, None]
    return gated


def arrive(
    curves: Array, frames: Frames, start: Array, end: Array, target: Array, strength: Array
) -> Array:
    """Vowels of 80 ms or more reach their target for a frame, within their own time."""
    times = frames.times
    if len(start) == 0 or len(times) < 2:
        return curves
    frame = frames.of((start + end) / 2)
    long = (end - start >= LONG_VOWEL - 1e-9) & (frame >= 0) & (frame < len(times))
    long &= (
        np.abs(times[np.clip(frame, 0, len(times) - 1)] - (start + end) / 2) <= (end - start) / 2
    )
    frame, start, end = frame[long], start[long], end[long]
    wanted = ARRIVAL * target[long]
    short = np.where(
        (strength[long] > 0) & (np.abs(curves[frame]) < np.abs(wanted)) | (curves[frame] * wanted < 0),
        wanted - curves[frame], 0.0,
    )  # fmt: skip
    short *= strength[long] > 0
    for row in np.flatnonzero(np.abs(short).max(axis=1, initial=0.0) > 1e-3):
        half = (end[row] - start[row]) / 2 + 0.02
        a, b = np.searchsorted(times, (times[frame[row]] - half, times[frame[row]] + half))
        weight = ease(1 - np.abs(times[a:b] - times[frame[row]]) / half)
        curves[a:b] += weight[:, None] * short[row]
    return curves


def sibilants(curves: Array, frames: Frames, start: Array, end: Array) -> Array:
    """The jaw stays up in the middle of s z ʃ ʒ and the affricates."""
    times = frames.times
    margin = (end - start) * 0.25
    away = _distance(times, start + margin, end - margin)
    if len(times) > 1:  # at slow rates the nearest frame counts as the middle
        middle = frames.of((start + end) / 2)
        away[middle[(middle >= 0) & (middle < len(times))]] = 0.0
    jaw = index("jaw_open")
    limit = SIBILANT_JAW + (1 - SIBILANT_JAW) * ease(away / SIBILANT_RAMP)
    curves[:, jaw] = np.minimum(curves[:, jaw], limit)
    return curves


def part_between(curves: Array, times: Array, keys: Keys) -> Array:
    """Between two closures around a vowel, the lips are seen to part, whatever the settings."""
    lips = index("lips_part")
    for a, b, end, start in zip(
        keys.frame[:-1], keys.frame[1:], keys.end[:-1], keys.start[1:], strict=True
    ):
        if start - end >= 0.02 and b - a >= 2 and start - end < 0.5:
            middle = (a + b) // 2 if b - a > 2 else a + 1
            if curves[a + 1 : b, lips].max() < PARTED:
                width = max(1.0, (b - a) / 2)
                away = np.abs(np.arange(a + 1, b) - middle) / width
                row = curves[a + 1 : b, lips]
                curves[a + 1 : b, lips] = np.maximum(row, PARTED * ease(1 - away))
    return curves


def close(curves: Array, times: Array, keys: Keys) -> Array:
    """Lips meet over every closure and at its frame, whatever jaw and articulation do."""
    lips = index("lips_part")
    away = _distance(times, keys.start, keys.end)
    opening = _opening_width(times, keys)
    curves[:, lips] *= ease(away / opening)
    curves[keys.frame, lips] = 0.0
    return curves


def _opening_width(times: Array, keys: Keys) -> Array:
    """Seconds the lips take to part: RAMP, less between closures that are close together."""
    if len(keys) == 0:
        return np.full(len(times), RAMP)
    gaps = np.append(keys.start[1:] - keys.end[:-1], np.inf)
    before = np.searchsorted(keys.start, times, side="right") - 1
    gap = np.where(before >= 0, gaps[np.maximum(before, 0)], np.inf)
    return np.clip(gap * 0.45, 0.03, RAMP)


def teeth_on_lip(curves: Array, times: Array, keys: Keys) -> Array:
    """Lower lip at the upper teeth at the frame of every f and v; lips nearly meet there."""
    teeth, lips = index("lip_to_teeth"), index("lips_part")
    near = ease(1 - _distance(times, keys.start, keys.end) / RAMP)
    near[keys.frame] = 1.0
    curves[:, teeth] = np.maximum(curves[:, teeth], 0.97 * near)
    curves[:, lips] = np.minimum(curves[:, lips], 1 - 0.82 * near)
    return curves


def calm(curves: Array, fps: float) -> Array:
    """No channel moves faster than lips can; closures, being lowest, stay where they are."""
    for c, channel in enumerate(channels()):
        slope = FASTEST * (channel.high - channel.low) / fps
        column = curves[:, c]
        if len(column) < 2 or np.abs(np.diff(column)).max() <= slope:
            continue
        rising: Array = np.arange(len(column), dtype=np.float64) * slope
        if channel.name == "lip_to_teeth":  # its peaks are the promise: raise what is beside them
            column = -_limited(-column, rising)
        else:
            column = _limited(column, rising)
        curves[:, c] = column
    return curves


def _limited(column: Array, rising: Array) -> Array:
    """The highest curve under `column` whose slope stays within bounds."""
    forward = np.minimum.accumulate(column - rising) + rising
    backward = np.minimum.accumulate((forward + rising)[::-1])[::-1] - rising
    return np.asarray(backward)
