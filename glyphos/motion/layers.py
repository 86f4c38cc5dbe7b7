"""Layers of a face put together: speech, liveliness, mood, and what was recorded.

What speech promises is kept before anything is added: what opens the lips stays out of closures, of
teeth on lip and of sibilants by smooth guards, spread and rounded lips never meet, so that nothing has
to be repaired afterwards and no corner appears.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from ..speech.reading import Reading
from ..tables import rows
from . import gestures
from .channels import channels
from .curve import Motion
from .delivery import Delivery
from .life.living import Life, life_curves
from .life.shapes import Array, between, joined, smoothed
from .mood import MoodSpan, mood_curves
from .placed import in_the_face

Curves = Mapping[str, Array]
OPENS = ("jaw_open", "lips_part", "upper_lip_raise", "lower_lip_lower")
SCALED = ("jaw_open", "lips_part", "lips_wide", "upper_lip_raise")  # rounding is promised as it is
BESIDE_SHUT, BESIDE_HISS = (
    0.09,
    0.07,
)  # seconds beside a closure, a sibilant, in which a guard comes
BOTH = 0.3  # spread and rounded lips are never both over this
SMILE = 0.18  # how much a full smile spreads the lips
REGIONS = {
    "mouth": ("jaw_", "lips_", "lip_", "upper_lip", "lower_lip", "tongue_", "dimple", "chin_"),
    "cheeks": ("cheek", "nose_"), "lids": ("blink", "lid_"), "brows": ("brow_",), "gaze": ("gaze_",),
    "head": ("head_",),
}  # fmt: skip


@dataclass(frozen=True)
class Layer:
    """Curves that are laid on a face: channels at rising times of the recording (n,). strength scales
    them; regions: those of REGIONS that it acts on; replaces: in place of what lies under it."""

    times: Array
    curves: Curves
    strength: float = 1.0
    regions: frozenset[str] = frozenset(REGIONS)
    replaces: bool = False

    def at(self, times: Array) -> dict[str, Array]:
        """Its channels at other times; before and after it nothing."""
        return {
            name: self.strength * np.interp(times, self.times, values, left=0.0, right=0.0)
            for name, values in self.curves.items() if region_of(name) in self.regions
        }  # fmt: skip

    def covers(self, times: Array) -> Array:
        """1 where it is there."""
        if not len(self.times):
            return np.zeros(len(times))
        return np.asarray((times >= self.times[0]) & (times <= self.times[-1]), float)


def region_of(channel: str) -> str:
    """The region of a channel."""
    return next((r for r, names in REGIONS.items() if channel.startswith(names)), "mouth")


@cache
def _ranges() -> dict[str, tuple[float, float]]:
    """Least and most of every channel of a face, gestures first."""
    own = {c.name: (c.low, c.high) for c in channels()}
    return own | {r["name"]: (float(r["low"]), float(r["high"])) for r in rows("face_channels.csv")}


def compose(
    speech: Motion, reading: Reading, delivery: Delivery, *, life: Life | None = None,
    moods: Sequence[MoodSpan] = (), upper: float = 1.0, lower: float = 1.0, layers: Sequence[Layer] = (),
) -> Motion:  # fmt: skip
    """One motion of the whole face. upper, lower: strength of moods in the upper and lower face.
    Without any layer it is the speech itself."""
    if life is None and not moods and not layers:
        return speech
    seconds = np.arange(speech.frames) / float(speech.fps)
    heard = (seconds - delivery.offset) * delivery.speed
    fps = float(speech.fps) / delivery.speed
    own = {name: speech.channel(name) for name in speech.names}
    mood, articulation = mood_curves(moods, heard, upper, lower)
    guards = _Guards.of(own, reading, delivery, seconds, float(speech.fps))
    made: dict[str, Array] = dict(own)
    for name in SCALED:
        if moods:
            keep = 1 - guards.hiss if name == "jaw_open" else 1.0
            made[name] = own[name] * (1 + (articulation - 1) * keep)
    added: list[Curves] = [mood]
    if life is not None:
        added.insert(0, life_curves(life, heard, fps))
    _lay(made, added, guards)
    for layer in layers:
        _lay_recorded(made, layer, heard, guards)
    _part_smile_and_round(made, own, guards)
    ranges = _ranges()
    names = tuple(n for n in ranges if n in made)
    table = np.stack([np.clip(made[n], *ranges[n]) for n in names], 1)
    table.setflags(write=False)
    return replace(speech, names=names, values=table)


@dataclass(frozen=True)
class _Guards:
    """Where speech must not be touched (frames,): shut at closures, held with teeth on the lip, hiss in
    sibilants, rounded; parted: how far lips are open."""

    shut: Array
    held: Array
    hiss: Array
    rounded: Array
    parted: Array

    @classmethod
    def of(
        cls, own: Curves, reading: Reading, delivery: Delivery, seconds: Array, fps: float
    ) -> _Guards:  # fmt: skip
        def near(wanted: Callable[[str], bool], beside: float) -> Array:
            """1 in the sounds, half a frame further, since extremes stand on frames; smooth beside."""
            found = np.zeros(len(seconds))
            spans = [(p.start, p.end) for p in reading.phones() if wanted(p.ipa)]
            faces = in_the_face(np.array(spans).reshape(-1, 2), delivery)
            for start, end in faces.tolist():
                a, b = start - 0.5 / fps, end + 0.5 / fps
                part = between(seconds, a - beside, b + beside)
                t = seconds[part]
                inside = smoothed(t, a - beside, a) * (1 - smoothed(t, b, b + beside))
                found[part] = np.maximum(found[part], inside)
            return found

        return cls(
            near(gestures.closes_lips, BESIDE_SHUT), smoothed(own["lip_to_teeth"], 0.05, 0.75),
            near(gestures.keeps_jaw_up, BESIDE_HISS), smoothed(own["lips_round"], 0.12, 0.75),
            smoothed(own["lips_part"], 0.1, 0.5),
        )  # fmt: skip

    def let(self, channel: str) -> Array | float:
        """The share of what is added to a channel that speech leaves room for."""
        if channel in OPENS:
            free = (1 - self.shut) * (1 - self.held)
            return free * (1 - self.hiss) if channel == "jaw_open" else free
        if channel.startswith("lip_corner"):
            return (1 - 0.62 * self.rounded) * (1 - 0.30 * self.held) * (1 - 0.15 * self.shut)
        if channel == "lip_stretch":
            return (1 - self.rounded) * (1 - 0.5 * self.held) * (1 - 0.4 * self.shut)
        if channel.startswith("dimple"):
            return 1 - 0.7 * self.rounded
        if channel in ("chin_raise", "lip_tighten"):
            return (1 - self.held) * (1 - 0.6 * self.parted) * (1 - 0.5 * self.rounded)
        if channel == "nose_wrinkle":
            return 1 - 0.3 * self.shut
        return 1.0


def _lay(made: dict[str, Array], added: Sequence[Curves], guards: _Guards) -> None:
    """Lay generated layers on speech: degrees add, shares join."""
    shares: dict[str, Array] = {}
    for layer in added:
        for name, values in layer.items():
            if name.startswith(("head_", "gaze_")):
                made[name] = made[name] + values if name in made else values
            else:
                shares[name] = (
                    joined(shares[name], values) if name in shares else np.asarray(values)
                )
    for name, values in shares.items():
        free = values * guards.let(name)
        made[name] = joined(np.clip(made[name], 0, 1), free) if name in made else free


def _lay_recorded(made: dict[str, Array], layer: Layer, times: Array, guards: _Guards) -> None:
    """Lay what was recorded on a face, over what is there or in place of it; promises are kept."""
    ranges, there = _ranges(), layer.covers(times)
    for name, values in layer.at(times).items():
        if name not in ranges:
            continue
        free = values * guards.let(name)
        under = made.get(name, np.zeros(len(times)))
        signed = ranges[name][0] < 0
        if layer.replaces and not name.startswith(("jaw_", "lips_", "lip_to", "tongue_")):
            made[name] = under * (1 - there) + values
        elif signed:
            made[name] = under + free
        else:
            made[name] = joined(np.clip(under, 0, 1), np.clip(free, 0, 1))


def _part_smile_and_round(made: dict[str, Array], own: Curves, guards: _Guards) -> None:
    """A smile spreads the lips a little, but never while they are rounded."""
    corners = [made[n] for n in ("lip_corner_up_left", "lip_corner_up_right") if n in made]
    if not corners:
        return
    smile = np.mean(corners, 0)
    room = 1 - smoothed(own["lips_round"], 0.08, 0.30)
    most = np.maximum(BOTH, 1 - 3.9 * np.maximum(0, own["lips_round"] - 0.12))
    wide = np.clip(made["lips_wide"] + SMILE * smile * room * (1 - guards.shut), -1, 1)
    made["lips_wide"] = np.minimum(wide, np.maximum(most, np.minimum(own["lips_wide"], BOTH)))
