"""What the paper of curves shows: a stretch of the line, its channels by region, one of them open."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ....motion.curve import Motion
from ....motion.delivery import Delivery
from ....motion.mix import Name
from ....motion.regions import REGIONS, is_degrees, ranges, region_of
from ....motion.touch.keys import Touch
from ....speech.parts import Flat, Part
from ....speech.reading import Reading

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ....motion.layers import Composed, Curves

Array = NDArray[np.float64]
STILL = 1e-3  # of its range: what moves less does not move
AROUND = 0.25  # seconds shown before and after a phrase
LEAST = 5.0  # degrees that an open stave shows up and down at least


def moving(motion: Motion) -> dict[str, bool]:
    """Every channel of a face, gestures first, and whether it moves."""
    there = set(motion.names)
    return {
        name: name in there and float(np.ptp(motion.channel(name))) > STILL * (high - low)
        for name, (low, high) in ranges().items()
    }


def groups(motion: Motion | None) -> dict[str, list[str]]:
    """Channels by region: those that move first, then those that stand still."""
    moves = moving(motion) if motion is not None else dict.fromkeys(ranges(), False)
    made: dict[str, list[str]] = {}
    for region in REGIONS:
        own = [n for n in ranges() if region_of(n) == region]
        made[region] = [n for n in own if moves[n]] + [n for n in own if not moves[n]]
    return made


def phrase_view(reading: Reading, number: int) -> tuple[float, float]:
    """The stretch in which a phrase is shown."""
    phrase = reading.phrases[number]
    last = reading.audio.duration
    return max(0.0, phrase.start - AROUND), min(max(last, phrase.end), phrase.end + AROUND)


def phrase_at(reading: Reading, seconds: float) -> int:
    """The phrase at a time, or the nearest."""
    away = [max(p.start - seconds, seconds - p.end, 0.0) for p in reading.phrases]
    return min(range(len(away)), key=away.__getitem__) if away else 0


@dataclass(frozen=True)
class Shown:
    """One picture of the paper. motion: what is shown; composed: with its layers, None for speech alone;
    before: of the channel, to compare with while it is dragged and after."""

    reading: Reading | None = None
    motion: Motion | None = None
    composed: Composed | None = None
    channel: str = ""
    touches: tuple[tuple[int, Touch], ...] = ()
    chosen: tuple[int, int] | None = None
    part: Part | None = None
    view: tuple[float, float] = (0.0, 1.0)
    delivery: Delivery = field(default_factory=Delivery)
    ghost: Array | None = None
    samples: NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, np.float32))
    level: float = 1.0

    @property
    def flat(self) -> Flat | None:
        return Flat.of(self.reading) if self.reading is not None else None

    def film(self, heard: float) -> float:
        """The time of the face at which a time of the recording is seen."""
        return self.delivery.film(heard)

    def heard(self, seconds: float) -> float:
        """The time of the recording that is seen at a time of the face."""
        return self.delivery.heard(seconds)

    def values(self, name: str) -> Array:
        """A channel of the whole line (frames,)."""
        if self.motion is None or name not in self.motion.names:
            return np.zeros(self.motion.frames if self.motion is not None else 0)
        return self.motion.channel(name)

    def value_at(self, name: str, seconds: float) -> float:
        if self.motion is None or name not in self.motion.names or not self.motion.frames:
            return 0.0
        return float(self.motion.between(name, np.array([seconds]))[0])

    def before(self) -> Array | None:
        """The chosen channel without its touch-ups, if it has some."""
        if self.composed is None or not self.touches:
            return None
        return self.composed.before.get(self.channel, np.zeros(self.composed.motion.frames))

    def layers(self) -> dict[Name, Array]:
        """What each layer brings to the chosen channel; those that bring nothing are left out."""
        made: dict[Name, Array] = {}
        if self.composed is None:
            return made
        parts: Sequence[Name] = ("speech", "life", "mood", "recorded")
        for name in parts:
            curves: Curves = self.composed.parts.get(name, {})
            values = curves.get(self.channel)
            if values is not None and np.abs(values).max(initial=0.0) > 1e-6:
                made[name] = values
        before = self.before()
        if before is not None:
            made["touch"] = self.values(self.channel) - before
        return made

    def extent(self) -> tuple[float, float]:
        """Lowest and highest value of the open stave."""
        low, high = ranges()[self.channel]
        if not is_degrees(self.channel):
            return (low, high) if low < 0 else (0.0, 1.0)
        values = [self.values(self.channel), *self.layers().values()]
        most = max((float(np.abs(v).max(initial=0.0)) for v in values), default=0.0)
        step = LEAST
        while step < 1.15 * most:
            step *= 2
        return -min(step, high), min(step, high)


def points(
    values: Array, fps: float, view: tuple[float, float], width: float
) -> tuple[Array, Array]:
    """Seconds and values of a curve in a view; where there are many more frames than pixels, the highest
    and the lowest of each."""
    a = max(0, int(view[0] * fps) - 1)
    b = min(len(values), int(view[1] * fps) + 3)
    own, frames = values[a:b], np.arange(a, b)
    columns = max(1, int(width))
    if len(own) <= 3 * columns:
        return frames / fps, own
    starts = np.linspace(0, len(own), columns, endpoint=False).astype(int)
    both = np.stack([np.minimum.reduceat(own, starts), np.maximum.reduceat(own, starts)], 1)
    return np.repeat(frames[starts] / fps, 2), both.ravel()
