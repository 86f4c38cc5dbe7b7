"""The sounds of a line placed in the time of its face, and what each part of them asks."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np
from numpy.typing import NDArray

from ..speech.reading import Mark, Phone
from . import gestures
from .channels import COUNT, JAW, LOW, PART, TOP, channels
from .delivery import Delivery
from .loudness import Loudness
from .spline import Array, Ints, between, where

STRESS_UP, STRESS_DOWN = 0.25, 0.20
LOUD_DB = 12.0  # louder than the line by this much opens by half again at full follow
SINGLE = ((0.475, 0.225),)  # of a sound: middle and half of where it holds its target
DOUBLE = ((0.27, 0.15), (0.79, 0.13))  # of a diphthong or affricate: of its two parts
# Seconds: what a sound lasts beyond it is spent in the middle of where it is held (of a vowel's first part, of an
# affricate's second); it is come to and left in no more time than one so long. Common practice, no source: singers
# and callers hold the shape, not the way to it.
LASTS = 0.3
# In a laugh the jaw goes up with each breath between two bursts: to a share of how far they open, asked with a strength
# (that it goes with them: Ruch & Ekman 2001; how far: common practice, no source)
BOUNCE, BOUNCED = 0.6, 0.8
TOGETHER = 0.03  # seconds between sounds that follow at once
OPENING = {"breath": (0.15, 0.2), "cough": (0.3, 0.35), "laugh": (0.4, 0.5)}  # jaw, lips
SHUT = ("shut", "hum")
IDLE = np.array([c.idle for c in channels()])

Which = NDArray[np.bool_]

KINDS: dict[str, Callable[[str], bool]] = {
    "vowel": gestures.is_vowel, "closed": gestures.closes_lips, "nasal": gestures.hums,
    "teeth": gestures.lip_meets_teeth, "sibilant": gestures.keeps_jaw_up,
    "glide": gestures.is_rounded_glide, "rhotic": gestures.is_rhotic, "breath": gestures.is_breath,
}  # fmt: skip


@dataclass(frozen=True)
class Placed:
    """n sounds and their m parts; times are those of the face (lead, offset, speed applied).

    drawn_out (n,): at which share of a sound it lasts on if it is longer than LASTS. kind: for each of KINDS which
    sounds are of it. own (m,): the sound of a part; begin, count
    (n,): its first part and how many. target, asked, strength (m, channels): scaled target, the
    strength it is asked with (0: not at all), and the same with the pull to none. core_low,
    core_high (m,): where the target is held. openings: marks that open the mouth (kind, start,
    end); shut: marks that keep it shut.
    """

    start: Array
    end: Array
    drawn_out: Array
    stressed: Which
    kind: dict[str, Which]
    own: Ints
    begin: Ints
    count: Ints
    target: Array
    asked: Array
    strength: Array
    core_low: Array
    core_high: Array
    openings: tuple[tuple[str, float, float], ...]
    shut: tuple[tuple[float, float], ...]
    delivery: Delivery

    @cached_property
    def length(self) -> Array:
        return self.end - self.start

    @cached_property
    def _lasting(self) -> Ints:
        """The sounds that last beyond LASTS."""
        return where(self.length > LASTS)

    @cached_property
    def _moments(self) -> dict[float, Array]:
        return {}

    def at(self, which: Ints | Which, share: float) -> Array:
        """Moments at a share of some sounds."""
        found = self._moments.get(share)
        if found is None:
            found = self.start + share * self.length
            k = self._lasting
            if len(k):  # few sounds do
                found[k] = at_share(self.start[k], self.end[k], self.drawn_out[k], share)
            self._moments[share] = found
        return found[which]

    @property
    def last(self) -> float:
        """When the last sound (or opening) ends."""
        ends = [float(self.end.max(initial=-np.inf)), *(e for _, _, e in self.openings)]
        return max(ends)

    @property
    def first(self) -> float:
        """When the first sound (or opening) begins."""
        starts = [float(self.start.min(initial=np.inf)), *(s for _, s, _ in self.openings)]
        return min(starts)

    @property
    def silent(self) -> bool:
        """Whether nothing asks anything."""
        return not len(self.start) and not self.openings

    def within(self, low: float, high: float) -> Placed:
        """The sounds and marks of a stretch that no sound crosses."""
        which = where((self.start >= low) & (self.end <= high))
        parts = np.isin(self.own, which)
        return Placed(
            self.start[which], self.end[which], self.drawn_out[which], self.stressed[which],
            {name: kind[which] for name, kind in self.kind.items()},
            np.searchsorted(which, self.own[parts]),
            np.cumsum(self.count[which]) - self.count[which], self.count[which],
            self.target[parts], self.asked[parts], self.strength[parts],
            self.core_low[parts], self.core_high[parts],
            tuple(o for o in self.openings if o[1] >= low and o[2] <= high),
            tuple(o for o in self.shut if o[1] > low and o[0] < high),
            self.delivery,
        )  # fmt: skip

    @cached_property
    def gaps(self) -> Array:
        """Pauses (rows of start and end), with the silence before and after the line."""
        start = np.concatenate((self.start, [s for _, s, _ in self.openings]))
        end = np.concatenate((self.end, [e for _, _, e in self.openings]))
        order = np.argsort(start, kind="stable")
        gaps = np.empty((len(start) + 1, 2))
        gaps[0, 0], gaps[-1, 1] = -1e3, 1e6
        gaps[1:, 0], gaps[:-1, 1] = np.maximum.accumulate(end[order]), start[order]
        return gaps


def performed(phones: Iterable[Phone], delivery: Delivery) -> list[Phone]:
    """The sounds whose middle lies in the stretch that is to be performed."""
    low, high = 2 * delivery.range_start, 2 * (delivery.range_end or np.inf)
    return [p for p in phones if low <= p.start + p.end < high]


def place(
    phones: Sequence[Phone], marks: Sequence[Mark], delivery: Delivery,
    loudness: Loudness | None, level: float | None,
) -> Placed:  # fmt: skip
    """Place sounds; `level` is the line's own loudness (dB), which theirs is compared with."""
    phones = performed(phones, delivery)
    times = np.array([(p.start, p.end) for p in phones]).reshape(-1, 2)
    placed = in_the_face(times, delivery)
    names = list(dict.fromkeys(p.ipa for p in phones))
    number = {name: k for k, name in enumerate(names)}
    ids = np.array([number[p.ipa] for p in phones], np.intp)
    kinds = np.array([_kinds(n) for n in names], bool).reshape(-1, len(KINDS))
    kind = dict(zip(KINDS, np.ascontiguousarray(kinds[ids].T), strict=True))
    stressed = np.array([p.stress == 1 for p in phones], bool)
    scale = _scales(kind["vowel"], stressed, times.mean(1), delivery, loudness, level)

    shapes = [gestures.gestures_of(n) for n in names]
    flat = [g for parts in shapes for g in parts]
    sizes = np.array([len(s) for s in shapes], np.intp)
    targets = np.reshape([g.target for g in flat], (len(flat), COUNT))
    strengths = np.reshape([g.strength for g in flat], (len(flat), COUNT))
    halves = np.reshape([c for s in shapes for c in (SINGLE if len(s) == 1 else DOUBLE)], (-1, 2))
    count = sizes[ids]
    own = np.repeat(np.arange(len(ids)), count)
    begin = np.cumsum(count) - count
    row = (np.cumsum(sizes) - sizes)[ids][own] + np.arange(len(own)) - begin[own]
    target = targets[row] * delivery.articulation
    target[:, [JAW, PART]] *= scale[own, None]
    target[:, JAW] *= delivery.jaw_reach
    asked = strengths[row]
    breaths = _laughed(kind["breath"], kind["vowel"], times)
    for c in (JAW, PART):
        target[begin[breaths], c] = (
            BOUNCE * (target[begin[breaths] - 1, c] + target[begin[breaths + 1], c]) / 2
        )
        asked[begin[breaths], c] = BOUNCED
    drawn_out = np.where(count == 1, 0.5, np.where(kind["vowel"], DOUBLE[0][0], DOUBLE[1][0]))
    middle, half = halves[row].T
    half = half * np.where(count[own] == 2, min(_wide(delivery.hold), 1.3), _wide(delivery.hold))
    of_parts = placed[own, 0], placed[own, 1], drawn_out[own]
    held = at_share(*of_parts, middle - half), at_share(*of_parts, middle + half)
    return Placed(
        placed[:, 0], placed[:, 1], drawn_out, stressed, kind, own, begin, count,
        between(target, LOW, TOP), asked, np.where(asked > 0, asked, IDLE),
        *held,
        *_marks(marks, delivery), delivery,
    )  # fmt: skip


@cache
def _kinds(name: str) -> tuple[bool, ...]:
    """Which of KINDS a sound is of."""
    return tuple(test(name) for test in KINDS.values())


def at_share(start: Array, end: Array, drawn_out: Array, share: Array | float) -> Array:
    """Moments at a share of sounds; what one lasts beyond LASTS is spent at one share of it (`drawn_out`)."""
    length = end - start
    usual = np.minimum(length, LASTS)
    passed = (1 + np.sign(share - drawn_out)) / 2  # 0 before, 1 behind
    return np.asarray(start + share * usual + passed * (length - usual))


def _wide(hold: float) -> float:
    """How much longer than usual a target is held: 1 for a hold of 0.5."""
    return (0.05 + 0.35 * hold) / 0.225


def in_the_face(seconds: Array | float, delivery: Delivery) -> Array:
    """Times of the recording as those of the face: lead, offset and speed applied."""
    return np.asarray(delivery.offset + seconds / delivery.speed - delivery.lead / 1000)


def heard_in(seconds: float, delivery: Delivery) -> float:
    """The time of the recording that is seen at a time of the face."""
    return (seconds + delivery.lead / 1000 - delivery.offset) * delivery.speed


def _scales(
    vowel: Which, stressed: Which, middle: Array, delivery: Delivery,
    loudness: Loudness | None, level: float | None,
) -> Array:  # fmt: skip
    """How far each sound opens: its stress and its loudness against the line's own level."""
    scale = 1 + np.where(stressed, STRESS_UP, -STRESS_DOWN) * delivery.stress_follow
    if loudness is not None and level is not None and delivery.loudness_follow > 0:
        above = between((loudness.at(middle) - level) / LOUD_DB, -1, 1)
        scale = scale * (1 + 0.5 * delivery.loudness_follow * above)
    return np.where(vowel, scale, 1.0)


def _laughed(breath: Which, vowel: Which, times: Array) -> Ints:
    """The breaths of laughs: between vowels that follow at once, more than one in a row."""
    close = np.zeros(len(vowel) + 1, bool)  # to the sound before
    close[1:-1] = times[1:, 0] - times[:-1, 1] < TOGETHER
    within = np.zeros(len(vowel), bool)
    within[1:-1] = breath[1:-1] & vowel[:-2] & vowel[2:] & close[1:-2] & close[2:-1]
    padded = np.concatenate(([False, False], within, [False, False]))
    return where(within & (padded[:-4] | padded[4:]))


def _marks(
    marks: Sequence[Mark], delivery: Delivery
) -> tuple[tuple[tuple[str, float, float], ...], tuple[tuple[float, float], ...]]:
    placed = [(m.kind, *in_the_face(np.array([m.start, m.end]), delivery).tolist()) for m in marks]
    openings = tuple((k, s, e) for k, s, e in placed if k in OPENING)
    return openings, tuple((s, e) for k, s, e in placed if k in SHUT)
