"""Recorded motions of head and body on a speaker: placed, looped or cut, and laid into a face."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .documents import Move

Array = NDArray[np.float64]
EASE = 0.3  # seconds in which a head goes over into a recorded motion, and out of it
SEAM = 0.25  # seconds in which the end of a loop goes over into its beginning
CHANNELS = ("head_yaw", "head_pitch", "head_roll")


@dataclass(frozen=True)
class Laid:
    """A motion on the frames of a scene. phases: seconds of the recording on each of its frames, and those
    that it goes over from at the seam of a loop; seams: how far it has gone over (1: all the way)."""

    move: Move
    first: int
    phases: Array
    before: Array
    seams: Array
    weights: Array

    @property
    def frames(self) -> slice:
        return slice(self.first, self.first + len(self.phases))


def laid(move: Move, whole: float, until: float, frames: int, fps: float) -> Laid:
    """A motion of so many seconds on a scene of frames. until: when the next begins, or the scene ends."""
    long = max(0.0, min(move.length or whole, whole - move.cut))
    end = until if move.loop else min(until, move.start + long)
    first = min(frames, round(move.start * fps))
    count = max(0, min(frames, round(end * fps)) - first)
    times = np.arange(count) / fps
    seam = min(SEAM, long / 2) if move.loop else 0.0
    around = max(long - seam, 1e-6)
    phase = times % around if move.loop else times
    again = (times >= around) & (phase < seam) if seam else np.zeros(count, bool)
    seams = np.where(again, phase / max(seam, 1e-9), 1.0)
    ease = max(1, round(EASE * fps))
    at = np.arange(count)
    away = np.minimum(at + 1, count - at) / (ease + 1)
    weights = move.share * (0.5 - 0.5 * np.cos(np.pi * np.minimum(away, 1.0)))
    return Laid(move, first, move.cut + phase, move.cut + around + phase, seams, weights)


def lay(curves: dict[str, Array], own: Laid, times: Array, recorded: Mapping[str, Array]) -> None:
    """Lay a recorded head into curves, in place of what they do or added to it. times, recorded: of the
    recording."""
    part = own.frames
    for name in CHANNELS:
        if name not in recorded:
            continue
        now = np.interp(own.phases, times, recorded[name])
        past = np.interp(own.before, times, recorded[name])
        values = own.seams * now + (1 - own.seams) * past
        under = curves.setdefault(name, np.zeros(max(part.stop, 1)))
        kept = (1 - own.weights) if own.move.instead else 1.0
        under[part] = under[part] * kept + values * own.weights


def until(moves: Sequence[Move], move: Move, end: float) -> float:
    """When the next motion of a lane begins, or the scene ends."""
    return min((m.start for m in moves if m.start > move.start), default=end)
