"""Gaze: spells on and off the listener, away at the start of long phrases and back before their end
(Argyle & Cook 1976; Lee, Badler & Badler 2002), with saccades as long as they are wide."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import cos, hypot, log, radians, sin

from ...voice.voice import Voice
from .draws import Draws
from .event import Event, Spell, State

ON, OFF = (
    {"talk": 3.45, "listen": 7.9, "read": 7.9},
    {"talk": 1.0, "listen": 0.43, "read": 0.43},
)  # seconds
# Directions of saccades in talk, every 45 degrees from the right, per cent (Lee, Badler & Badler 2002)
TOWARDS = (15.54, 6.46, 17.69, 7.44, 16.80, 7.89, 20.38, 7.79)
LATENCY, PER_DEGREE = 0.022, 0.0024  # seconds of a saccade: the main sequence
LONG_PHRASE, TURN = (
    2.0,
    0.25,
)  # seconds: of talk before which one looks away; of pause between turns
OVER_FACE = ((1.3, 0.3), (-1.3, 0.3), (0.1, -1.6), (0.0, 0.1))  # degrees: eyes, mouth, between
SMALL = 0.25  # degrees, under which nothing is worth a saccade


@dataclass(frozen=True)
class Saccade:
    """From one direction to another (degrees right and up), beginning at a time."""

    time: float
    seconds: float
    start: tuple[float, float]
    end: tuple[float, float]


@dataclass(frozen=True)
class Gaze:
    """Spells away, all saccades, and the tiny ones (time, x, y)."""

    spells: tuple[Spell, ...]
    saccades: tuple[Saccade, ...]
    tiny: tuple[tuple[float, float, float], ...]
    events: tuple[Event, ...]


def find_gaze(
    voice: Voice, draws: Draws, strength: float, state: State,
    change: Callable[[list[Spell]], list[Spell]] = list,
) -> Gaze:  # fmt: skip
    """Where the eyes look through a line. strength: of how far. change: what is done to the spells by hand."""
    spells = change(_spells(voice, draws, state))
    plan: list[tuple[float, float, float, str, str]] = []
    for s in spells:
        plan.append((s.start, s.x * strength, s.y * strength, f"gaze: away, {s.why}", "away"))
        if s.end - s.start > 1.1:
            y = s.y * 0.6 * strength + 2 * strength * draws.normal("second", round(s.start, 2))
            plan.append(
                (
                    s.start + 0.55 * (s.end - s.start),
                    s.x * 0.6 * strength,
                    y,
                    "gaze: a second look",
                    "away",
                )
            )
        plan.append((s.end, 0.0, 0.0, f"gaze: {s.back}", "back"))
    plan += _over_the_face(voice, draws, strength, spells)
    saccades, events = _saccades(plan)
    return Gaze(tuple(spells), tuple(saccades), tuple(_tiny(voice, draws, strength)), tuple(events))


def _spells(voice: Voice, draws: Draws, state: State) -> list[Spell]:
    talks = state if voice.words else "listen"
    turns, spells = _turns(voice), list[Spell]()
    t, k = 0.0, 0
    while t < voice.duration:
        end = t + ON[talks] * (0.35 - 0.65 * log(draws.even("on", k)))
        why = "spontaneous"
        for a, b in turns:
            early = t + 0.7 < a - 0.1 < end + 1.5 and b - a > LONG_PHRASE
            if early and draws.even("away", round(b - a, 1), len(spells)) < 0.75:
                end, why = a - 0.12 + 0.1 * draws.even("lead", k), "start of a long phrase"
                break
        else:
            for accent in voice.accents:  # not in the middle of an accent
                if abs(accent.time - end) < 0.25:
                    end = accent.vowel[1] + 0.15
        for edge in voice.boundaries:  # the ends of phrases belong to the listener
            if edge.strength > 0.6 and edge.time - 0.45 < end < edge.time + 0.2:
                end = edge.time + 0.25
                break
        if end >= voice.duration - 0.8:
            break
        back, how = (
            end + min(OFF[talks] * (0.45 - 0.55 * log(draws.even("off", k))), 3.0),
            "back to the listener",
        )
        for edge in voice.boundaries:
            if end + 0.35 < edge.time - 0.2 < back + 0.5 and edge.strength > 0.6:
                back, how = (
                    edge.time - 0.30 + 0.1 * draws.even("back", k),
                    "back before the end of the phrase",
                )
                break
        far = min(19.0, max(5.5, 4.5 - 6.2 * log(1 - 0.93 * draws.even("far", k))))
        angle = radians(45 * draws.pick(TOWARDS, "where", k) + 14 * draws.normal("angle", k))
        up = 0.75 if sin(angle) > 0 else 0.6
        spells.append(Spell(end, back, far * cos(angle), far * sin(angle) * up, why, how))
        t, k = back, k + 1
    return spells


def _turns(voice: Voice) -> list[tuple[float, float]]:
    """Stretches of talk between pauses of TURN seconds."""
    made: list[tuple[float, float]] = []
    for b in voice.breaths:
        if made and b.start - made[-1][1] < TURN:
            made[-1] = (made[-1][0], b.end)
        else:
            made.append((b.start, b.end))
    return made


def _over_the_face(
    voice: Voice, draws: Draws, strength: float, spells: list[Spell]
) -> list[tuple[float, float, float, str, str]]:  # fmt: skip
    """While one looks at the listener: from eye to eye to mouth, half a second to two apart."""
    made, k, edge = [], 0, 0.0
    for a, b in [*((s.start, s.end) for s in spells), (voice.duration, voice.duration)]:
        t = edge + 0.5
        while True:
            t += 0.45 - 0.75 * log(draws.even("scan", k))
            if t > a - 0.25:
                break
            x, y = OVER_FACE[draws.pick((3, 3, 2, 2), "which", k)]
            x, y = x + 0.3 * draws.normal("sx", k), y + 0.25 * draws.normal("sy", k)
            made.append((t, x * strength, y * strength, "gaze: over the listener's face", "scan"))
            k += 1
        edge = b
    return made


def _saccades(
    plan: list[tuple[float, float, float, str, str]],
) -> tuple[list[Saccade], list[Event]]:
    saccades, events = list[Saccade](), list[Event]()
    here, free = (0.0, 0.0), 0.0
    for t, x, y, why, kind in sorted(plan):
        wide = hypot(x - here[0], y - here[1])
        if wide < SMALL:
            continue
        t, seconds = max(t, free + 0.12), LATENCY + PER_DEGREE * wide
        saccades.append(Saccade(t, seconds, here, (x, y)))
        if kind != "scan":
            events.append(Event("gaze", kind, t, t + seconds, t + seconds, wide, why, (x, y)))
        here, free = (x, y), t + seconds
    return saccades, events


def _tiny(voice: Voice, draws: Draws, strength: float) -> list[tuple[float, float, float]]:
    """Tiny saccades, one or two a second, under 0.6 degrees."""
    made, t, k = [], 0.2, 0
    while t < voice.duration:
        t += 0.3 - 0.35 * log(draws.even("tiny", k))
        made.append(
            (t, 0.28 * draws.normal("tx", k) * strength, 0.2 * draws.normal("ty", k) * strength)
        )
        k += 1
    return made
