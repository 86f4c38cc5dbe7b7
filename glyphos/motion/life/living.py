"""The rest of a face from its voice: events first, each with a reason, then curves at any rate."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ...filters import gaussian
from ...speech.reading import Reading
from ...voice.voice import Voice
from .blinks import find_blinks
from .brows import find_brows
from .draws import Draws
from .event import Event, Liveliness
from .gaze import Gaze, find_gaze
from .hands import Happening, resolved, spells_with, without
from .head import find_head, head_curves
from .shapes import Array, between, eased, hump, joined

Curves = dict[str, Array]
BREATH = 0.34  # seconds of silence before a phrase, from which one breathes


@dataclass(frozen=True)
class Life:
    """What happens in the face of a line, in order of time, and what its curves need besides."""

    voice: Voice
    liveliness: Liveliness
    line: str
    events: tuple[Event, ...]
    gaze: Gaze

    @property
    def draws(self) -> Draws:
        return Draws(self.line, self.liveliness.seed)

    @cached_property
    def head(self) -> tuple[Array, ...]:
        """Times and angles of the head (yaw, pitch, roll), whatever the rate they are wanted at."""
        return head_curves(self.voice, self.draws, self.events, self.liveliness.of("head"))

    @cached_property
    def _made(self) -> dict[tuple[float, ...], Curves]:
        return {}

    def curves(self, times: Array, fps: float) -> Curves:
        """`life_curves` at evenly rising times; the last ones are remembered."""
        key = (float(times[0]), float(times[-1]), len(times), fps) if len(times) else ()
        if key not in self._made:
            self._made.clear()
            self._made[key] = life_curves(self, times, fps)
        return self._made[key]


def live(
    voice: Voice, liveliness: Liveliness | None = None, line: str = "", by_hand: Sequence[Happening] = (),
    reading: Reading | None = None,
) -> Life:  # fmt: skip
    """The life of a line. line: what the draws are for; the same text draws the same. by_hand: what a
    person placed or took away, on the sounds of `reading`."""
    wish = liveliness or Liveliness()
    draws = Draws(line, wish.seed)
    added, gone = resolved(by_hand, reading) if reading is not None else ([], [])
    gaze = find_gaze(
        voice, draws, wish.of("gaze"), wish.state, lambda spells: spells_with(spells, added, gone)
    )
    brows = find_brows(voice, draws)
    events = [*brows, *gaze.events, *_breaths(voice)]
    events += find_blinks(voice, draws, wish.of("blinks"), wish.state, gaze.events)
    events += find_head(voice, draws, brows, gaze.spells, wish.of("gaze"))
    events = [*without(events, gone), *(e for e in added if e.part != "gaze")]
    ordered = sorted(events, key=lambda e: (e.start, e.part, e.kind))
    return Life(voice, wish, line, tuple(e for e in ordered if wish.of(e.part) > 0), gaze)


def _breaths(voice: Voice) -> list[Event]:
    """Breath before a phrase after a silence: lips part a little, the head lifts (common practice, no
    source)."""
    made, edge = [], 0.0
    for k, breath in enumerate(voice.breaths):
        gap = breath.start - edge
        if gap > BREATH:
            long = min(0.62, gap - 0.1)
            made.append(Event(
                "face", "breath", breath.start - long - 0.05, breath.start - 0.05 - 0.3 * long, breath.start + 0.02,
                min(1.0, max(0.5, 0.5 + 0.5 * gap)), f"breath: before phrase {k + 1}",
            ))  # fmt: skip
        edge = breath.end
    return made


def life_curves(life: Life, times: Array, fps: float) -> Curves:
    """Channels of the face at rising times of the recording, `fps` of them a second."""
    made = _head_and_gaze(life, times)
    down = made.pop("gaze_world_pitch")
    made |= _lids_and_brows(life, times, fps, down)
    return made | _breathing(life, times)


def _head_and_gaze(life: Life, times: Array) -> Curves:
    """Head angles, and eyes that look where they look in the world whatever the head does (the
    vestibulo-ocular reflex)."""
    wish, draws = life.liveliness, life.draws
    grid, *axes = life.head
    made: Curves = {}
    for name, axis in zip(("head_yaw", "head_pitch", "head_roll"), axes, strict=True):
        made[name] = np.interp(times, grid, axis)
    x, y = np.zeros(len(times)), np.zeros(len(times))
    for s in life.gaze.saccades:
        moving = between(times, s.time, s.time + s.seconds + 1e-9)
        share = eased((times[moving] - s.time) / s.seconds)
        for axis, a, b in ((x, s.start[0], s.end[0]), (y, s.start[1], s.end[1])):
            axis[moving] += (b - a) * share
            axis[moving.stop :] += b - a
    tiny = np.array([(0.0, 0.0, 0.0), *life.gaze.tiny])
    at = np.searchsorted(tiny[1:, 0], times, side="right")  # the last that has begun
    share = eased((times - tiny[at, 0]) / 0.025) * (at > 0)
    before = np.maximum(at - 1, 0)
    for axis, k in ((x, 1), (y, 2)):
        axis += tiny[before, k] * (1 - share) + tiny[at, k] * share
    gaze = wish.of("gaze")
    for j in range(3):  # drift
        for axis, much, key in ((x, 0.09, "x"), (y, 0.07, "y")):
            hertz, phase = 0.3 + 0.7 * draws.even(f"d{key}", j), 7 * draws.even(f"dp{key}", j)
            axis += much * gaze * np.sin(2 * np.pi * hertz * times + phase)
    made["gaze_yaw"], made["gaze_pitch"] = x - made["head_yaw"], y - made["head_pitch"]
    return made | {"gaze_world_pitch": y}


def _lids_and_brows(life: Life, times: Array, fps: float, up: Array) -> Curves:
    voice, wish, draws = life.voice, life.liveliness, life.draws
    left, right = _shut(life.events, times, fps)
    slow = gaussian(up, max(0.02 * fps, 1e-3))
    lowered, raised = np.clip(-0.010 * slow, 0, 0.22), np.clip(0.012 * slow, 0, 0.25)
    tension = np.clip((voice.level - 1) / 7, 0, 1) * voice.speech
    talk = np.interp(times, voice.times, gaussian(tension, 12))
    inner, outer_left, outer_right, low = _brow_curves(life.events, times, wish.of("brows"))
    talks = gaussian(voice.speech.astype(float), 15, "symmetric")
    melody = np.interp(times, voice.times, voice.follow(voice.semitones, 1.5) * talks)
    idle = sum(
        np.sin(2 * np.pi * (0.08 + 0.22 * draws.even("bi", j)) * times + 7 * draws.even("bp", j))
        for j in range(3)
    )
    drift = wish.of("brows") * (
        0.035 * (1 + idle / 3) + 0.10 * np.clip(melody / max(2.0, voice.spread / 2), 0, 1)
    )
    face = 0.16 * talk * wish.of("face")
    made: Curves = {"brow_inner_raise": np.clip(inner + drift, 0, 1)}
    for side, shut, outer in (("left", left, outer_left), ("right", right, outer_right)):
        made[f"blink_{side}"] = joined(shut, lowered)
        made[f"lid_raise_{side}"] = np.clip((raised + 0.105 * inner) * (1 - shut), 0, 1)
        made[f"lid_tighten_{side}"] = np.clip(0.16 * shut + face, 0, 1)
        made[f"cheek_raise_{side}"] = face
        made[f"brow_outer_raise_{side}"] = np.clip(outer + 0.7 * drift, 0, 1)
        made[f"brow_lower_{side}"] = np.clip(low + 0.05 * shut, 0, 1)
    return made


def _shut(events: Sequence[Event], times: Array, fps: float) -> tuple[Array, Array]:
    """How far lids are shut, left and right. Under 60 frames a second the shut eye lies on a frame."""
    left, right = np.zeros(len(times)), np.zeros(len(times))
    first = float(times[0]) if len(times) else 0.0
    for e in events:
        if e.part != "blinks":
            continue
        hold, apart = e.more
        peak = first + round((e.peak - first) * fps) / fps if fps < 60 else e.peak
        start, end = peak - (e.peak - e.start), peak + (e.end - e.peak)
        part = between(times, start - 0.02, end + 0.3)
        for lid, by in ((left, apart / 2), (right, -apart / 2)):
            t = times[part] - by * (fps >= 60)
            down = eased((t - start) / (peak - start))
            opening = np.clip((t - peak - hold) / (end - peak - hold), 0, 1)
            lid[part] = np.maximum(lid[part], e.size * down * (1 - eased(opening**0.80)))
    return left, right


def _brow_curves(
    events: Sequence[Event], times: Array, strength: float
) -> tuple[Array, Array, Array, Array]:  # fmt: skip
    inner, left, right, low = (np.zeros(len(times)) for _ in range(4))
    for e in events:
        if e.part != "brows":
            continue
        part = between(times, e.start, e.end)
        much = e.size * strength * hump(times[part], e.start, e.peak, e.end, e.more[0])
        if e.kind == "lower":
            low[part] = np.maximum(low[part], much)
            continue
        _, side, outer = e.more
        for brow, share in ((inner, 1.0), (left, outer * (1 + side)), (right, outer * (1 - side))):
            brow[part] = joined(brow[part], np.clip(much * share, 0, 1))
    return inner, left, right, low


def _breathing(life: Life, times: Array) -> Curves:
    lips = np.zeros(len(times))
    for e in life.events:
        if e.part == "face" and e.kind == "breath":
            part = between(times, e.start, e.end + 0.01)
            much = (
                0.16
                * e.size
                * life.liveliness.of("face")
                * hump(times[part], e.start, e.peak, e.end)
            )
            lips[part] = np.maximum(lips[part], much)
    return {"lips_part": lips, "jaw_open": 0.35 * lips}
