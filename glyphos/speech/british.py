"""British English from the American dictionary: its words, said as the pronunciation engine says them in Britain.

The dictionary knows which words there are and how many ways to say each; the engine knows which of them have the vowel
of *lot*, *cloth*, *bath*, *marry* or *hurry* (Wells 1982, Accents of English, the lexical sets), which no rule tells
from American sounds. Both are laid beside each other, sound by sound: consonants are the dictionary's, vowels the
engine's where Britain has them for these, else by rule. An r that no vowel follows is not said; at the end of a word it
is, where the next one begins with a vowel.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache

from . import espeak, ipa
from .phones import Unit, from_ipa, nearest

Units = tuple[Unit, ...]
ENGINE = "en-gb-x-rp"  # what it says in Britain is southern
# American vowels, what they may be in Britain, and what they are where nothing else is known: stressed, unstressed,
# and before an r that is not said
VOWELS = {
    "ɑ": ("ɒ ɑː ɔː æ", "ɑː", "ɑː", "ɑː"), "æ": ("æ ɑː ə", "æ", "æ", "æ"), "ʌ": ("ʌ ɒ ʊ ə", "ʌ", "ə", "ʌ"),
    "ə": ("ə ɪ ʌ ʊ i ɒ", "ə", "ə", "ə"), "ɔ": ("ɔː ɒ", "ɔː", "ɔː", "ɔː"), "aʊ": ("aʊ", "aʊ", "aʊ", "aʊ"),
    "aɪ": ("aɪ", "aɪ", "aɪ", "aɪ"), "ɛ": ("ɛ eə æ ə ɪ", "ɛ", "ɛ", "eə"), "ɝ": ("ɜː ʌ ɪ ɒ ɛ ɑː", "ɜː", "ɜː", "ɜː"),
    "ɚ": ("ə ɜː ʌ", "ə", "ə", "ə"), "eɪ": ("eɪ ɑː", "eɪ", "eɪ", "eə"), "ɪ": ("ɪ i iː ɪə ə", "ɪ", "ɪ", "ɪə"),
    "i": ("iː i ɪ ɪə ɛ", "iː", "i", "ɪə"), "oʊ": ("əʊ ɔː", "əʊ", "əʊ", "ɔː"), "ɔɪ": ("ɔɪ", "ɔɪ", "ɔɪ", "ɔɪ"),
    "ʊ": ("ʊ ʊə ɔː uː", "ʊ", "ʊ", "ʊə"), "u": ("uː ʊ ʊə u", "uː", "uː", "ʊə"),
}  # fmt: skip
# How the engine writes sounds, and how listening does; first what is one sound in Britain alone
JOINED = {"iə": "ɪə", "uə": "ʊə", "ɛə": "eə"}
WRITTEN = {"a": "æ", "ɐ": "ə", "ᵻ": "ɪ", "o": "ɒ", "ɜ": "ɜː", "ɾ": "t", "ʔ": "t"}
MODERN = {("i", "ɪ"): "i", ("ə", "ʌ"): "ə"}  # as “cities” and “syrup” are said by now
# Stand-ins of the model that are nearer than those of all languages: it has no r
MODEL = {"ɜː": ("AH",)}
CENTRING = ("ɪə", "eə", "ʊə")
HAPPY = Unit("ɪ", 0, nearest("ɪ"))  # at the end of “happy” the engine says it as of old
YOD = frozenset("tdnszlθ")  # behind which Britain says the j of “tune”
# What it costs where both are laid beside each other
OTHER_VOWEL, OTHER, NEVER, GONE, QUIET = 0.8, 1.6, 3.0, 1.0, 0.1
UNLIKE = 0.75  # from which on the engine knows another way to say a word, of which the recording may tell


@dataclass(frozen=True)
class Said:
    """A unit, and whether it is as in Britain already."""

    unit: Unit
    settled: bool


_heard: dict[str, Units] = {}


def learn(words: Iterable[str]) -> None:
    """Ask how words are said in Britain, all at once."""
    new = tuple(dict.fromkeys(w for w in words if w not in _heard))
    if new:
        for word, said in zip(new, espeak.phonemes(ENGINE, new), strict=True):
            units = [*as_listened(said)]
            if units and units[-1] == HAPPY:
                units[-1] = Unit("i", 0, _model("i"))
            _heard[word] = tuple(units)


def heard(word: str) -> Units:
    """A word as the engine says it in Britain."""
    learn([word])
    return _heard[word]


def as_listened(said: str) -> Units:
    """Sounds in the engine's IPA as listening writes them."""
    for apart, together in JOINED.items():
        said = said.replace(apart, together)
    sounds = ((WRITTEN.get(u.ipa, u.ipa), u.stress) for u in from_ipa(said))
    return tuple(Unit(sound, stress, _model(sound)) for sound, stress in sounds)


def british(word: str, american: Sequence[Units]) -> tuple[Units, ...]:
    """Ways to say a word of the dictionary, as in Britain, without an r that only a vowel of the next word brings."""
    theirs = heard(word)
    beside = [_beside(units, theirs) for units in american]
    made = [tuple(_without_r(list(_settled(pairs)))) for _, pairs in beside]
    if theirs and min((cost for cost, _ in beside), default=0.0) > UNLIKE:
        made.append(tuple(_without_r([Said(unit, True) for unit in theirs])))
    alike = {tuple((u.ipa, u.stress) for u in units): units for units in reversed(made) if units}
    return tuple(reversed(alike.values()))


def with_r(units: Units) -> Units:
    """A word before a vowel."""
    return (*units, Unit("ɹ", 0, _model("ɹ")))


def ends_in_r(american: Sequence[Units]) -> bool:
    """Whether a word has an r at its end, where one follows that begins with a vowel."""
    return any(units and units[-1].ipa in ("ɹ", "ɝ", "ɚ") for units in american)


def begins_with_vowel(ways: Sequence[Units]) -> bool:
    return any(units and is_vowel(units[0].ipa) for units in ways)


def _model(sound: str) -> tuple[str, ...]:
    return MODEL.get(sound) or nearest(sound)


@cache
def is_vowel(sound: str) -> bool:
    return bool(ipa.parse(sound)) and ipa.parse(sound)[0].vowel


@cache
def _may_be(sound: str) -> frozenset[str]:
    return frozenset(VOWELS[sound][0].split()) if sound in VOWELS else frozenset()


def _fits(ours: Unit, theirs: Unit) -> bool:
    """Whether a vowel of Britain may be that of America; one that is stressed is none that cannot be."""
    return theirs.ipa in _may_be(ours.ipa) and not (ours.stress and theirs.ipa == "ə")


def _settled(pairs: Sequence[tuple[Unit | None, Unit | None]]) -> Iterator[Said]:
    """What of both is said, r and all."""
    last: Said | None = None
    for ours, theirs in pairs:
        said: Said | None = None
        if ours is None:
            assert theirs is not None
            if last is None:
                continue
            yod = theirs.ipa == "j" and last.unit.ipa in YOD
            if yod or (theirs.ipa == "ɹ" and last.settled and is_vowel(last.unit.ipa)):
                said = Said(theirs, True)
        elif not is_vowel(ours.ipa):
            if ours.ipa != "h" or theirs is not None:  # that of “which” is American
                said = Said(ours, True)
        elif theirs is not None and _fits(ours, theirs):
            sound = MODERN.get((ours.ipa, theirs.ipa), theirs.ipa)
            said = Said(Unit(sound, ours.stress, _model(sound)), True)
        elif theirs is None and ours.ipa == "ə" and last is not None and last.unit.ipa in CENTRING:
            continue  # it is the end of that
        else:
            said = Said(ours, False)
        if said is not None:
            last = said
            yield said


def _without_r(said: Sequence[Said]) -> Iterator[Unit]:
    """The units of a word, r only before vowels; what is not settled becomes so by rule."""

    def vowel_at(k: int) -> bool:
        return k < len(said) and is_vowel(said[k].unit.ipa)

    for k, each in enumerate(said):
        unit = each.unit
        if unit.ipa == "ɹ" and not vowel_at(k + 1):
            continue
        silent = k + 1 < len(said) and said[k + 1].unit.ipa == "ɹ" and not vowel_at(k + 2)
        if each.settled or unit.ipa not in VOWELS:
            yield unit
            if silent and unit.ipa in ("aɪ", "aʊ"):  # “fire”, “hour”
                yield Unit("ə", 0, _model("ə"))
            continue
        _, stressed, unstressed, before_r = VOWELS[unit.ipa]
        sound = before_r if silent else stressed if unit.stress else unstressed
        yield Unit(sound, unit.stress, _model(sound))
        if unit.ipa in ("ɝ", "ɚ") and vowel_at(k + 1):
            yield Unit("ɹ", 0, _model("ɹ"))


def _beside(ours: Units, theirs: Units) -> tuple[float, list[tuple[Unit | None, Unit | None]]]:
    """Both beside each other at the least cost, and that."""
    best: dict[tuple[int, int], tuple[float, tuple[int, int]]] = {(0, 0): (0.0, (0, 0))}
    for i in range(len(ours) + 1):
        for j in range(len(theirs) + 1):
            ways = []
            if i and j:
                ways.append(
                    (best[i - 1, j - 1][0] + _unlike(ours[i - 1], theirs[j - 1]), (i - 1, j - 1))
                )
            if i:
                ways.append((best[i - 1, j][0] + _gone(ours, i - 1), (i - 1, j)))
            if j:
                more = QUIET if theirs[j - 1].ipa in ("ɹ", "j") else GONE
                ways.append((best[i, j - 1][0] + more, (i, j - 1)))
            if ways:
                best[i, j] = min(ways)
    pairs: list[tuple[Unit | None, Unit | None]] = []
    at = (len(ours), len(theirs))
    while at != (0, 0):
        before = best[at][1]
        pairs.append(
            (
                ours[before[0]] if before[0] < at[0] else None,
                theirs[before[1]] if before[1] < at[1] else None,
            )
        )
        at = before
    return best[len(ours), len(theirs)][0], pairs[::-1]


def _unlike(ours: Unit, theirs: Unit) -> float:
    if is_vowel(ours.ipa) != is_vowel(theirs.ipa):
        return NEVER
    if is_vowel(ours.ipa):
        return 0.0 if _fits(ours, theirs) else OTHER_VOWEL
    return 0.0 if ours.ipa == theirs.ipa else OTHER


def _gone(ours: Units, k: int) -> float:
    """What it costs that Britain does not say a sound."""
    after = ours[k - 1].ipa if k else ""
    quiet = ours[k].ipa in ("ɹ", "h") or (ours[k].ipa == "ə" and after in ("i", "ɪ", "u", "ʊ"))
    return QUIET if quiet else GONE
