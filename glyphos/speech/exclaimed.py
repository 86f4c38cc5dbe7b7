"""Words as people write what is called out: drawn out (“Nooooo!”), cries (“Shhh”, “Grrr”, “hahaha”), stammers (“th-that”).

No dictionary has them, and letters to sounds spells them out. A drawn-out word is the word with fewer of the letters
that are repeated; a cry is in `data/cries.csv` or said as its consonants stand; a stammer begins the word after it.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Sequence
from functools import cache

from ..tables import rows
from . import ipa
from .phones import Unit, from_dictionary

Units = tuple[Unit, ...]
RUN = re.compile(r"([^\W\d_])\1+")
DRAWN_OUT = 3  # letters in a row
MOST_SPELLINGS = 8
LAUGH = re.compile(r"^(mwa|mua|bwa|bua|a|e|o|u)?((?:h[aeiou]){2,}|(?<=[aeou])h[aeiou])h?$")
LAUGHED = {"a": "AA1", "e": "EH1", "i": "IY1", "o": "OW1", "u": "AH1"}
BEFORE_LAUGH = {"mwa": "M W AA1", "mua": "M W AA1", "bwa": "B W AA1", "bua": "B W AA1", "a": "AH0", "e": "EH0",
                "o": "OW1", "u": "AH0"}  # fmt: skip
VOWELS = frozenset("aeiouy")
CONSONANTS = {
    "sh": "SH", "ch": "CH", "th": "TH", "ng": "NG", "ph": "F", "b": "B", "c": "K", "d": "D", "f": "F", "g": "G", "h": "HH",
    "j": "JH", "k": "K", "l": "L", "m": "M", "n": "N", "p": "P", "q": "K", "r": "R", "s": "S", "t": "T", "v": "V", "w": "W",
    "x": "K S", "z": "Z",
}  # fmt: skip
TWO_LETTERS = re.compile(r"sh|ch|th|wh|ph|ck|gh|kn|wr|qu|\w")
LONGEST_STAMMER = 4  # letters
SCHWA = Unit("ə", 0, ("AH",))


def cry(part: str, *, english: bool = True) -> tuple[Units, ...]:
    """Ways to say a cry, likeliest first; none if it is no cry. english: other languages share only those without
    vowels, and laughing."""
    low = part.lower()
    key = RUN.sub(r"\1", low)
    longest = lasting(part) + 1
    if len(part) < 2 or (part.isupper() and longest == 1):  # a letter, initials
        return ()
    if not english and VOWELS & set(key) and not re.match("(h[aeiou]){2}", key):
        return ()
    if _one_letter(part) and key in VOWELS:
        return _cries()[key] if longest > DRAWN_OUT or not part.isupper() else ()
    for written in (RUN.sub(r"\1\1", low), key):  # “oof” is not “of”
        if written in _cries():
            return _cries()[written]
    if laugh := LAUGH.match(key):
        sounds = [BEFORE_LAUGH[laugh[1]]] if laugh[1] else []
        sounds += [f"HH {LAUGHED[vowel]}" for vowel in laugh[2][1::2]]
        return (from_dictionary(" ".join(sounds).split()),)
    if longest < DRAWN_OUT or VOWELS & set(key) or _one_letter(part):
        return ()
    return _consonants(key)


def spellings(part: str, shortest: int = DRAWN_OUT) -> tuple[str, ...]:
    """The usual ways to write a drawn-out word, in lower case; itself alone if it is not drawn out. shortest: letters
    in a row at its end that make it one."""
    key = part.lower()
    long = [
        m
        for m in RUN.finditer(key)
        if len(m[0]) >= (shortest if m.end() == len(key) else DRAWN_OUT)
    ]
    if not long or (_one_letter(part) and part.isupper() and len(part) <= DRAWN_OUT):
        return (part,)
    made = []
    for counts in itertools.islice(itertools.product((1, 2), repeat=len(long)), MOST_SPELLINGS):
        written, at = "", 0
        for run, count in zip(long, counts, strict=True):
            written += key[at : run.start()] + run[1] * count
            at = run.end()
        made.append(written + key[at:])
    return tuple(made)


def _one_letter(part: str) -> bool:
    return len(set(part.lower())) == 1 and len(part) > 1


def lasting(part: str) -> int:
    """How many letters more than one stand in its longest row of the same."""
    return max((len(m[0]) for m in RUN.finditer(part.lower())), default=1) - 1


def stammers(pieces: Sequence[str], known: Callable[[str], bool]) -> bool:
    """Whether all pieces but the last only begin it. known: whether a piece is a word by itself."""
    *before, last = pieces
    return bool(before) and all(
        _begins(p, last) and (not _vowels(p) or not known(p.lower())) for p in before
    )


def stammered(piece: str, word: str) -> bool:
    """Whether consonants that were broken off begin a word."""
    return piece.isalpha() and not _vowels(piece) and _begins(piece, word)


def _begins(piece: str, word: str) -> bool:
    return (
        len(piece) <= LONGEST_STAMMER
        and len(piece) < len(word)
        and word.lower().startswith(piece.lower())
    )


def _vowels(piece: str) -> frozenset[str]:
    return VOWELS & set(piece.lower().lstrip("y"))


def begun(piece: str, whole: Units) -> tuple[Units, ...]:
    """Ways to say a piece that begins a word with these sounds: as many of them as it has letters, after consonants
    alone with a short vowel or without."""
    letters = TWO_LETTERS.findall(piece.lower())
    sounds = whole[: max(1, len(letters))]
    if _vowels(piece):
        return (sounds,)
    consonants = tuple(itertools.takewhile(lambda u: not _vowel(u), sounds))
    return ((*consonants, SCHWA), consonants) if consonants else (whole[:1],)


def _vowel(unit: Unit) -> bool:
    return any(s.vowel for s in ipa.parse(unit.ipa))


@cache
def _cries() -> dict[str, tuple[Units, ...]]:
    return {
        r["cry"]: tuple(from_dictionary(s.split()) for s in r["sounds"].split(";"))
        for r in rows("cries.csv")
    }


def _consonants(key: str) -> tuple[Units, ...]:
    found = re.findall(r"sh|ch|th|ng|ph|.", key)
    if any(f not in CONSONANTS for f in found):
        return ()
    return (from_dictionary(" ".join(CONSONANTS[f] for f in found).split()),)
