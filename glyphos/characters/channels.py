"""All channels that a character can wear: the gestures of speech, and those of expression, gaze
and head beside them. Names are part of the file formats; `au` numbers are action units of FACS
(Ekman, Friesen & Hager 2002)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from ..motion.channels import channels
from ..tables import rows


@dataclass(frozen=True)
class FaceChannel:
    """Range of a channel (0..1, −1..1 or degrees) and its action unit, "" if it has none."""

    name: str
    low: float
    high: float
    au: str = ""


@cache
def face_channels() -> dict[str, FaceChannel]:
    """Every channel by name, gestures first."""
    found = [FaceChannel(c.name, c.low, c.high) for c in channels()]
    found += [
        FaceChannel(r["name"], float(r["low"]), float(r["high"]), r["au"])
        for r in rows("face_channels.csv")
    ]
    return {c.name: c for c in found}


SIDES = ("left", "right")
