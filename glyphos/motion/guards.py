"""Where speech must not be touched: what opens the lips stays out of closures, of teeth on lip and of
sibilants, what is rounded stays so. Guards come and go smoothly, so that no corner appears."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from ..speech.reading import Reading
from . import gestures
from .delivery import Delivery
from .life.shapes import Array, smoothed
from .placed import in_the_face

Curves = Mapping[str, Array]
OPENS = ("jaw_open", "lips_part", "upper_lip_raise", "lower_lip_lower")
BESIDE_SHUT, BESIDE_HISS = (
    0.09,
    0.07,
)  # seconds beside a closure, a sibilant, in which a guard comes
BOTH = 0.3  # spread and rounded lips are never both over this


@dataclass(frozen=True)
class Guards:
    """Each (frames,), 0..1. shut: at closures; held: with teeth on the lip; hiss: in sibilants; rounded;
    parted: how far lips are open."""

    shut: Array
    held: Array
    hiss: Array
    rounded: Array
    parted: Array

    @classmethod
    def of(cls, own: Curves, reading: Reading, delivery: Delivery, seconds: Array, fps: float) -> Guards:  # fmt: skip
        """own: channels of the speech; seconds: of its frames."""

        def near(wanted: Callable[[str], bool], beside: float) -> Array:
            """1 in the sounds, half a frame further, since extremes stand on frames; smooth beside."""
            spans = [(p.start, p.end) for p in reading.phones() if wanted(p.ipa)]
            if not spans:
                return np.zeros(len(seconds))
            faces = in_the_face(np.array(spans), delivery)
            starts, ends = faces[:, 0] - 0.5 / fps, np.maximum.accumulate(faces[:, 1] + 0.5 / fps)
            k = np.searchsorted(starts, seconds, side="right")  # how many have begun
            since = np.where(k > 0, seconds - ends[np.maximum(k - 1, 0)], np.inf)
            until = np.where(
                k < len(starts), starts[np.minimum(k, len(starts) - 1)] - seconds, np.inf
            )
            away = np.clip(np.minimum(since, until), 0.0, beside)
            return smoothed(1 - away / beside, 0.0, 1.0)

        return cls(
            near(gestures.closes_lips, BESIDE_SHUT), smoothed(own["lip_to_teeth"], 0.05, 0.75),
            near(gestures.keeps_jaw_up, BESIDE_HISS), smoothed(own["lips_round"], 0.12, 0.75),
            smoothed(own["lips_part"], 0.1, 0.5),
        )  # fmt: skip

    def scaled(self, by: float) -> Guards:
        """Guards of speech that is not there in full."""
        return Guards(
            self.shut * by, self.held * by, self.hiss * by, self.rounded * by, self.parted * by
        )

    def let(self, channel: str, part: slice = slice(None)) -> Array | float:
        """The share of what is added to a channel that speech leaves room for, in a part of the line."""
        shut, held, rounded = self.shut[part], self.held[part], self.rounded[part]
        if channel in OPENS:
            free = (1 - shut) * (1 - held)
            return free * (1 - self.hiss[part]) if channel == "jaw_open" else free
        if channel.startswith("lip_corner"):
            return (1 - 0.62 * rounded) * (1 - 0.30 * held) * (1 - 0.15 * shut)
        if channel == "lip_stretch":
            return (1 - rounded) * (1 - 0.5 * held) * (1 - 0.4 * shut)
        if channel.startswith("dimple"):
            return 1 - 0.7 * rounded
        if channel in ("chin_raise", "lip_tighten"):
            return (1 - held) * (1 - 0.6 * self.parted[part]) * (1 - 0.5 * rounded)
        if channel == "nose_wrinkle":
            return 1 - 0.3 * shut
        return 1.0

    def keep(self, channel: str, under: Array, wanted: Array, part: slice) -> Array:
        """What a hand wishes of a channel, as far as closures, teeth on the lip, sibilants and rounding
        allow; all else is the hand's."""
        if channel in OPENS:
            up = self.let(channel, part)
            down = 1 - self.hiss[part] if channel == "lips_part" else 1.0
        elif channel == "lips_press":
            up, down = 1.0, 1 - self.shut[part]
        elif channel == "lip_to_teeth":
            up, down = 1.0, 1 - self.held[part]
        elif channel == "lips_round":
            up, down = 1.0, 1 - self.rounded[part]
        else:
            return wanted
        change = wanted - under
        return under + change * np.where(change > 0, up, down)
