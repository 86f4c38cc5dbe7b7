"""Blinks: 26 a minute in talk, 17 at rest, 4.5 while reading (Bentivoglio et al. 1997), at phrase ends,
in pauses, with large shifts of gaze (Condon & Ogston 1967; Nakano & Kitazawa 2010), never in an accent.

The next one is drawn from log-normal time, in which the rate of the moment runs, weighted by how well
each moment suits.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import erfc, log, sqrt

import numpy as np

from ...voice.voice import Voice
from .draws import Draws
from .event import Event, State
from .shapes import Array, between

RATE = {"talk": 26.0, "rest": 17.0, "listen": 17.0, "read": 4.5}  # a minute
SHIFT = 0.12  # makes up for what choosing good moments does to the rate
SPREAD = 0.62  # deviation of the log of intervals
LEAST = 0.32  # seconds between two
GRID = 100  # moments a second
PLAIN, PAUSE = 0.30, 1.1  # how well a moment suits: any; in a pause
HALF, LONG = 0.14, 0.05  # share of half blinks; of long ones


def find_blinks(
    voice: Voice, draws: Draws, strength: float, state: State, gaze: Sequence[Event]
) -> list[Event]:  # fmt: skip
    """All blinks of a line. strength: of how often. gaze: its shifts."""
    if strength <= 0:
        return []
    count = int(voice.duration * GRID) + 1
    times = np.arange(count) / GRID
    talk = np.zeros(count, bool)
    for breath in voice.breaths:
        talk[between(times, breath.start - 1.0, breath.end + 1.0)] = True
    quiet = RATE["rest" if state == "talk" else state]
    rate = np.where(talk, RATE[state], quiet) / 60 * strength
    fit, why = _suiting(voice, times, gaze)
    clock = np.concatenate(([0.0], np.cumsum(rate)))[:count] / GRID  # time in blinks to be expected
    # A line begins in the middle of an interval, whose age is drawn evenly
    last = -draws.even("age") * float(np.exp(SPREAD**2 / 2 + SPREAD * draws.normal("first blink")))
    made: list[Event] = []
    at, k = -9.0, 0
    while True:
        a, b = (int(np.searchsorted(clock, t)) for t in (max(0.0, last), last + 9))
        gone = clock[a:b] - last
        if len(gone) < 2 or draws.even("blink end", k) < _left(clock[-1] - last) / max(
            1e-6, _left(max(0.0, -last))
        ):
            return made  # the next one comes after the end of the line
        z = (np.log(np.maximum(gone, 1e-4)) + SPREAD**2 / 2 + SHIFT * bool(voice.words)) / SPREAD
        free = (gone > 0) & (times[a:b] > at + LEAST)
        likely = (
            np.where(free, np.exp(-0.5 * z * z) / np.maximum(gone, 1e-4), 0.0)
            * fit[a:b]
            * rate[a:b]
        )
        sums = np.cumsum(likely)
        if sums[-1] < 1e-9:
            return made
        j = min(a + int(np.searchsorted(sums, draws.even("blink", k) * sums[-1])), count - 1)
        at, last = float(times[j]), float(clock[j])
        made.append(_blink(at, k, why[j], draws))
        k += 1


def _left(gone: float) -> float:
    """Share of intervals that are longer."""
    return 0.5 * erfc((log(max(gone, 1e-9)) + SPREAD**2 / 2) / (SPREAD * sqrt(2)))


def _suiting(voice: Voice, times: Array, gaze: Sequence[Event]) -> tuple[Array, list[str]]:
    """How well every moment suits a blink, and why."""
    fit, why = np.full(len(times), PLAIN), ["blink: it was time"] * len(times)

    def suit(at: float, wide: float, much: float, reason: str) -> None:
        part = between(times, at - 2.5 * wide, at + 2.5 * wide)
        worth = much * np.exp(-0.5 * ((times[part] - at) / wide) ** 2)
        for j in (np.flatnonzero(worth > fit[part]) + part.start).tolist():
            fit[j], why[j] = worth[j - part.start], reason

    for k, b in enumerate(voice.boundaries):
        suit(b.time + 0.06, 0.10, 3.2 * b.strength, f"blink: end of phrase {k + 1}")
    for a, e in voice.pauses:
        if e - a > 0.3:
            part = between(times, a + 0.05, e - 0.08)
            for j in (np.flatnonzero(fit[part] < PAUSE) + part.start).tolist():
                fit[j], why[j] = PAUSE, "blink: in a pause"
    for shift in gaze:
        if shift.size > 5:
            suit(
                shift.start + 0.01,
                0.04,
                1.2 + 0.28 * shift.size,
                f"blink: with a gaze shift of {shift.size:.0f}°",
            )
    for accent in voice.accents:
        fit[between(times, accent.start - 0.12, accent.vowel[1] + 0.03)] = 0.0
    return fit, why


def _blink(at: float, k: int, why: str, draws: Draws) -> Event:
    """A blink with its lids shut at a time: closing in 72 to 104 ms, opening in twice that (Evinger,
    Manning & Sibony 1991)."""
    half = draws.even("half", k) < HALF and "gaze" not in why
    size = 0.45 + 0.3 * draws.even("how half", k) if half else 1.0
    close = min(0.104, max(0.072, 0.086 + 0.007 * draws.normal("close", k)))
    hold = 0.012 + 0.02 * draws.even("shut", k) + (0.12 if draws.even("long", k) < LONG else 0.0)
    open_ = close * min(2.5, max(1.6, 2.0 + 0.2 * draws.normal("open", k)))
    return Event(
        "blinks", "half" if half else "full", at - close, at, at + hold + open_, size,
        why + (" (half)" if half else ""), (hold, 0.003 * draws.normal("eyes", k)),
    )  # fmt: skip
