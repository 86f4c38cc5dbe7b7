"""The regions of a face, the range of every channel, and how channels and values are written."""

from __future__ import annotations

from functools import cache

from ..tables import rows
from .channels import channels

REGIONS = {
    "mouth": ("jaw_", "lips_", "lip_", "upper_lip", "lower_lip", "tongue_", "dimple", "chin_"),
    "cheeks": ("cheek", "nose_"), "lids": ("blink", "lid_"), "brows": ("brow_",), "gaze": ("gaze_",),
    "head": ("head_",),
}  # fmt: skip


@cache
def region_of(channel: str) -> str:
    """The region of a channel."""
    return next((r for r, names in REGIONS.items() if channel.startswith(names)), "mouth")


@cache
def ranges() -> dict[str, tuple[float, float]]:
    """Least and most of every channel of a face, gestures first."""
    own = {c.name: (c.low, c.high) for c in channels()}
    return own | {r["name"]: (float(r["low"]), float(r["high"])) for r in rows("face_channels.csv")}


def channel_words(name: str) -> str:
    """A channel as it is read: “lip corner up left”."""
    return name.replace("_", " ")


def is_degrees(name: str) -> bool:
    """Whether a channel is an angle."""
    return ranges()[name][1] > 1


def value_text(name: str, value: float, *, signed: bool = False) -> str:
    """A value of a channel as it is written."""
    sign = "+" if signed else ""
    text = f"{value:{sign}.1f}°" if is_degrees(name) else f"{value:{sign}.2f}"
    return text.replace("-", "−")
