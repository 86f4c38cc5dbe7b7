"""Language codes, in every way people write them: `en`, `en-us`, `en_US`."""

from __future__ import annotations

import unicodedata

from ..errors import LanguageError


def normal(code: str) -> str:
    """A code in lower case with hyphens."""
    return code.strip().lower().replace("_", "-")


def base(code: str) -> str:
    """The language itself, without a country: `en` of `en_US`."""
    return normal(code).split("-")[0]


def english(code: str) -> bool:
    """Whether it is a kind of English."""
    return base(code) == "en"


# Kinds of English that say no r at the end (Wells 1982, Accents of English)
PLACES = frozenset(("gb", "uk", "au", "nz", "za"))
RHOTIC = "scotland"


def british(code: str) -> bool:
    """Whether it is a kind of English that is said as in the south of Britain."""
    first, *others = normal(code).split("-")
    return first == "en" and not PLACES.isdisjoint(others) and RHOTIC not in others


# Writing systems other than Latin, by their names in Unicode (ISO 15924 has the same), of languages that use them.
WRITINGS = {
    "CYRILLIC": "ru uk be bg mk sr kk ky tt ba cv mn tg", "GREEK": "el grc", "HEBREW": "he yi", "ARABIC": "ar fa ur sd ug ku",
    "DEVANAGARI": "hi mr ne sa kok", "BENGALI": "bn as bpy", "GURMUKHI": "pa", "GUJARATI": "gu", "ORIYA": "or", "TAMIL": "ta",
    "TELUGU": "te", "KANNADA": "kn", "MALAYALAM": "ml", "SINHALA": "si", "THAI": "th", "MYANMAR": "my shn", "GEORGIAN": "ka",
    "ARMENIAN": "hy hyw", "ETHIOPIC": "am", "HANGUL": "ko", "HIRAGANA": "ja", "KATAKANA": "ja", "CJK": "ja zh cmn yue hak ko",
}  # fmt: skip


def strange(text: str, code: str) -> bool:
    """Whether most letters of a text are of a writing that its language does not use; Latin is never strange."""
    known = letters = 0
    for letter in filter(str.isalpha, text):
        writing = unicodedata.name(letter, "").partition(" ")[0]
        letters += 1
        known += base(code) in WRITINGS.get(writing, base(code)).split()
    return known * 2 < letters


def check_letters(text: str, code: str) -> None:
    """LanguageError, one sentence, for a text in the letters of another language."""
    if strange(text, code):
        shown = text.strip() if len(text.strip()) <= 24 else text.strip()[:23].rstrip() + "…"
        raise LanguageError(
            f"“{shown}” is not written in letters of “{normal(code)}”; choose the language that it is in."
        )
