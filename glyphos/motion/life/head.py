"""The head: follows pitch and loudness slowly (Yehia, Kuratate & Vatikiotis-Bateson 2002; Munhall et
al. 2004), nods on accents, takes new postures where phrases begin (Graf et al. 2002), never still."""

from __future__ import annotations

from collections.abc import Sequence
from math import hypot, sqrt

import numpy as np

from ...filters import gaussian
from ...voice.pitch import HOP
from ...voice.voice import Voice
from .draws import Draws
from .event import Event, Spell
from .shapes import Array, between, eased, hump

GRID = 100  # moments a second, the same for every frame rate
RELAX = 0.3  # of a posture, which is given up within three seconds
MOST = (15.0, 12.0, 10.0)  # degrees of yaw, pitch, roll that are neared and never reached
SWAY = 0.19  # degrees of each of five slow waves an axis
APART, AGAIN = 0.42, 0.8  # seconds between nods, between shakes
NO = frozenset(
    "no not never nothing nobody none neither nor cannot non mai niente nessuno nunca nada nadie tampoco nein nicht nie nichts niemand".split()
)
ALL = frozenset(
    "all everyone everybody everything whole every tutti tutto ogni todo todos toda alle alles jeder".split()
)


def find_head(
    voice: Voice, draws: Draws, brows: Sequence[Event], spells: Sequence[Spell], gaze: float
) -> list[Event]:  # fmt: skip
    """Nods, shakes and sweeps on words, postures at phrases, and the way it goes with the eyes."""
    return [*_on_accents(voice, draws, brows), *_postures(voice, draws), *_with_gaze(spells, gaze)]


def _on_accents(voice: Voice, draws: Draws, brows: Sequence[Event]) -> list[Event]:
    made: list[Event] = []
    raised, last = [e.peak for e in brows], -9.0
    for a in voice.accents:
        word = a.word.lower()
        if word in NO and draws.even("no", *a.key) < 0.55 and a.time - last > AGAIN:
            last = a.time
            made.append(Event("head", "shake", a.start - 0.1, a.time, a.start + 0.75, 3.0 + 1.5 * a.strength,
                              f"head: shake on *{a.word}*", (draws.side("side", *a.key),)))  # fmt: skip
            continue
        if word in ALL and draws.even("all", *a.key) < 0.5:
            made.append(Event("head", "sweep", a.start - 0.1, a.time + 0.3, a.time + 0.9, 5.0,
                              f"head: sweep on *{a.word}*", (draws.side("side", *a.key),)))  # fmt: skip
        likely = 0.12 + 0.62 * a.strength + 0.1 * any(abs(a.time - t) < 0.2 for t in raised)
        if a.time - last < APART or draws.even("nod", *a.key) > likely:
            continue
        last = a.time
        size = min(6.0, max(3.0, 2.8 + 2.6 * a.strength + 0.5 * draws.normal("nod size", *a.key)))
        low = a.vowel[0] + 0.6 * (a.vowel[1] - a.vowel[0]) + 0.05
        down, back = (
            0.15 + 0.05 * draws.even("nod down", *a.key),
            0.19 + 0.08 * draws.even("nod back", *a.key),
        )
        made.append(Event("head", "nod", low - down, low, low + back, size, f"head: nod on *{a.word}*",
                          (0.12 * size * draws.normal("nod yaw", *a.key),)))  # fmt: skip
    return made


def _postures(voice: Voice, draws: Draws) -> list[Event]:
    """A new posture where a phrase begins; back to rest after the last."""
    made: list[Event] = []
    yaw = pitch = roll = 0.0
    for k, breath in enumerate(voice.breaths):
        before = voice.boundaries[k - 1].strength if k else 0.7
        if k and (before < 0.5 or draws.even("posture", k) > 0.35 + 0.6 * before):
            continue
        asks = breath.mark == "?"
        y = -0.25 * yaw + (1.6 + 1.8 * before) * draws.normal("turn", k)
        r = (
            -0.2 * roll
            + (0.9 + 0.8 * before) * draws.normal("tilt", k)
            + 3.2 * asks * draws.side("ask tilt", k)
        )
        p = -0.3 * pitch + 0.7 * draws.normal("lift", k)
        y, r, p = min(6.5, max(-6.5, y)), min(5.0, max(-5.0, r)), min(2.0, max(-2.0, p))
        seconds = 0.5 + 0.3 * draws.even("how long", k) + 0.03 * abs(y - yaw)
        far = sqrt((y - yaw) ** 2 + (r - roll) ** 2 + (p - pitch) ** 2)
        what = "tilt, a question" if asks else "turn" if abs(y - yaw) > abs(r - roll) else "tilt"
        at = breath.start - 0.18
        made.append(Event("head", "posture", at, at + seconds / 2, at + seconds, far,
                          f"head: {what} at the start of phrase {k + 1}", (y - yaw, p - pitch, r - roll)))  # fmt: skip
        yaw, roll, pitch = y - RELAX * (y - yaw), r - RELAX * (r - roll), p - RELAX * (p - pitch)
    if voice.words:
        end = voice.words[-1].end
        back = (-yaw / (1 - RELAX), -pitch / (1 - RELAX), -roll / (1 - RELAX))
        made.append(Event("head", "posture", end + 0.35, end + 0.8, end + 1.25, hypot(yaw, roll),
                          "head: back to rest after the last phrase", back))  # fmt: skip
    return made


def _with_gaze(spells: Sequence[Spell], gaze: float) -> list[Event]:
    """The head goes a quarter of the way with large shifts of gaze."""
    made = []
    for s in spells:
        far, part = hypot(s.x, s.y), 0.26 * gaze
        if far <= 7 or not part:
            continue
        x, y = part * s.x, part * s.y
        made.append(Event("head", "with gaze", s.start + 0.03, s.start + 0.2, s.start + 0.42, part * far,
                          "head: goes with the gaze", (x, y, 0.12 * x)))  # fmt: skip
        made.append(Event("head", "with gaze", s.end + 0.02, s.end + 0.2, s.end + 0.45, part * far,
                          "head: back with the gaze", (-x, -y, -0.12 * x)))  # fmt: skip
    return made


def head_curves(
    voice: Voice, draws: Draws, events: Sequence[Event], strength: float
) -> tuple[Array, Array, Array, Array]:  # fmt: skip
    """Times on a fixed grid, and yaw, pitch, roll there, so that every frame rate sees the same."""
    times = np.arange(int(voice.duration * GRID) + 2) / GRID
    axes = _with_voice(voice, draws, times)
    for e in events:
        if e.part == "face" and e.kind == "breath":
            part = between(times, e.start, e.end + 0.55)
            axes[1][part] += 0.9 * e.size * hump(times[part], e.start, e.peak, e.end + 0.5)
        elif e.part == "head":
            _move(e, times, axes)
    for k, axis in enumerate(axes):
        for j in range(5):
            hertz, phase = (
                0.1 + 0.4 * draws.even("sway", k, j),
                2 * np.pi * draws.even("phase", k, j),
            )
            axis += SWAY * np.sin(2 * np.pi * hertz * times + phase)
    soft = [gaussian(a, 0.035 * GRID) for a in axes]
    yaw, pitch, roll = (strength * m * np.tanh(a / m) for a, m in zip(soft, MOST, strict=True))
    return times, yaw, pitch, roll


def _with_voice(voice: Voice, draws: Draws, times: Array) -> tuple[Array, Array, Array]:
    """What pitch and loudness do, slowly."""
    talk = gaussian(voice.speech.astype(float), 18)
    loud = gaussian(np.clip(voice.level, -18, 8), 16)
    deviation = max(1.5, voice.spread / 2.56)  # of the speaker's pitch
    melody = np.clip(voice.follow(voice.semitones, 1.1) / deviation, -2.2, 2.2) * talk
    live = np.clip((loud + 8) / 6, -1.2, 1.5) * talk
    at = np.clip(np.round(times / HOP).astype(int), 0, len(voice.hertz) - 1)
    side = draws.side("side")
    return 0.35 * side * live[at], (1.25 * melody + 0.75 * live)[at], 0.30 * side * melody[at]


def _move(e: Event, times: Array, axes: tuple[Array, Array, Array]) -> None:
    yaw, pitch, _ = axes
    part = between(times, e.start - 0.25, e.end + 0.02)
    t = times[part]
    done = np.clip((t - e.start) / (e.end - e.start), 0, 1)
    if e.kind == "nod":  # a small lift, down through the vowel, back
        lift = 0.24 * e.size * hump(t, e.start - 0.2, e.start - 0.02, e.peak)
        pitch[part] += lift - e.size * hump(t, e.start, e.peak, e.end)
        yaw[part] += e.more[0] * hump(t, e.start, e.peak, e.end)
    elif e.kind == "shake":
        yaw[part] += e.more[0] * e.size * np.sin(3 * np.pi * done) * np.sin(np.pi * done) ** 2
    elif e.kind == "sweep":
        yaw[part] += e.more[0] * e.size * np.sin(2 * np.pi * done) * np.sin(np.pi * done)
    else:
        after = times[part.stop :]
        given_up = RELAX * eased((after - e.end) / 3.0) if e.kind == "posture" else 0.0
        for axis, by in zip(axes, e.more, strict=True):
            axis[part] += by * eased(done)
            axis[part.stop :] += by * (1 - given_up)
