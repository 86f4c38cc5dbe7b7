"""Between IPA, as shown and written, and the phones that the acoustic model knows."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from ..tables import rows
from . import ipa


@dataclass(frozen=True)
class Unit:
    """One sound to be found: IPA as shown, stress (0, 1, 2) and its stand-ins in the model."""

    ipa: str
    stress: int
    model: tuple[str, ...]


@cache
def _stand_ins() -> dict[str, tuple[str, ...]]:
    return {r["ipa"]: tuple(r["model"].split()) for r in rows("model_phones.csv")}


@cache
def _spellings() -> dict[tuple[str, bool], str]:
    table: dict[tuple[str, bool], str] = {}
    for row in rows("model_phones.csv"):
        if row["back"] == "yes":
            table.setdefault((row["model"], True), row["ipa"])
            table.setdefault((row["model"], False), row["ipa"])
        elif row["back"] == "unstressed":
            table[row["model"], False] = row["ipa"]
    return table


@cache
def diphthongs() -> frozenset[str]:
    """Two-letter vowels that count as one sound."""
    two = {r["ipa"] for r in rows("model_phones.csv") if len(ipa.parse(r["ipa"])) == 2}
    return frozenset(two)


def from_dictionary(symbols: list[str] | tuple[str, ...]) -> tuple[Unit, ...]:
    """Units of a dictionary pronunciation such as `M EY1 B AH0 L`; ValueError on an unknown one."""
    units = []
    for symbol in symbols:
        phone, digit = symbol.rstrip("012"), symbol[-1:]
        stress = int(digit) if digit in "012" else 0
        spelling = _spellings().get((phone, stress != 0))
        if spelling is None:
            raise ValueError(f"{symbol} is not a sound of the dictionary's alphabet")
        units.append(Unit(spelling, stress, (phone,)))
    return tuple(units)


def model_spelling(phone: str) -> str:
    """IPA of a model phone such as `AA`."""
    return _spellings().get((phone, True)) or _spellings().get((phone, False), "ə")


def to_dictionary(units: tuple[Unit, ...]) -> str:
    """The dictionary spelling of units, stress digits on vowels."""
    out = []
    for unit in units:
        vowel = bool(ipa.parse(unit.ipa)) and ipa.parse(unit.ipa)[0].vowel
        out.append(" ".join(unit.model) + (str(unit.stress) if vowel else ""))
    return " ".join(out)


def from_ipa(text: str) -> tuple[Unit, ...]:
    """Units of a transcription with `_` or spaces between sounds (stress marks before vowels)."""
    units: list[Unit] = []
    for token in text.replace(" ", "_").split("_"):
        stress = ipa.stress_of(token)
        for sound in ipa.split(token, diphthongs=diphthongs()):
            vowel = ipa.parse(sound)[0].vowel
            units.append(Unit(sound, stress if vowel else 0, nearest(sound)))
    return tuple(units)


@cache
def nearest(sound: str) -> tuple[str, ...]:
    """Model phones for one IPA sound: the table's, else the nearest by features."""
    table = _stand_ins()
    if sound in table:
        return table[sound]
    letters = ipa.parse(sound)
    if not letters:
        return ("SIL",)
    plain = "".join(s.letter for s in letters)
    if plain in table:
        return table[plain]
    if len(letters) > 1:
        return tuple(m for s in letters for m in nearest(s.letter))
    single = {k: ipa.parse(k)[0] for k in table if len(ipa.parse(k)) == 1}
    best = min(single, key=lambda k: ipa.distance(letters[0], single[k]))
    return table[best]
