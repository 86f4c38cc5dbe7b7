"""Delivery: how strongly a line is mouthed. All of it acts live; none needs listening again."""

from __future__ import annotations

from typing import Annotated, TypeVar

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..errors import GlyphosError

Time = TypeVar("Time", float, NDArray[np.float64])  # seconds, one or many


def _between(low: float, high: float):  # type: ignore[no-untyped-def]
    return msgspec.Meta(ge=low, le=high)


class Delivery(msgspec.Struct, frozen=True):
    """Settings of the mouth; times in milliseconds, the rest plain factors.

    articulation: strength of every shape but the closures. jaw_reach: of the jaw alone. lead: how
    much the mouth comes before the sound. smoothing: width of the easing. pace: of the lips, from
    crisp to lazy, a factor on the time every move takes. hold: how long a shape is held, of a
    sound's length. settle: time to rest.
    loudness_follow, stress_follow: how much louder and stressed syllables open wider.
    range_start, range_end: perform only this part (seconds; end 0 is the whole line).
    offset (seconds) and speed place the line in time.
    """

    articulation: Annotated[float, _between(0, 2)] = 1.0
    jaw_reach: Annotated[float, _between(0, 2)] = 1.0
    lead: Annotated[float, _between(-100, 200)] = 40.0
    smoothing: Annotated[float, _between(0, 120)] = 30.0
    pace: Annotated[float, _between(0.5, 2)] = 1.0
    hold: Annotated[float, _between(0, 1)] = 0.5
    settle: Annotated[float, _between(80, 600)] = 250.0
    loudness_follow: Annotated[float, _between(0, 1)] = 0.5
    stress_follow: Annotated[float, _between(0, 1)] = 0.5
    range_start: Annotated[float, _between(0, 1e6)] = 0.0
    range_end: Annotated[float, _between(0, 1e6)] = 0.0
    offset: Annotated[float, _between(-3600, 3600)] = 0.0
    speed: Annotated[float, _between(0.1, 10)] = 1.0

    def film(self, heard: Time) -> Time:
        """The time of the face at which a time of the recording is seen (the mouth alone leads it)."""
        return self.offset + heard / self.speed

    def heard(self, seconds: Time) -> Time:
        """The time of the recording that is seen at a time of the face."""
        return (seconds - self.offset) * self.speed


LIMITS: dict[str, tuple[float, float]] = {
    "articulation": (0, 2), "jaw_reach": (0, 2), "lead": (-100, 200), "smoothing": (0, 120),
    "pace": (0.5, 2), "hold": (0, 1), "settle": (80, 600), "loudness_follow": (0, 1), "stress_follow": (0, 1),
    "range_start": (0, 1e6), "range_end": (0, 1e6), "offset": (-3600, 3600), "speed": (0.1, 10),
}  # fmt: skip


def checked(delivery: Delivery) -> Delivery:
    """The delivery itself, or GlyphosError naming the value that is out of bounds."""
    for name, (low, high) in LIMITS.items():
        value = getattr(delivery, name)
        if not low <= value <= high:
            raise GlyphosError(f"{name} is {value:g}, but must lie between {low:g} and {high:g}.")
    return delivery
