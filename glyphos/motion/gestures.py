"""What each sound asks of the face: the table for English, features for every other IPA sound."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ..speech import ipa
from ..tables import rows
from .channels import channels, index

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Gesture:
    """Targets and strengths of one part of a sound, one value a channel (strength 0: no control)."""

    target: Array
    strength: Array


@cache
def _table() -> dict[str, tuple[Gesture, ...]]:
    found: dict[str, list[Gesture]] = {}
    for row in rows("gestures.csv"):
        cells = [row[c.name].partition("/") for c in channels()]
        target = np.array([float(value or 0) for value, _, _ in cells])
        strength = np.array([float(s or 1) if value else 0.0 for value, _, s in cells])
        found.setdefault(row["ipa"], []).append(Gesture(target, strength))
    return {name: tuple(parts) for name, parts in found.items()}


@cache
def gestures_of(sound: str) -> tuple[Gesture, ...]:
    """One gesture, or two for diphthongs and affricates; an unknown sound controls nothing."""
    if sound in _table():
        return _table()[sound]
    letters = ipa.parse(sound)
    plain = "".join(s.letter for s in letters)
    if plain in _table():
        return _table()[plain]
    parts: list[Gesture] = []
    for letter in letters:
        parts += _table().get(letter.letter) or [from_features(letter)]
    if len(parts) > 2:
        parts = [parts[0], parts[-1]]
    nothing = Gesture(np.zeros(len(channels())), np.zeros(len(channels())))
    return tuple(parts) or (nothing,)


def from_features(sound: ipa.Sound) -> Gesture:
    """A gesture for any IPA letter, from height, backness and rounding or place and manner."""
    wanted = _vowel(sound) if sound.vowel else _consonant(sound)
    target, strength = np.zeros(len(channels())), np.zeros(len(channels()))
    for name, (value, weight) in wanted.items():
        target[index(name)], strength[index(name)] = value, weight
    return Gesture(target, strength)


def _vowel(sound: ipa.Sound) -> dict[str, tuple[float, float]]:
    opening = 1 - sound.height / 6  # 1 open .. 0 close
    front = 1 - sound.back  # 1 front .. −1 back
    reduced = 0.5 if sound.letter in "əɘᵻ" else 1.0
    jaw = 0.18 + 0.52 * opening
    spread = (0.15 + 0.5 * (1 - opening)) * max(0.0, front) * (1 - sound.round)
    return {
        "jaw_open": (jaw, reduced),
        "lips_part": ((jaw + 0.1) * (1 - 0.4 * sound.round), reduced),
        "lips_wide": (spread - 0.5 * sound.round, reduced),
        "lips_round": (sound.round * (0.9 - 0.4 * opening), reduced),
        "tongue_front": (0.8 * front, reduced),
        "tongue_high": (0.9 - 0.8 * opening, reduced),
        "tongue_tip": (0.0, 0.5),
    }


def _consonant(sound: ipa.Sound) -> dict[str, tuple[float, float]]:
    closed = sound.manner in ("plosive", "nasal", "affricate")
    if sound.place == 0 and sound.manner == "glide":
        return _like("w", {"lips_wide": (-0.4, 1.5)})
    if sound.place == 0 and closed:
        return _like("m" if sound.manner == "nasal" else "b" if sound.voiced else "p", {})
    if sound.place == 0:  # bilabial fricatives, taps and trills: nearly closed
        return {"jaw_open": (0.14, 0.8), "lips_part": (0.08, 2.0), "lips_press": (0.15, 1.0)}
    if sound.place == 1:
        reach = 1.0 if sound.manner in ("fricative", "affricate", "nasal") else 0.6
        return _like("v", {"lip_to_teeth": (reach, 3.0)})
    wanted = {"jaw_open": (0.22, 0.5)}
    if sound.manner in ("sibilant", "affricate"):
        wanted = {"jaw_open": (0.10, 2.0), "lips_part": (0.26, 0.8)}
        if sound.place >= 4:
            wanted |= {"lips_round": (0.5, 1.0), "lips_wide": (-0.25, 0.8)}
    if sound.place == 2:
        wanted |= {"tongue_between_teeth": (1.0, 3.0), "lips_part": (0.3, 0.7)}
    if 2 <= sound.place <= 5:
        wanted["tongue_tip"] = (1.0 if closed or sound.manner == "lateral" else 0.8, 2.5)
    if sound.place in (6, 7, 8):
        front = {6: 0.7, 7: -0.4, 8: -0.7}[sound.place]
        height = {6: 0.95, 7: 1.0, 8: 0.6}[sound.place]
        wanted |= {"tongue_front": (front, 1.0), "tongue_high": (height, 2.0)}
    if sound.place == 9:
        wanted |= {"tongue_front": (-0.9, 1.0), "tongue_high": (0.1, 1.0)}
    return {} if sound.place == 10 else wanted


def _like(known: str, change: dict[str, tuple[float, float]]) -> dict[str, tuple[float, float]]:
    base = _table()[known][0]
    wanted = {
        c.name: (float(base.target[i]), float(base.strength[i]))
        for i, c in enumerate(channels())
        if base.strength[i]
    }
    return wanted | change


@cache
def closes_lips(sound: str) -> bool:
    """Whether the lips must be seen to meet (p b m and their like)."""
    return any(s.place == 0 and s.manner in ("plosive", "nasal") and not s.vowel
               for s in ipa.parse(sound))  # fmt: skip


@cache
def lip_meets_teeth(sound: str) -> bool:
    """Whether the lower lip must be seen at the upper teeth (f v and their like)."""
    return any(s.place == 1 and s.manner in ("fricative", "affricate", "nasal") and not s.vowel
               for s in ipa.parse(sound))  # fmt: skip


@cache
def keeps_jaw_up(sound: str) -> bool:
    """Whether the sound is a sibilant, alone or as the release of an affricate."""
    return any(not s.vowel and (s.manner == "sibilant" or (s.manner == "affricate" and s.place >= 3))
               for s in ipa.parse(sound))  # fmt: skip


@cache
def is_vowel(sound: str) -> bool:
    """Whether the sound is a vowel or diphthong."""
    letters = ipa.parse(sound)
    return bool(letters) and all(s.vowel for s in letters)


@cache
def hums(sound: str) -> bool:
    """Whether the lips stay together nearly as long as the sound (m and its like)."""
    return sound[:1] in "mɱ"


@cache
def is_rounded_glide(sound: str) -> bool:
    """Whether the sound is /w/ or its like."""
    return any(s.place == 0 and s.manner == "glide" and not s.vowel for s in ipa.parse(sound))


@cache
def is_rhotic(sound: str) -> bool:
    """Whether the sound is the English /ɹ/, whose lips round a little."""
    return any(s.letter in "ɹɻ" for s in ipa.parse(sound))


@cache
def is_breath(sound: str) -> bool:
    """Whether the sound is breath alone, through a mouth that its neighbours shape."""
    return any(s.letter in "hɦ" for s in ipa.parse(sound))
