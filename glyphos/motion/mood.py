"""Mood: what a face feels over spans of a line, chosen by a person.

Poses follow the EMFACS prototypes (Ekman & Friesen) for joy, sadness, anger, fear, surprise and
disgust; doubt, effort, tenderness and tired are common practice. Full strength is still a talking face.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache

import msgspec
import numpy as np

from ..errors import GlyphosError
from ..tables import rows
from .life.event import Strength
from .life.shapes import Array, eased, joined

MOUTH = ("lip_corner", "dimple", "chin_raise", "lip_stretch", "lip_tighten", "lower_lip", "upper_lip", "lips_",
         "jaw_", "lip_to")  # fmt: skip
SIDED = ("brow_outer_raise", "brow_lower", "lid_raise", "lid_tighten", "cheek_raise", "lip_corner_up",
         "lip_corner_down", "dimple", "blink")  # fmt: skip


class MoodSpan(msgspec.Struct, frozen=True):
    """A mood from one time of the recording to another, with its strength and the seconds in which it
    comes and goes."""

    mood: str
    start: float
    end: float
    strength: float = 1.0
    ease_in: float = 0.45
    ease_out: float = 0.70

    def weight(self, times: Array) -> Array:
        """How much of it there is at times."""
        come = eased((times - self.start) / max(self.ease_in, 0.02))
        gone = eased((times - self.end + self.ease_out) / max(self.ease_out, 0.02))
        return self.strength * come * (1 - gone)


class Faces(msgspec.Struct, frozen=True):
    """Strength of moods in the upper and the lower face."""

    upper: Strength = 1.0
    lower: Strength = 1.0


class Mood(msgspec.Struct, frozen=True):
    """A mood by its name: its pose at full strength, the action units it is made of, and what it does
    to the articulation."""

    name: str
    units: str
    articulation: float
    pose: dict[str, float]


@cache
def moods() -> Mapping[str, Mood]:
    """All ten, by their names."""
    made = {}
    for row in rows("moods.csv"):
        pose: dict[str, float] = {}
        for cell in row["pose"].split(";"):
            name, value = cell.split("=")
            sides = (f"{name}_left", f"{name}_right") if name in SIDED else (name,)
            pose |= dict.fromkeys(sides, float(value))
        made[row["mood"]] = Mood(row["mood"], row["au"], float(row["articulation"]), pose)
    return made


def check_moods(spans: Sequence[MoodSpan]) -> None:
    """GlyphosError, one sentence, for a span that cannot be."""
    for s in spans:
        if s.mood not in moods():
            raise GlyphosError(f"“{s.mood}” is no mood; there are {', '.join(moods())}.")
        if not (abs(s.start) < 1e7 and s.start < s.end < 1e7):
            raise GlyphosError(f"The mood {s.mood} must end after it begins.")
        if not 0 <= s.strength <= 1 or not 0 <= s.ease_in <= 60 or not 0 <= s.ease_out <= 60:
            raise GlyphosError(
                "A mood's strength is 0 to 1, and it comes and goes within 60 seconds."
            )


def of_mouth(channel: str) -> bool:
    """Whether a channel belongs to the lower face."""
    return channel.startswith(MOUTH)


def mood_curves(
    spans: Sequence[MoodSpan], times: Array, upper: float = 1.0, lower: float = 1.0
) -> tuple[dict[str, Array], Array]:  # fmt: skip
    """Channels of all moods, and a factor on articulation. Spans of one mood join, so that none takes
    from another; different moods share when together they would pass 1."""
    weights: dict[str, Array] = {}
    for s in spans:
        weights[s.mood] = joined(weights.get(s.mood, np.zeros(len(times))), s.weight(times))
    if not weights:
        return {}, np.ones(len(times))
    share = 1 / np.maximum(1.0, sum(weights.values()))
    made: dict[str, Array] = {}
    articulation = np.ones(len(times))
    for name, weight in weights.items():
        mood, own = moods()[name], weight * share
        articulation += (mood.articulation - 1) * own * lower
        for channel, value in mood.pose.items():
            much = np.clip((lower if of_mouth(channel) else upper) * value * own, 0, 1)
            made[channel] = joined(made.get(channel, 0.0), much)
    return made, articulation
