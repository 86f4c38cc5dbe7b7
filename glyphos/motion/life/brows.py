"""Brows: raised on about a third of the accents, beginning 60 ms before them (Cavé et al. 1996;
Flecha-García 2010), and on questions and exclamations."""

from __future__ import annotations

import numpy as np

from ...voice.voice import Voice
from .draws import Draws
from .event import Event

SHARE = 0.34  # of the accents
APART = 0.9  # seconds between two raises
BEFORE, SPREAD = 0.06, 0.02  # seconds before an accent
ASKING = frozenset(
    "who what where when why how which whose whom chi cosa dove quando perché come quale quién qué dónde "
    "cuándo cómo cuál wer was wo wann warum wie welche wessen".split()
)


def find_brows(voice: Voice, draws: Draws) -> list[Event]:
    """On the strongest accents, with a little chance, then on questions where there is room."""
    made: list[Event] = []
    worth = [
        a.strength + 0.10 * max(0.0, a.pitch) + 0.16 * draws.normal("brow", *a.key)
        for a in voice.accents
    ]
    wanted, taken = round(SHARE * len(worth)), list[float]()
    for k in np.argsort(-np.array(worth), kind="stable").tolist():
        a = voice.accents[k]
        if len(taken) >= wanted or any(abs(a.time - t) <= APART for t in taken):
            continue
        taken.append(a.time)
        start = a.start - BEFORE + SPREAD * draws.normal("brow on", *a.key)
        rise = 0.16 + 0.02 * draws.normal("brow rise", *a.key)
        hold, fall = (
            0.06 + 0.12 * draws.even("brow hold", *a.key),
            0.28 + 0.16 * draws.even("brow fall", *a.key),
        )
        size = min(
            0.8, max(0.18, 0.26 + 0.42 * a.strength + 0.06 * draws.normal("brow size", *a.key))
        )
        lower = a.pitch < -0.1 and a.loud > 0.9
        made.append(Event(
            "brows", "lower" if lower else "raise", start, start + rise, start + rise + hold + fall,
            size * (0.6 if lower else 1.0), f"brow: accent on *{a.word}*",
            (hold, 0.08 * draws.normal("brow side", *a.key), 0.75 + 0.2 * draws.even("brow out", *a.key)),
        ))  # fmt: skip
    return made + _questions(voice, draws, taken)


def _questions(voice: Voice, draws: Draws, taken: list[float]) -> list[Event]:
    made = []
    for k, breath in enumerate(voice.breaths):
        if breath.mark not in ("?", "!") or (
            breath.mark == "!" and draws.even("surprise", k) > 0.5
        ):
            continue
        asks = voice.words[breath.first].text.lower() in ASKING
        frown = breath.mark == "?" and asks and draws.even("frown", k) < 0.35
        at = max(breath.start, breath.end - 0.75) if breath.mark == "?" else breath.start
        if any(abs(at - t) < 0.5 for t in taken):
            continue
        what = "question" if breath.mark == "?" else "exclamation"
        made.append(Event(
            "brows", "lower" if frown else "raise", at - 0.06, at + 0.16, breath.end + 0.55,
            0.3 if frown else 0.5 + 0.12 * draws.normal("ask", k),
            f"brow: {what} “{voice.words[breath.last].text}{breath.mark}”",
            (max(0.1, breath.end - at - 0.1), 0.1 * draws.normal("ask side", k), 0.9),
        ))  # fmt: skip
    return made
