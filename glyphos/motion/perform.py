"""Perform: a Reading and a Delivery become Motion.

The one entry for the window, the shell and Python: pure, quick and repeatable bit for bit.
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from ..rates import frame_rate
from ..speech.reading import Phone, Reading
from ..voice.ranks import median
from . import gestures
from .channels import LOW, TOP, channels
from .curve import Motion
from .delivery import Delivery, checked
from .exposing import expose
from .loudness import Loudness
from .placed import OPENING, heard_in, in_the_face, performed, place
from .solving import Curves, grid_between, margin_of, solve, solve_again
from .spline import Array, Grid, between

FAR = 0.9  # seconds beside a window in which a sound can matter to it
SEEN = 0.1  # seconds of curve beside a frame that it can be moved to


def perform(
    reading: Reading,
    delivery: Delivery | None = None,
    *,
    fps: Fraction | float | int = 24,
    loudness: Loudness | None = None,
) -> Motion:
    """Compute the face's curves for a reading at `fps` frames a second.

    loudness: how loud the recording is over time, needed for `loudness_follow` to act.
    Raises GlyphosError if a setting is out of bounds.
    """
    delivery = checked(delivery or Delivery())
    rate = frame_rate(fps)
    phones = tuple(reading.phones())
    level = _line_level(phones, loudness)
    placed = place(phones, reading.marks, delivery, loudness, level)
    curves = solve(placed)
    return _motion(curves, _exposed(curves, rate, 0, _frames(reading, delivery, rate)), rate, level)


def reperform(
    motion: Motion,
    reading: Reading,
    delivery: Delivery,
    *,
    start: float,
    end: float,
    loudness: Loudness | None = None,
) -> Motion:
    """`motion` with its frames from `start` to `end` seconds computed anew; the rest is kept.

    For dragging: what `perform` would give there, at the cost of that stretch alone.
    """
    delivery = checked(delivery)
    rate, fps = motion.fps, float(motion.fps)
    frames = _frames(reading, delivery, rate)
    low, high = max(0, int(start * fps)), min(frames, int(np.ceil(end * fps)) + 1)
    before = motion.curves
    if before is None or frames != motion.frames or high <= low or high - low > 0.8 * frames:
        return perform(reading, delivery, fps=rate, loudness=loudness)
    whole = _whole_grid(reading, delivery)
    if whole is None:
        return perform(reading, delivery, fps=rate, loudness=loudness)
    far = margin_of(delivery) + FAR
    near = _near(reading, delivery, start - far, end + far)
    placed = place(near, reading.marks, delivery, loudness, motion.level)
    curves = solve_again(before, placed, whole, low / fps - SEEN, high / fps + SEEN)
    values = motion.values.copy()
    first = max(0, low - 1)  # a frame between two that are moved is moved by half of both
    values[low:high] = _exposed(curves, rate, first, high + 1 - first)[low - first : high - first]
    return _motion(curves, values, rate, motion.level)


def _motion(curves: Curves, values: Array, rate: Fraction, level: float | None) -> Motion:
    values.setflags(write=False)
    return Motion(rate, tuple(c.name for c in channels()), values, level, curves)


def _exposed(curves: Curves, rate: Fraction, first: int, count: int) -> Array:
    values = expose(curves.spline, curves.moments, float(rate), first, count)
    inside: Array = between(values, LOW, TOP)
    return inside


def _frames(reading: Reading, delivery: Delivery, rate: Fraction) -> int:
    """Frames from 0 to the end of the recording or of the last sound."""
    last_sound = reading.phrases[-1].end if reading.phrases else 0.0
    length = delivery.offset + reading.audio.duration / delivery.speed
    sound = delivery.offset + last_sound / delivery.speed - delivery.lead / 1000
    return max(1, int(np.ceil(max(0.0, length, sound) * float(rate) - 1e-6)) + 1)


def _whole_grid(reading: Reading, delivery: Delivery) -> Grid | None:
    """The grid of the whole line, from its first and last sounds alone; None if it is silent."""
    ends = [m for m in reading.marks if m.kind in OPENING]
    low, high = (
        min((m.start for m in ends), default=np.inf),
        max((m.end for m in ends), default=-np.inf),
    )
    for phrases in (reading.phrases, reading.phrases[::-1]):
        for phrase in phrases:
            inside = performed((p for w in phrase.words for p in w.phones), delivery)
            if inside:
                low, high = min(low, inside[0].start), max(high, *(p.end for p in inside))
                break
    if high < low:
        return None
    first, last = in_the_face(np.array([low, high]), delivery)
    return grid_between(float(first), float(last), delivery)


def _near(reading: Reading, delivery: Delivery, low: float, high: float) -> Sequence[Phone]:
    """Sounds of phrases that lie, in the time of the motion, between `low` and `high`."""
    low, high = heard_in(low, delivery), heard_in(high, delivery)
    return [
        p for phrase in reading.phrases if phrase.end > low and phrase.start < high
        for word in phrase.words for p in word.phones if p.end > low and p.start < high
    ]  # fmt: skip


def _line_level(phones: Sequence[Phone], loudness: Loudness | None) -> float | None:
    """The line's own level: the median loudness of its vowels, dB."""
    middles = [(p.start + p.end) / 2 for p in phones if gestures.is_vowel(p.ipa)]
    if loudness is None or not middles:
        return None
    return median(loudness.at(np.array(middles)))
