"""From an alignment to boundaries a person would draw: corrections that the model needs.

The aligner is late or early by a few milliseconds depending on the kinds of sounds that meet;
`data/boundaries.csv` holds by how much. Stops after a pause swallow silence into their closure;
very short pauses before a stop are that stop's closure.
"""

from __future__ import annotations

from functools import cache

from ..tables import rows
from .align import AlignedSound

KINDS = {
    "voiced-stop": "B D G JH",
    "voiceless-stop": "P T K CH",
    "voiceless-fricative": "F TH S SH HH",
    "voiced-fricative": "V DH Z ZH",
    "nasal": "M N NG",
    "liquid": "L R W Y",
    "vowel": "AA AE AH AO AW AY EH ER EY IH IY OW OY UH UW",
}
COMMON_LATENESS = 0.0046  # seconds, where a pair is not in the table
LONGEST_CLOSURE = {"voiced-stop": 0.070, "voiceless-stop": 0.120}  # whole stop after a pause
SHORT_PAUSE = 0.045
SHORTEST = 0.005  # a sound is never shorter than this


@cache
def _kind_of() -> dict[str, str]:
    return {phone: kind for kind, phones in KINDS.items() for phone in phones.split()}


@cache
def _lateness() -> dict[tuple[str, str], float]:
    return {(r["before"], r["sound"]): float(r["late_ms"]) / 1000 for r in rows("boundaries.csv")}


def kind(phone: str) -> str:
    """Broad kind of a model phone; `pause` for anything that is not speech."""
    return _kind_of().get(phone, "pause")


def corrected(sounds: list[AlignedSound], duration: float) -> list[tuple[float, float]]:
    """Start and end of every sound after correction: in order, inside 0..duration seconds."""
    times: list[tuple[float, float]] = []
    for i, sound in enumerate(sounds):
        before = sounds[i - 1] if i else None
        joined = before is not None and sound.start - before.end < 1e-6
        left = kind(before.unit.model[-1]) if before is not None and joined else "pause"
        own = kind(sound.unit.model[0])
        start = sound.start - _lateness().get((left, own), COMMON_LATENESS)
        end = sound.end - COMMON_LATENESS
        if not joined and own in LONGEST_CLOSURE:
            start = max(start, end - LONGEST_CLOSURE[own])
        if times and joined:
            start = max(start, times[-1][0] + SHORTEST)
            times[-1] = (times[-1][0], start)
        elif times:
            start, end = _close_short_pause(times, start, end, own)
        start = min(max(start, 0.0), duration)
        times.append((start, min(max(end, start + SHORTEST), duration)))
    return _ordered(times, duration)


def _close_short_pause(
    times: list[tuple[float, float]], start: float, end: float, own: str
) -> tuple[float, float]:
    last_start, last_end = times[-1]
    if start - last_end < SHORT_PAUSE:
        if own in LONGEST_CLOSURE:
            start = max(last_end, last_start + SHORTEST)
        times[-1] = (last_start, max(start, last_start + SHORTEST))
    return max(start, times[-1][1]), end


def _ordered(times: list[tuple[float, float]], duration: float) -> list[tuple[float, float]]:
    """Make starts ascend with room for every sound, touching neighbours still touching."""
    count = len(times)
    least = min(SHORTEST, duration / (count + 1))
    out: list[tuple[float, float]] = []
    floor = 0.0
    for i, (start, end) in enumerate(times):
        latest = duration - (count - i) * least
        start = min(max(start, floor), latest)
        end = min(max(end, start + least), duration - (count - i - 1) * least)
        out.append((start, end))
        touches = i + 1 < count and abs(times[i + 1][0] - times[i][1]) < 1e-9
        floor = end if not touches else start + least
    for i in range(count - 1):
        if abs(times[i + 1][0] - times[i][1]) < 1e-9 or out[i][1] > out[i + 1][0]:
            out[i] = (out[i][0], out[i + 1][0])
    return out
