"""Layers of a face put together: speech, liveliness, mood, what was recorded, and touch-ups by hand.

What speech promises is kept before anything is added, so that nothing has to be repaired afterwards and
no corner appears.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from ..speech.reading import Reading
from .curve import Motion
from .delivery import Delivery
from .guards import BOTH, Guards
from .life.living import Life
from .life.shapes import Array, joined, smoothed
from .mix import Mix
from .mood import MoodSpan, mood_curves
from .regions import REGIONS, ranges, region_of
from .touch.keys import Touch
from .touch.laying import touched

Curves = Mapping[str, Array]
SCALED = ("jaw_open", "lips_part", "lips_wide", "upper_lip_raise")  # rounding is promised as it is
SMILE = 0.18  # how much a full smile spreads the lips
PLAIN = Mix()


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


@dataclass(frozen=True)
class Composed:
    """A face put together. motion: all of it; before: its channels without touch-ups; parts: what speech,
    life, mood and recorded layers bring, each by itself (what touch-ups bring is motion less before)."""

    motion: Motion
    before: Curves
    parts: Mapping[str, Curves]
    touches: tuple[Touch, ...] = ()
    _guards: Guards | None = field(default=None, repr=False)
    _heard: Array = field(default_factory=lambda: np.zeros(0), repr=False)

    def retouched(self, touches: Sequence[Touch], reading: Reading, mix: Mix = PLAIN) -> Composed:
        """The same with other touch-ups: only channels whose touch-ups differ are made anew."""
        new = tuple(touches)

        def of(channel: str, several: Sequence[Touch]) -> list[Touch]:
            return [t for t in several if t.channel == channel]

        both = {t.channel for t in (*self.touches, *new)}
        changed = {c for c in both if of(c, new) != of(c, self.touches)}
        if changed & {"lips_round", "lips_wide"}:
            changed |= {"lips_round", "lips_wide"}  # one keeps the other's promise
        made = {
            n: self.before[n] if n in changed else self.motion.channel(n)
            for n in self.motion.names if n in self.before or n not in changed
        }  # fmt: skip
        _touch(
            made, [t for t in new if t.channel in changed], self._heard, reading, self._guards, mix
        )
        return replace(self, motion=_motion_of(self.motion, made), touches=new)


def compose(
    speech: Motion, reading: Reading, delivery: Delivery, *, life: Life | None = None,
    moods: Sequence[MoodSpan] = (), upper: float = 1.0, lower: float = 1.0, layers: Sequence[Layer] = (),
    touches: Sequence[Touch] = (), mix: Mix = PLAIN,
) -> Motion:  # fmt: skip
    """One motion of the whole face. upper, lower: strength of moods in the upper and lower face.
    Without any layer it is the speech itself."""
    if life is None and not moods and not layers and not touches and mix == PLAIN:
        return speech
    return composed(
        speech, reading, delivery, life=life, moods=moods, upper=upper, lower=lower, layers=layers,
        touches=touches, mix=mix,
    ).motion  # fmt: skip


def composed(
    speech: Motion, reading: Reading, delivery: Delivery, *, life: Life | None = None,
    moods: Sequence[MoodSpan] = (), upper: float = 1.0, lower: float = 1.0, layers: Sequence[Layer] = (),
    touches: Sequence[Touch] = (), mix: Mix = PLAIN,
) -> Composed:  # fmt: skip
    """The same with what each layer brings, to be shown beside it."""
    seconds = speech.seconds
    heard, fps = delivery.heard(seconds), float(speech.fps) / delivery.speed
    said = mix.strength("speech", "jaw_open")
    own = {name: speech.channel(name) for name in speech.names}
    firm = min(1.0, 2 * said)  # closures, teeth and rounding stay as they are down to a half
    guards = Guards.of(own, reading, delivery, seconds, float(speech.fps))
    if said != 1.0:
        own = {n: v * (said if n in SCALED else firm) for n, v in own.items()}
        guards = guards.scaled(firm)
    parts: dict[str, Curves] = {"speech": own}
    made: dict[str, Array] = dict(own)
    if moods and mix.counts("mood"):
        mood, articulation = mood_curves(moods, heard, upper, lower)
        parts["mood"] = _mixed(mood, mix, "mood")
        much = mix.strength("mood", "jaw_open")
        for name in SCALED:
            keep = 1 - guards.hiss if name == "jaw_open" else 1.0
            made[name] = own[name] * (1 + (articulation - 1) * keep * much)
    if life is not None and mix.counts("life"):
        parts["life"] = _mixed(life.curves(heard, fps), mix, "life")
    _lay(made, [parts[n] for n in ("life", "mood") if n in parts], guards)
    recorded: dict[str, Array] = {}
    for layer in layers if mix.counts("recorded") else ():
        _lay_recorded(made, layer, heard, guards, mix, recorded)
    if recorded:
        parts["recorded"] = recorded
    _spread(made, own, guards)
    if any(made[n] is not own[n] for n in ("lips_wide", "lips_round")):
        _part(made, own)
    known = ranges()
    before = {n: np.clip(v, *known[n]) for n, v in made.items() if n in known}
    made = dict(before)
    _touch(made, touches, heard, reading, guards, mix)
    return Composed(_motion_of(speech, made), before, parts, tuple(touches), guards, heard)


def _motion_of(like: Motion, made: Curves) -> Motion:
    known = ranges()
    names = tuple(n for n in known if n in made)
    table = np.empty((like.frames, len(names)))
    for k, n in enumerate(names):
        np.clip(made[n], *known[n], out=table[:, k])
    table.setflags(write=False)
    return replace(like, names=names, values=table)


def _mixed(curves: Curves, mix: Mix, name: str) -> Curves:
    """Curves as strong as their layer is, where it acts."""
    made = {}
    for channel, values in curves.items():
        much = mix.strength(name, channel)  # type: ignore[arg-type]
        if much == 1.0:
            made[channel] = values
        elif much:
            made[channel] = values * much
    return made


def _lay(made: dict[str, Array], added: Sequence[Curves], guards: Guards) -> None:
    """Lay generated layers on speech: degrees add, shares join."""
    shares: dict[str, Array] = {}
    for layer in added:
        for name, values in layer.items():
            if name.startswith(("head_", "gaze_")):
                made[name] = made[name] + values if name in made else values
            else:
                values = np.minimum(values, 1.0)
                shares[name] = joined(shares[name], values) if name in shares else values
    for name, values in shares.items():
        free = values * guards.let(name)
        made[name] = joined(np.clip(made[name], 0, 1), free) if name in made else free


def _lay_recorded(
    made: dict[str, Array], layer: Layer, times: Array, guards: Guards, mix: Mix, brought: dict[str, Array]
) -> None:  # fmt: skip
    """Lay what was recorded on a face, over what is there or in place of it; promises are kept."""
    known, there = ranges(), layer.covers(times)
    for name, own in layer.at(times).items():
        much = mix.strength("recorded", name)
        if name not in known or not much:
            continue
        values = own * much
        brought[name] = brought[name] + values if name in brought else values
        free = values * guards.let(name)
        under = made.get(name, np.zeros(len(times)))
        signed = known[name][0] < 0
        if layer.replaces and not name.startswith(("jaw_", "lips_", "lip_to", "tongue_")):
            made[name] = under * (1 - there) + values
        elif signed:
            made[name] = under + free
        else:
            made[name] = joined(np.clip(under, 0, 1), np.clip(free, 0, 1))


def _touch(
    made: dict[str, Array], touches: Sequence[Touch], heard: Array, reading: Reading, guards: Guards | None, mix: Mix
) -> None:  # fmt: skip
    """Lay touch-ups on channels, in their order."""
    known = ranges()
    for name in dict.fromkeys(t.channel for t in touches):
        much = mix.strength("touch", name)
        if not much or name not in known:
            continue

        def keep(under: Array, wanted: Array, part: slice, name: str = name) -> Array:
            return wanted if guards is None else guards.keep(name, under, wanted, part)

        under = made.get(name, np.zeros(len(heard)))
        own = [t for t in touches if t.channel == name]
        made[name] = np.clip(touched(under, own, heard, reading, much, keep), *known[name])
    if any(t.channel in ("lips_round", "lips_wide") for t in touches):
        _part(made, made)


def _spread(made: dict[str, Array], own: Curves, guards: Guards) -> None:
    """A smile spreads the lips a little, but never while they are rounded."""
    corners = [made[n] for n in ("lip_corner_up_left", "lip_corner_up_right") if n in made]
    if corners:
        smile = np.mean(corners, 0)
        room = 1 - smoothed(own["lips_round"], 0.08, 0.30)
        made["lips_wide"] = np.clip(
            made["lips_wide"] + SMILE * smile * room * (1 - guards.shut), -1, 1
        )


def _part(made: dict[str, Array], own: Curves) -> None:
    """Spread and rounded lips never meet."""
    most = np.maximum(BOTH, 1 - 3.9 * np.maximum(0, made["lips_round"] - 0.12))
    made["lips_wide"] = np.minimum(
        made["lips_wide"], np.maximum(most, np.minimum(own["lips_wide"], BOTH))
    )
