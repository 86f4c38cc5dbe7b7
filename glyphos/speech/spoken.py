"""Written words to spoken ones: numbers, times, money, units, abbreviations, initials, symbols.

`data/spoken.json` holds what each language says; languages without an entry leave such words to
the pronunciation engine, which reads numbers by itself.
"""

from __future__ import annotations

import json
import re
import unicodedata
from functools import cache
from importlib.resources import files
from typing import Any

from .languages import base

LETTERS = re.compile(r"[^\W\d_]")
INITIALS = re.compile(r"^(?:[^\W\d_]\.){2,}[^\W\d_]?\.?$")
TIME = re.compile(r"^(\d{1,2})[:h](\d{2})(?::(\d{2}))?\s*([ap]\.?m\.?)?$", re.I)
ORDINAL = re.compile(r"^(\d+)(?:st|nd|rd|th|º|ª|°|er|ère|ème|e)$", re.I)
DECADE = re.compile(r"^'?(\d0|\d{3}0)'?s$")

FRACTION = re.compile(r"^(\d{1,2})/(\d{1,2})$")
RANGE = re.compile(r"^(\d[\d.,]*(?:st|nd|rd|th)?)[–-](\d[\d.,]*(?:st|nd|rd|th)?)$", re.I)
TELEPHONE = re.compile(r"^\+?\d{3}(?:-\d{3})?-\d{4}$")
NUMBER_UNIT = re.compile(r"^([−+-]?\d[\d.,]*)(\D+)$")
ROMAN = {"II": 2, "III": 3, "IV": 4, "VI": 6, "VII": 7, "VIII": 8, "IX": 9, "XI": 11, "XII": 12}
NAMED_FRACTIONS = {2: "half", 4: "quarter"}


@cache
def _tables() -> dict[str, dict[str, Any]]:
    text = (files("glyphos.data") / "spoken.json").read_text(encoding="utf-8")
    tables: dict[str, dict[str, Any]] = json.loads(text)
    return tables


def speak_written(word: str, language: str, *, following: str = "") -> tuple[str, ...]:
    """Spoken words for one written word without its outer punctuation; () if it is not spoken.

    `following` is the next written word: “$5 million” puts the money after the scale.
    """
    table = _tables().get(base(language))
    word = unicodedata.normalize("NFC", word).replace("’", "'").replace("\u00ad", "")
    if table is None:
        return (word,) if any(c.isalnum() for c in word) else ()
    spoken = _Speaker(table, base(language)).say(word, following)
    return tuple(part for part in spoken.replace("-", " ").split() if part)


def abbreviations(language: str) -> frozenset[str]:
    """Abbreviations of a language, in lower case, with their points."""
    table = _tables().get(base(language), {})
    return frozenset(table.get("abbreviations", {}))


def stage_words(language: str) -> frozenset[str]:
    """Words that begin a stage direction between asterisks, in a language or in English."""
    tables = _tables()
    return frozenset({*tables["en"]["stage"], *tables.get(base(language), {}).get("stage", ())})


class _Speaker:
    def __init__(self, table: dict[str, Any], language: str) -> None:
        self.table, self.language = table, language

    def say(self, word: str, following: str) -> str:
        """Try the kinds of writing from the most to the least particular."""
        lower = word.lower()
        known = self.table["abbreviations"].get(lower) or self.table["symbols"].get(word)
        if known:
            return str(known)
        if not any(c.isdigit() for c in word):
            return self._words(word)
        for reader in (self._telephone, self._time, self._money, self._ordinal, self._decade, self._fraction,
                       self._range, self._plain, self._with_unit):  # fmt: skip
            spoken = reader(word, following)
            if spoken is not None:
                return str(spoken)
        return self._mixed(word)

    def _words(self, word: str) -> str:
        if INITIALS.match(word):
            return " ".join(c for c in word.lower() if c.isalpha())
        if word in ROMAN and self.language == "en":
            return self._count(ROMAN[word])
        parts = re.split(r"[-/‐‑_]", word)
        if len(parts) > 1:
            return " ".join(self._words(p) for p in parts if p)
        for symbol, spoken in self.table["symbols"].items():
            if symbol in word:
                return " ".join(self._words(p) for p in word.replace(symbol, f" {spoken} ").split())
        letters = "".join(c for c in word if c.isalpha() or unicodedata.combining(c) or c == "'")
        return letters.strip("'") if word.count("'") != 1 else letters

    def _count(self, value: int | float, kind: str = "cardinal") -> str:
        from num2words import num2words  # slow to import, and many scripts have no numbers

        try:
            text = num2words(value, lang=self.language, to=kind)
        except (NotImplementedError, OverflowError, TypeError):
            text = num2words(value, lang="en", to="cardinal")
        return str(text).replace(",", "")

    def _value(self, text: str) -> str | None:
        """A plain number in the language's own notation as spoken words, or None."""
        sign = ""
        if text[:1] in "−-+":
            sign = {"+": self.table["symbols"]["+"]}.get(text[0], self.table["minus"]) + " "
            text = text[1:]
        whole, _, decimals = text.partition(self.table["decimal"])
        groups = whole.split(self.table["thousands"])
        if len(groups) > 1 and not all(len(g) == 3 for g in groups[1:]):
            return None
        digits = "".join(groups)
        if not digits.isdecimal() or (decimals and not decimals.isdecimal()):
            return None
        if len(digits) > 15 or (len(digits) > 4 and digits[0] == "0"):
            return " ".join(self._count(int(d)) for d in digits)
        value = self._count(int(digits))
        if decimals:
            each = " ".join(self._count(int(d)) for d in decimals)
            value = f"{value} {self.table['point']} {each}"
        return sign + value

    def _plain(self, word: str, _: str) -> str | None:
        if (
            self.language == "en"
            and len(word) == 4
            and word.isdecimal()
            and 1100 <= int(word) < 2100
        ):
            if not 2000 <= int(word) <= 2009 and word[2:] != "00":
                first, last = int(word[:2]), int(word[2:])
                return f"{self._count(first)} {'oh ' if last < 10 else ''}{self._count(last)}"
        if self.language == "en" and word.isdecimal() and word[0] == "0" and len(word) > 1:
            return " ".join("oh" if d == "0" else self._count(int(d)) for d in word)
        return self._value(word)

    def _time(self, word: str, _: str) -> str | None:
        match = TIME.match(word)
        if not match or int(match[1]) > 24 or int(match[2]) > 59:
            return None
        hour, minute = int(match[1]), int(match[2])
        half = " ".join((match[4] or "").replace(".", "").lower())
        if self.language == "en":
            tail = "" if half else " o'clock"
            if minute:
                tail = f" oh {self._count(minute)}" if minute < 10 else f" {self._count(minute)}"
            return f"{self._count(hour)}{tail} {half}"
        join = self.table.get("clock", "")
        return f"{self._count(hour)} {join} {self._count(minute) if minute else ''}"

    def _money(self, word: str, following: str) -> str | None:
        sign = next(
            (s for s in self.table["money"] if word.startswith(s) or word.endswith(s)), None
        )
        if sign is None:
            return None
        one, many, small = self.table["money"][sign]
        amount = word.strip(sign).strip()
        scale = {"k": "thousand", "m": "million", "bn": "billion", "b": "billion"}
        match = re.match(r"^([\d.,]+)(k|m|bn|b)$", amount, re.I)
        if match:
            return f"{self._value(match[1])} {scale[match[2].lower()]} {many}"
        if following.lower().strip(".,!?") in self.table["scales"]:
            return self._value(amount)
        whole, _, cents = amount.partition(self.table["decimal"])
        spoken = self._value(whole)
        if spoken is None:
            return None
        unit = one if whole == "1" else many
        if cents and cents.isdecimal() and int(cents):
            tail = f"{self._count(int(cents.ljust(2, '0')[:2]))} {small}".strip()
            return tail if whole == "0" else f"{spoken} {unit} {self.table.get('and', '')} {tail}"
        return f"{spoken} {unit}"

    def _ordinal(self, word: str, _: str) -> str | None:
        match = ORDINAL.match(word)
        if match is None or (word.endswith("°") and self.language in ("en", "de")):
            return None
        spoken = self._count(int(match[1]), "ordinal")
        if word.endswith("ª") and spoken.endswith("o"):
            spoken = spoken[:-1] + "a"
        return spoken

    def _decade(self, word: str, _: str) -> str | None:
        match = DECADE.match(word)
        if match is None or self.language != "en":
            return None
        spoken = self._plain(match[1], "") or ""
        if len(match[1]) == 2:
            spoken = self._count(int(match[1]))
        return spoken[:-1] + "ies" if spoken.endswith("y") else spoken + "s"

    def _telephone(self, word: str, _: str) -> str | None:
        if not TELEPHONE.match(word):
            return None
        return " ".join(self._count(int(d)) for d in word if d.isdecimal())

    def _fraction(self, word: str, _: str) -> str | None:
        match = FRACTION.match(word)
        if match is None or self.language != "en" or int(match[2]) < 2:
            return None
        top, bottom = int(match[1]), int(match[2])
        name = NAMED_FRACTIONS.get(bottom) or self._count(bottom, "ordinal")
        plural = ("halves" if bottom == 2 else name + "s") if top != 1 else name
        return f"{self._count(top)} {plural}"

    def _range(self, word: str, _: str) -> str | None:
        match = RANGE.match(word)
        if match is None:
            return None
        sides = [self._ordinal(side, "") or self._plain(side, "") for side in match.groups()]
        return f"{sides[0]} {self.table['to']} {sides[1]}" if all(sides) else None

    def _with_unit(self, word: str, _: str) -> str | None:
        if word.startswith("#"):
            value = self._value(word[1:])
            return f"{self.table['number']} {value}" if value else None
        match = NUMBER_UNIT.match(word)
        if match is None:
            return None
        value = self._plain(match[1].rstrip(".,"), "")
        unit = match[2].lower()
        name = self.table["units"].get(unit) or self.table["symbols"].get(unit)
        return f"{value} {name}" if value and name else None

    def _mixed(self, word: str) -> str:
        """Letters and digits run together: each run by itself, capitals letter by letter."""
        spoken = []
        for run in re.findall(r"\d+|[^\W\d_]+|[^\w\s]", word):
            if run.isdecimal():
                spoken.append(self._plain(run, "") or "")
            elif run.isalpha():
                spoken.append(" ".join(run.lower()) if run.isupper() else run)
            else:
                spoken.append(self.table["symbols"].get(run, ""))
        return " ".join(spoken)


def following_scale(previous: str, word: str, language: str) -> tuple[str, ...] | None:
    """Spoken form of a scale word after a sum of money (“million” in “$5 million”)."""
    table = _tables().get(base(language))
    if table is None or word.lower() not in table["scales"]:
        return None
    names = next((n for s, n in table["money"].items() if previous.startswith(s)), None)
    return (word.lower(), names[1]) if names else None
