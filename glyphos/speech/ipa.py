"""Sounds of the International Phonetic Alphabet: features, splitting of transcriptions, likeness."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

from ..tables import rows

STRESS = {"ˈ": 1, "ˌ": 2}
TIES = "͜͡"
NASAL, LONG, RHOTIC = "\u0303", "ː", "˞"
LABIALISED, PALATALISED, COMPRESSED = "ʷ", "ʲ", "ᵝ"


@dataclass(frozen=True)
class Sound:
    """Features of one IPA letter or affricate; see `data/ipa.csv` for the scales."""

    letter: str
    kind: str
    manner: str = ""
    place: int = 0
    voiced: bool = True
    height: float = 0.0
    back: float = 0.0
    round: float = 0.0
    nasal: bool = False
    long: bool = False

    @property
    def vowel(self) -> bool:
        return self.kind == "vowel"


@cache
def letters() -> dict[str, Sound]:
    """Every letter and affricate that the table knows."""
    return {
        r["letter"]: Sound(
            r["letter"], r["kind"], r["manner"], int(r["place"] or 0), r["voiced"] == "1",
            float(r["height"] or 0), float(r["back"] or 0), float(r["round"] or 0),
        )
        for r in rows("ipa.csv")
    }  # fmt: skip


def clean(text: str) -> str:
    """IPA without stress, ties, tone digits and marks that no table distinguishes."""
    kept = []
    for char in unicodedata.normalize("NFD", text):
        if char == NASAL or char in (LONG, RHOTIC) or char in "".join(letters()):
            kept.append(char)
        elif char == "\u0327" and kept and kept[-1] == "c":  # decomposed cedilla
            kept[-1] = "ç"
    return "".join(kept)


def strangers(text: str) -> str:
    """Letters and digits of a text that are no IPA."""
    known = {
        *"".join(letters()),
        *STRESS,
        *TIES,
        NASAL,
        LONG,
        RHOTIC,
        "ˑ",
        "ʰ",
        "ʷ",
        "ʲ",
        "ˠ",
        "ˤ",
        "ᵝ",
    }
    split = unicodedata.normalize("NFD", text)
    return "".join(c for c in split if c.isalnum() and c not in known)


def stress_of(text: str) -> int:
    """1 primary, 2 secondary, 0 none."""
    return next((STRESS[c] for c in text if c in STRESS), 0)


@cache
def parse(text: str) -> tuple[Sound, ...]:
    """The letters of one sound: one for most, two for a diphthong. Unknown text gives ()."""
    return tuple(_parse(clean(text)))


def _parse(text: str) -> Iterator[Sound]:
    known, i = letters(), 0
    while i < len(text):
        size = 2 if text[i : i + 2] in known else 1
        base = known.get(text[i : i + size])
        i += size
        if base is None:
            continue
        marks = ""
        while i < len(text) and text[i] in (NASAL, LONG, RHOTIC):
            marks += text[i]
            i += 1
        yield Sound(
            base.letter, base.kind, base.manner, base.place, base.voiced, base.height,
            base.back, base.round, NASAL in marks, LONG in marks,
        )  # fmt: skip


def split(token: str, *, diphthongs: frozenset[str]) -> list[str]:
    """Divide a transcriber's token into sounds: `ss` → sː, `ɔːɹ` → ɔ ɹ; known diphthongs stay."""
    sounds = list(parse(token))
    out: list[str] = []
    i = 0
    while i < len(sounds):
        pair = "".join(s.letter for s in sounds[i : i + 2])
        if len(sounds) > i + 1 and pair in diphthongs:
            out.append(pair)
            i += 2
            continue
        sound = sounds[i]
        if len(sounds) > i + 1 and pair == sound.letter * 2 and not sound.vowel:
            out.append(sound.letter + LONG)
            i += 2
            continue
        marks = (NASAL if sound.nasal else "") + (LONG if sound.long else "")
        out.append(unicodedata.normalize("NFC", sound.letter + marks))
        i += 1
    return out


_MANNER = {
    "plosive": 0, "affricate": 1, "fricative": 2, "sibilant": 2.4, "tap": 3.2,
    "trill": 3.6, "lateral": 4.2, "approximant": 4.6, "glide": 5, "nasal": 7,
}  # fmt: skip


def distance(a: Sound, b: Sound) -> float:
    """How unlike two sounds are by feature; 0 for the same letter."""
    if a.kind != b.kind:
        return 20.0
    if a.vowel:
        return abs(a.height - b.height) + 1.2 * abs(a.back - b.back) + abs(a.round - b.round)
    return (
        abs(_MANNER[a.manner] - _MANNER[b.manner])
        + 0.8 * abs(a.place - b.place)
        + 1.5 * (a.voiced != b.voiced)
    )
