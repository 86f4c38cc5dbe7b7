"""What every face of a scene does on every frame: it speaks its clips, and while others do it listens: it
blinks and breathes, looks at who speaks, and nods at the end of some of what they say."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..filters import gaussian
from ..motion.channels import channels
from ..motion.curve import Motion
from ..motion.life.draws import Draws
from ..motion.life.event import Liveliness
from ..motion.life.living import live
from ..motion.life.shapes import hump
from ..motion.regions import ranges
from ..voice.voice import silence
from .documents import Place, Scene
from .moving import Laid, lay

Array = NDArray[np.float64]
MEETS = 0.3  # seconds in which a face goes over into its line, and out of it
FOLLOWS = 0.18  # seconds, deviation: how slowly a head turns to another who speaks
HEAD, EYES = 22.0, 18.0  # degrees that each turns at most to somebody
NODS = 0.4  # of the phrases that are heard
NOD = 5.0  # degrees


@dataclass(frozen=True)
class Said:
    """A clip as it is acted. first: the scene's frame on which frame `cut` of its motion stands; frames: how
    many are shown; ends: frames of the scene on which phrases end."""

    motion: Motion
    first: int
    cut: int
    frames: int
    ends: tuple[int, ...] = ()


@dataclass(frozen=True)
class Recorded:
    """A recorded motion of a head: its place in the scene, and its curves in the time of the recording."""

    laid: Laid
    times: Array
    curves: Mapping[str, Array]


def acted(
    scene: Scene, said: Mapping[str, Sequence[Said]], frames: int, fps: Fraction,
    recorded: Mapping[str, Sequence[Recorded]] | None = None,
) -> dict[str, Motion]:  # fmt: skip
    """The motion of every speaker's face over the whole scene. recorded: what is laid on their heads."""
    speaking = {s: _there(said.get(s, ()), frames) for s in scene.speakers}
    heads = recorded or {}
    return {
        s: _face(scene, s, said, speaking, frames, fps, heads.get(s, ())) for s in scene.speakers
    }


def as_acted(scene: Scene) -> object:
    """All of a scene that faces depend on; where it is equal, they do the same."""
    lanes = tuple(
        (x.name, x.moves, tuple((c.line, c.start, c.cut, c.length) for c in x.clips if c.line))
        for x in scene.lanes if x.speaks
    )  # fmt: skip
    ends = tuple(
        (c.start, c.audio, c.cut, c.length) for x in scene.lanes for c in x.clips if c.audio
    )
    return scene.slug, lanes, ends, scene.places, scene.tail


def _there(clips: Sequence[Said], frames: int) -> NDArray[np.bool_]:
    """On which frames somebody speaks."""
    made = np.zeros(frames, bool)
    for clip in clips:
        made[max(0, clip.first) : max(0, clip.first + clip.frames)] = True
    return made


def _face(
    scene: Scene, speaker: str, said: Mapping[str, Sequence[Said]], speaking: Mapping[str, NDArray[np.bool_]],
    frames: int, fps: Fraction, recorded: Sequence[Recorded],
) -> Motion:  # fmt: skip
    rate = float(fps)
    curves = _idle(scene.slug + speaker, frames, rate)
    toward = _toward(scene, speaker, speaking, rate)
    for name, share, most in (("head_yaw", 0.55, HEAD), ("gaze_yaw", 0.45, EYES)):
        curves[name] = curves.get(name, np.zeros(frames)) + np.clip(share * toward, -most, most)
    curves["head_pitch"] = curves.get("head_pitch", np.zeros(frames)) + _nods(
        scene, speaker, said, frames, rate
    )
    for clip in said.get(speaker, ()):
        _spoken(curves, clip, frames, rate)
    for own in recorded:
        lay(curves, own.laid, own.times, own.curves)
    known = ranges()
    order = [c.name for c in channels()]
    names = tuple(order + sorted(n for n in curves if n not in order))
    rows = np.stack([np.clip(curves.get(n, np.zeros(frames)), *known[n]) for n in names], 1)
    return Motion(fps, names, rows)


def _idle(line: str, frames: int, rate: float) -> dict[str, Array]:
    """A face that says nothing but lives, the same each time."""
    life = live(silence(frames / rate), Liveliness(), line)
    return dict(life.curves(np.arange(frames) / rate, rate))


def _spoken(curves: dict[str, Array], clip: Said, frames: int, rate: float) -> None:
    """Lay a line into a face; where it begins and ends one goes over into the other."""
    a, b = max(0, clip.first), min(frames, clip.first + clip.frames)
    if b <= a:
        return
    over = max(1, round(MEETS * rate))
    low, high = max(0, a - over), min(frames, b + over)
    at = np.arange(low, high)
    away = np.maximum(np.maximum(a - at, at - (b - 1)), 0) / over
    there = 0.5 + 0.5 * np.cos(np.pi * np.clip(away, 0, 1))
    own = np.clip(at - clip.first + clip.cut, 0, clip.motion.frames - 1)
    for name in {*curves, *clip.motion.names}:
        under = curves.setdefault(name, np.zeros(frames))
        values = clip.motion.channel(name)[own] if name in clip.motion.names else np.zeros(len(at))
        if name in ("head_yaw", "gaze_yaw"):  # a speaker looks at those who are there
            values = values + under[low:high]
            under[low:high] = under[low:high] * (1 - there) + values * there
        else:
            under[low:high] = under[low:high] * (1 - there) + values * there


def _toward(
    scene: Scene, speaker: str, speaking: Mapping[str, NDArray[np.bool_]], rate: float
) -> Array:
    """Degrees to the own right at which a face looks: at who speaks, or spoke last; at whom it speaks to."""
    me, frames = scene.place(speaker), len(next(iter(speaking.values())))
    if me.looks != "speaker" or len(speaking) < 2:
        return np.full(frames, -me.turn if me.looks == "camera" else 0.0)
    others = [s for s in scene.speakers if s != speaker]
    angles = np.array([_angle(me, scene.place(s)) for s in others])
    who = np.full(frames, -1)
    for k, s in enumerate(others):
        who[speaking[s]] = k
    who[speaking[speaker]] = -1  # to the one who spoke last
    known = np.flatnonzero(who >= 0)
    if not len(known):
        return np.full(frames, float(angles[0]))
    last = np.clip(np.searchsorted(known, np.arange(frames), side="right") - 1, 0, None)
    return np.asarray(gaussian(angles[who[known[last]]].astype(float), FOLLOWS * rate))


def _angle(me: Place, other: Place) -> float:
    """Degrees to my own right at which another stands, −180 to 180."""
    right, front = me.right - other.right, me.back - other.back  # its own right is on our left
    if not right and not front:
        return 0.0
    degrees = float(np.degrees(np.arctan2(right, front))) - me.turn
    return (degrees + 180) % 360 - 180


def _nods(
    scene: Scene, speaker: str, said: Mapping[str, Sequence[Said]], frames: int, rate: float
) -> Array:
    """Small nods at the end of some phrases of others."""
    draws, made, times = Draws(scene.slug + speaker, 0), np.zeros(frames), np.arange(frames) / rate
    ends = sorted(e for s, clips in said.items() if s != speaker for c in clips for e in c.ends)
    for k, end in enumerate(ends):
        own = draws.even("listening", k)
        if own < NODS and 0 <= end < frames:
            start = end / rate + 0.1 + 0.3 * own
            made -= NOD * (0.6 + own) * hump(times, start, start + 0.25, start + 0.6)
    return made
