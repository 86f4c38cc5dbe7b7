"""The regions of a face, and the range of every channel."""

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
