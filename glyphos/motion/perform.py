"""Perform: a Reading and a Delivery become Motion.

The one entry for the window, the shell and Python: pure, quick and repeatable bit for bit.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from fractions import Fraction
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ..rates import frame_rate
from ..speech.reading import Phone, Phrase, Reading
from . import gestures, promises
from .blend import Events, blend
from .channels import channels, index
from .curve import Motion
from .delivery import Delivery, checked
from .loudness import Loudness
from .promises import Frames, Keys

Array = NDArray[np.float64]

CLOSED_FROM, CLOSED_TO = 0.15, 0.60  # of a stop: its closed part
CLOSED_TO_NASAL = 0.85
SINGLE = ((0.25, 0.70),)  # of a sound: where it holds its target
DOUBLE = ((0.15, 0.40), (0.75, 0.95))  # of a diphthong or affricate: its two parts
STRESS_UP, STRESS_DOWN = 0.25, 0.20
LOUD_DB = 12.0  # louder than the line by this much opens by half again at full follow
SHUT_KINDS = ("shut", "hum")
FRAME_PAD = 0.35  # seconds computed beside a stretch, so that its edges are right
SOUND_PAD = 2.6  # and how far away a sound can matter to it


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
    part = _Part.of(reading, phones, delivery, loudness, level)
    frames = Frames(0, _frames(reading, delivery, rate), float(rate))
    curves = _curves(part, delivery, frames, _Keyed.of(part, frames.fps))
    curves.setflags(write=False)
    return Motion(rate, tuple(c.name for c in channels()), curves, level)


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
    fps = float(motion.fps)
    frames = _frames(reading, delivery, motion.fps)
    low, high = max(0, int(start * fps)), min(frames, int(np.ceil(end * fps)) + 1)
    if frames != motion.frames or high <= low or high - low > 0.8 * frames:
        return perform(reading, delivery, fps=motion.fps, loudness=loudness)
    pad = int(np.ceil(FRAME_PAD * fps))
    first, last = max(0, low - pad), min(frames, high + pad)
    stretch = Frames(first, last - first, fps)
    low_time, high_time = _source_times(delivery, first / fps - SOUND_PAD, last / fps + SOUND_PAD)
    phones = tuple(
        p for phrase in reading.phrases if phrase.end > low_time and phrase.start < high_time
        for word in phrase.words for p in word.phones
    )  # fmt: skip
    near = _Part.of(reading, phones, delivery, loudness, motion.level)
    shown = tuple(p for phrase in reading.phrases for p in _shown_in(phrase))
    keyed = _Keyed.of(_Part.of(reading, shown, delivery, None, None), fps)
    curves = motion.values.copy()
    curves[low:high] = _curves(near, delivery, stretch, keyed)[low - first : high - first]
    curves.setflags(write=False)
    return Motion(motion.fps, motion.names, curves, motion.level)


@dataclass(frozen=True)
class _Part:
    """The sounds to perform, placed in the time of the motion (lead, offset, speed applied)."""

    phones: tuple[Phone, ...]
    start: Array
    end: Array
    scale: Array  # how far each sound opens, by stress and loudness
    marks: tuple[tuple[str, float, float], ...]

    @classmethod
    def of(
        cls, reading: Reading, phones: tuple[Phone, ...], delivery: Delivery,
        loudness: Loudness | None, level: float | None,
    ) -> _Part:  # fmt: skip
        low = delivery.range_start
        high = delivery.range_end or np.inf
        phones = tuple(p for p in phones if low <= (p.start + p.end) / 2 < high)

        def place(seconds: Array) -> Array:
            moved = delivery.offset + seconds / delivery.speed - delivery.lead / 1000
            return np.asarray(moved)

        start = place(np.array([p.start for p in phones]))
        end = place(np.array([p.end for p in phones]))
        marks = tuple(
            (m.kind, float(place(np.array(m.start))), float(place(np.array(m.end))))
            for m in reading.marks
        )
        source = np.array([(p.start + p.end) / 2 for p in phones])
        scale = _scales(phones, source, delivery, loudness, level)
        return cls(phones, start, end, scale, marks)


def _frames(reading: Reading, delivery: Delivery, rate: Fraction) -> int:
    """Frames from 0 to the end of the recording or of the last sound."""
    last_sound = reading.phrases[-1].end if reading.phrases else 0.0
    length = delivery.offset + reading.audio.duration / delivery.speed
    sound = delivery.offset + last_sound / delivery.speed - delivery.lead / 1000
    return max(1, int(np.ceil(max(0.0, length, sound) * float(rate) - 1e-6)) + 1)


def _source_times(delivery: Delivery, low: float, high: float) -> tuple[float, float]:
    """Times in the recording for times in the motion."""
    shift = delivery.lead / 1000 - delivery.offset
    return (low + shift) * delivery.speed, (high + shift) * delivery.speed


def _line_level(phones: tuple[Phone, ...], loudness: Loudness | None) -> float | None:
    """The line's own level: the median loudness of its vowels, dB."""
    middles = [(p.start + p.end) / 2 for p in phones if gestures.is_vowel(p.ipa)]
    if loudness is None or not middles:
        return None
    levels = np.sort(loudness.at(np.array(middles)))
    return float((levels[(len(levels) - 1) // 2] + levels[len(levels) // 2]) / 2)


@dataclass(frozen=True)
class _Keyed:
    """The frames on which lips meet, and lip meets teeth, in the whole line."""

    closed: Keys
    teeth: Keys

    @classmethod
    def of(cls, part: _Part, fps: float) -> _Keyed:
        kinds = _kinds(part.phones)
        return cls(
            promises.closure_keys(*_closed(part, kinds["closed"]), fps),
            promises.closure_keys(*_middle(part, kinds["teeth"]), fps),
        )


_SHOWN: OrderedDict[int, tuple[Phrase, tuple[Phone, ...]]] = OrderedDict()
MOST_PHRASES = 1024


def _shown_in(phrase: Phrase) -> tuple[Phone, ...]:
    """Sounds of a phrase that must be seen on a frame; remembered, since most phrases stay the
    same objects while one of them is worked on."""
    known = _SHOWN.get(id(phrase))
    if known is None or known[0] is not phrase:
        sounds = tuple(p for w in phrase.words for p in w.phones if _on_a_frame(p.ipa))
        known = _SHOWN[id(phrase)] = (phrase, sounds)
        while len(_SHOWN) > MOST_PHRASES:
            _SHOWN.popitem(last=False)
    return known[1]


@cache
def _on_a_frame(sound: str) -> bool:
    return gestures.closes_lips(sound) or gestures.lip_meets_teeth(sound)


def _curves(part: _Part, delivery: Delivery, frames: Frames, keyed: _Keyed) -> Array:
    times, kinds = frames.times, _kinds(part.phones)
    events = _events(part, delivery, part.scale)
    curves = blend(events, times, smoothing=delivery.smoothing / 1000)
    spoken = kinds["vowel"]
    if spoken.any():
        first, strength = _vowel_targets(part, events, spoken)
        curves = promises.arrive(
            curves, frames, part.start[spoken], part.end[spoken], first, strength
        )
    curves = promises.rest(curves, times, part.start, part.end, delivery.settle / 1000)
    sibilant = kinds["sibilant"]
    curves = promises.sibilants(curves, frames, part.start[sibilant], part.end[sibilant])
    low = np.array([c.low for c in channels()])
    high = np.array([c.high for c in channels()])
    np.clip(curves, low, high, out=curves)
    inside = (frames.first, frames.count)
    curves = promises.teeth_on_lip(curves, times, keyed.teeth.within(*inside))
    closures = keyed.closed.within(*inside)
    curves = promises.close(curves, times, closures)
    curves = promises.part_between(curves, times, closures)
    curves = _obey_marks(curves, times, part.marks)
    curves = promises.calm(curves, frames.fps)
    return np.clip(curves, low, high)


def _kinds(phones: tuple[Phone, ...]) -> dict[str, NDArray[np.bool_]]:
    tests = {
        "vowel": gestures.is_vowel, "closed": gestures.closes_lips,
        "teeth": gestures.lip_meets_teeth, "sibilant": gestures.keeps_jaw_up,
    }  # fmt: skip
    return {name: np.array([test(p.ipa) for p in phones], bool) for name, test in tests.items()}


def _scales(
    phones: tuple[Phone, ...], source: Array, delivery: Delivery, loudness: Loudness | None,
    line_level: float | None,
) -> Array:  # fmt: skip
    """How far each sound opens: its stress and its loudness against the line's own level."""
    vowel = np.array([gestures.is_vowel(p.ipa) for p in phones], bool)
    stressed = np.array([p.stress == 1 for p in phones], bool)
    change = np.where(stressed, STRESS_UP, -STRESS_DOWN) * delivery.stress_follow
    scale = np.where(vowel, 1 + change, 1.0)
    if loudness is not None and line_level is not None and delivery.loudness_follow > 0:
        above = np.clip((loudness.at(source) - line_level) / LOUD_DB, -1, 1)
        scale *= np.where(vowel, 1 + 0.5 * delivery.loudness_follow * above, 1.0)
    return np.asarray(scale)


def _events(part: _Part, delivery: Delivery, scale: Array) -> Events:
    shapes = [gestures.gestures_of(p.ipa) for p in part.phones]
    owner = np.repeat(np.arange(len(shapes)), [len(s) for s in shapes])
    flat = [shape for parts in shapes for shape in parts]
    cores = [core for parts in shapes for core in (SINGLE if len(parts) == 1 else DOUBLE)]
    shape_of = (len(flat), len(channels()))
    target = np.reshape([g.target for g in flat], shape_of) * delivery.articulation
    strength = np.reshape([g.strength for g in flat], shape_of)
    jaw = index("jaw_open")
    target[:, [jaw, index("lips_part")]] *= scale[owner, None]
    target[:, jaw] *= delivery.jaw_reach
    first, last = np.reshape(cores, (len(flat), 2)).T
    start, length = part.start[owner], (part.end - part.start)[owner]
    return Events(start + first * length, start + last * length, target, strength)


def _vowel_targets(part: _Part, events: Events, vowel: NDArray[np.bool_]) -> tuple[Array, Array]:
    """Target and strength of the first part of each vowel, clipped to the channels' ranges."""
    counts = np.array([len(gestures.gestures_of(p.ipa)) for p in part.phones])
    first = (np.cumsum(counts) - counts)[vowel]
    low = np.array([c.low for c in channels()])
    high = np.array([c.high for c in channels()])
    return np.clip(events.target[first], low, high), events.strength[first]


def _closed(part: _Part, which: NDArray[np.bool_]) -> tuple[Array, Array]:
    nasal = np.array([p.ipa[:1] in "mɱ" for p in part.phones], bool)[which]
    start, end = part.start[which], part.end[which]
    length = end - start
    return start + CLOSED_FROM * length, start + np.where(
        nasal, CLOSED_TO_NASAL, CLOSED_TO
    ) * length


def _middle(part: _Part, which: NDArray[np.bool_]) -> tuple[Array, Array]:
    start, end = part.start[which], part.end[which]
    return start + 0.3 * (end - start), start + 0.7 * (end - start)


def _obey_marks(curves: Array, times: Array, marks: tuple[tuple[str, float, float], ...]) -> Array:
    """Breath, cough and laugh open the mouth a little; hum and `shut` keep the lips together."""
    jaw, lips = index("jaw_open"), index("lips_part")
    openings = {"breath": (0.15, 0.2), "cough": (0.3, 0.35), "laugh": (0.4, 0.5)}
    for kind, start, end in marks:
        ramp = min(0.08, max(0.02, (end - start) / 3))
        rise = np.minimum((times - start) / ramp, (end - times) / ramp)
        weight = promises.ease(rise)
        if kind in SHUT_KINDS:
            edge = promises.ease(1 + np.minimum(times - start, end - times) / ramp)
            curves *= (1 - edge)[:, None]
        else:
            for column, value in zip((jaw, lips), openings[kind], strict=True):
                curves[:, column] = np.maximum(curves[:, column], value * weight)
    return curves
