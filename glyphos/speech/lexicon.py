"""How words are pronounced: a production's own lexicon, the dictionary, then letters to sounds.

Every pronunciation says where it came from. The user's lexicon is a plain CMUdict-style file: a
word, spaces, its sounds in the dictionary's alphabet; a line a pronunciation; `;;;` comments.
Words of other languages, or with IPA between slashes (`ciao /tʃao/`), may stand in it as well.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import DocumentError
from . import british, espeak, exclaimed, ipa
from .dictionary import english_dictionary
from .languages import british as in_britain
from .languages import english
from .phones import Unit, from_dictionary, from_ipa, to_dictionary

if TYPE_CHECKING:
    from .script import ScriptWord

Units = tuple[Unit, ...]
MOST_ALTERNATIVES = 6
LINKED = 3  # of them, that are said with an r before a vowel, too
VOICELESS = frozenset(["P", "T", "K", "F", "TH"])
HISSING = frozenset(["S", "Z", "SH", "ZH", "CH", "JH"])
VARIANT_NUMBER = re.compile(r"\(\d+\)$")


@dataclass(frozen=True)
class Pronounced:
    """Alternatives for one written word, the likeliest first, and where they came from."""

    alternatives: tuple[Units, ...]
    source: str


@dataclass(frozen=True)
class Lexicon:
    """Words (lower case) to their own pronunciations, before the dictionary's."""

    entries: Mapping[str, tuple[Units, ...]] = field(default_factory=dict)

    def with_entry(self, word: str, units: Units) -> Lexicon:
        """A lexicon in which `word` is said with `units` first."""
        key = word.lower()
        others = tuple(u for u in self.entries.get(key, ()) if u != units)
        return Lexicon({**self.entries, key: (units, *others)})

    def without(self, word: str) -> Lexicon:
        """A lexicon that leaves `word` to the dictionary."""
        return Lexicon({k: v for k, v in self.entries.items() if k != word.lower()})

    def text(self) -> str:
        """The lexicon as a text file."""
        lines = [";;; word, then its sounds (CMUdict alphabet, or IPA between slashes)"]
        for word, variants in sorted(self.entries.items()):
            lines += [f"{word}  {_written(units)}" for units in variants]
        return "\n".join(lines) + "\n"


def _written(units: Units) -> str:
    plain = to_dictionary(units)
    try:
        same = [u.ipa for u in from_dictionary(plain.split())] == [u.ipa for u in units]
    except ValueError:
        same = False
    if same:
        return plain
    marks = {1: "ˈ", 2: "ˌ"}
    return "/" + " ".join(marks.get(u.stress, "") + u.ipa for u in units) + "/"


def parse_lexicon(text: str, *, name: str = "The lexicon") -> Lexicon:
    """Read a lexicon file; DocumentError names the line that cannot be understood."""
    entries: dict[str, tuple[Units, ...]] = {}
    for number, line in enumerate(text.splitlines(), 1):
        line = line.split(";;;")[0].strip()
        if not line:
            continue
        word, *rest = line.split(None, 1)
        sounds = rest[0] if rest else ""
        word = VARIANT_NUMBER.sub("", word.lower())
        try:
            units = parse_pronunciation(sounds)
        except ValueError as error:
            raise DocumentError(f"{name}, line {number}: {error}.") from None
        entries[word] = (*entries.get(word, ()), units)
    return Lexicon(entries)


def read_lexicon_file(path: str | Path) -> Lexicon:
    """Read a lexicon file; DocumentError says what is wrong with it."""
    path = Path(path)
    try:
        return parse_lexicon(path.read_text(encoding="utf-8-sig"), name=path.name)
    except OSError as error:
        raise DocumentError(f"{path} cannot be read: {error.strerror}.") from None
    except UnicodeDecodeError:
        raise DocumentError(f"{path.name} is not in UTF-8; save it as UTF-8 text.") from None


def parse_pronunciation(text: str) -> Units:
    """Sounds typed by a person, in the dictionary's alphabet or as IPA between slashes."""
    text = text.strip()
    if text.startswith("/") and text.endswith("/") and len(text) > 2:
        if strange := ipa.strangers(text):
            raise ValueError(f"“{strange}” is no speech sound of the IPA")
        units = from_ipa(text[1:-1])
    else:
        units = from_dictionary(text.upper().split())
    if not units:
        raise ValueError("a word needs at least one sound")
    return units


def vocabulary() -> Collection[str]:
    """Every word of the English dictionary."""
    return english_dictionary().keys()


def pronunciations_of(word: str) -> list[list[str]]:
    """The English dictionary's pronunciations of a word, as its own symbols."""
    return [sounds.split() for sounds in english_dictionary().get(word.lower(), [])]


def pronounce(
    words: Sequence[ScriptWord], *, language: str, lexicon: Lexicon | None = None
) -> list[Pronounced]:
    """Pronunciations of written words, asking the pronunciation engine once for all the rest."""
    lexicon = lexicon or Lexicon()
    wanted: dict[str, list[str]] = {}
    coded = [(word, word.language or language) for word in words]
    british.learn(p.lower() for word, code in coded if in_britain(code) for p in word.spoken)
    for word, code in coded:
        for part in (*word.spoken, *([word.begins] if word.begins else ())):
            if not _known(part, code, lexicon):
                wanted.setdefault(code, []).extend(exclaimed.spellings(part))
    spelled = {
        (code, part): units
        for code, parts in wanted.items()
        for part, units in zip(parts, _by_letters(code, parts), strict=True)
    }
    made = [_pronounce(word, code, lexicon, spelled) for word, code in coded]
    for k, (word, code) in enumerate(coded[:-1]):
        if in_britain(code) and _links(word, made[k], made[k + 1]):
            ways = made[k].alternatives
            made[k] = replace(made[k], alternatives=(*ways, *map(british.with_r, ways[:LINKED])))
    return made


def _by_letters(code: str, parts: Sequence[str]) -> list[Units]:
    if in_britain(code):
        british.learn(parts)
        return [british.heard(part) for part in parts]
    return [from_ipa(ipa) for ipa in espeak.phonemes(code, tuple(parts))]


def _links(word: ScriptWord, said: Pronounced, after: Pronounced) -> bool:
    """Whether a British word may get an r from the next one; the recording decides."""
    american = _american(word.spoken[-1].lower()) if word.spoken and not word.begins else ()
    return (
        said.source == "dictionary"
        and british.ends_in_r(american)
        and british.begins_with_vowel(after.alternatives)
    )


def read_out(word: ScriptWord, language: str) -> str:
    """A word as a voice that reads text is given it: cries and stammers as their sounds (`espeak.in_letters`), drawn-out
    words as they are usually written, all else as it is spoken."""
    code = word.language or language
    spoken = list(word.spoken)
    if word.begins:
        (piece,) = pronounce([word], language=language)
        return espeak.in_letters(piece.alternatives[0])
    if exclaimed.stammers(spoken, lambda p: bool(_in_dictionary(p, code))):
        (whole,) = pronounce([replace(word, spoken=word.spoken[-1:])], language=language)
        begun = [exclaimed.begun(piece, whole.alternatives[0])[0] for piece in spoken[:-1]]
        return " ".join([*(espeak.in_letters(units) for units in begun), spoken[-1]])
    for k, part in enumerate(spoken):
        if _in_dictionary(part.lower(), code):
            continue
        if cry := exclaimed.cry(part, english=english(code)):
            longer = ":" * min(exclaimed.lasting(part), 4) if len(cry[0]) == 1 else ""
            spoken[k] = espeak.in_letters(cry[0], longer=longer)
        elif (usual := exclaimed.spellings(part)) != (part,):
            spoken[k] = next((s for s in usual if _in_dictionary(s, code)), usual[0])
    return " ".join(spoken)


def offered_pronunciations(
    text: str, *, language: str, lexicon: Lexicon | None = None
) -> list[tuple[Units, str]]:
    """Ways to say a written word, each with where it comes from, to choose from."""
    from .script import parse_script

    lexicon = lexicon or Lexicon()
    words = [w for p in parse_script(text, language=language) for w in p.words]
    found: dict[tuple[tuple[str, ...], ...], tuple[Units, str]] = {}
    for variants, source in (
        (lexicon.entries.get(text.lower(), ()), "lexicon"),
        (pronounce(words[:1], language=language)[0].alternatives, ""),
        (_spelled(words[0], language), "letters"),
    ):
        for units in variants:
            if units:
                alike = tuple((*u.model, str(u.stress)) for u in units)
                named = source or ("dictionary" if english(language) else "letters")
                found.setdefault(alike, (units, named))
    return list(found.values())


def _spelled(word: ScriptWord, language: str) -> tuple[Units, ...]:
    return (from_ipa(" ".join(espeak.phonemes(language, (" ".join(word.spoken),)))),)


def _known(part: str, code: str, lexicon: Lexicon) -> tuple[tuple[Units, ...], str] | None:
    key = part.lower()
    if len(part) > 2 and part[0] == part[-1] == "/":
        return (from_ipa(part[1:-1]),), "script"
    if key in lexicon.entries:
        return lexicon.entries[key], "lexicon"
    found = _in_dictionary(key, code)
    cry = exclaimed.cry(part, english=english(code))
    if cry and (not found or len(set(key)) == 1 < len(key)):  # it has “aaa” for batteries
        found = cry
    elif cry and not exclaimed.VOWELS & set(key):
        found = tuple(dict.fromkeys((*found, *cry)))
    if not found:  # drawn out; at its end two letters are enough, if there is a word with one
        shortest = 2 if english(code) else exclaimed.DRAWN_OUT
        usual = exclaimed.spellings(part, shortest)
        meant = [lexicon.entries.get(s) or _in_dictionary(s, code) for s in usual]
        found = tuple(variant for variants in meant for variant in variants)
    return (found, "dictionary") if found else None


def _in_dictionary(key: str, code: str) -> tuple[Units, ...]:
    if not english(code):
        return ()
    american = _american(key)
    return british.british(key, american) if american and in_britain(code) else american


def _american(key: str) -> tuple[Units, ...]:
    """What the dictionary says of a word."""
    written = english_dictionary().get(key) or english_dictionary().get(key.strip("'"))
    if written:
        return tuple(from_dictionary(sounds.split()) for sounds in written)
    return _possessive(key)


def _possessive(key: str) -> tuple[Units, ...]:
    stem = key.removesuffix("'s") if key.endswith("'s") else key.removesuffix("'")
    if stem == key or stem not in english_dictionary():
        return ()
    made = []
    for sounds in english_dictionary()[stem]:
        last = sounds.split()[-1].rstrip("012")
        tail = ["IH0", "Z"] if last in HISSING else ["S"] if last in VOICELESS else ["Z"]
        made.append(from_dictionary([*sounds.split(), *(tail if key.endswith("s") else [])]))
    return tuple(made)


def _pronounce(
    word: ScriptWord, code: str, lexicon: Lexicon, spelled: Mapping[tuple[str, str], Units]
) -> Pronounced:
    whole = lexicon.entries.get(word.text.lower())
    if whole:
        return Pronounced(whole, "lexicon")
    if word.begins:  # a letter by its name, or only begun: the recording decides
        after = replace(word, text=word.begins, spoken=(word.begins,), begins="")
        said = _pronounce(after, code, lexicon, spelled)
        name = _pronounce(replace(word, begins=""), code, lexicon, spelled)
        ways = exclaimed.begun(word.text, said.alternatives[0])
        return Pronounced((*ways, *name.alternatives), said.source)
    sources, parts = [], []
    for part in word.spoken:
        known = _known(part, code, lexicon)
        letters = tuple(spelled.get((code, s), ()) for s in exclaimed.spellings(part))
        variants, source = known or (letters, "letters")
        sources.append(source)
        parts.append(tuple(v for v in variants if v) or ((),))
    if exclaimed.stammers(word.spoken, lambda p: bool(_in_dictionary(p, code))):
        # A letter may be its name after all, as in “D-Day”: the recording decides
        parts[:-1] = [
            (*exclaimed.begun(piece, parts[-1][0]), *(named if len(piece) == 1 else ()))
            for named, piece in zip(parts[:-1], word.spoken[:-1], strict=True)
        ]
        sources = sources[-1:]
    made = [_join(choice) for choice in itertools.islice(itertools.product(*parts), 24)]
    if len(word.spoken) > 2 and "and" in word.spoken:  # "two hundred (and) five"
        kept = [p for p, s in zip(parts, word.spoken, strict=True) if s != "and"]
        made.insert(1, _join(tuple(p[0] for p in kept)))
    unique = tuple(dict.fromkeys(m for m in made if m))[:MOST_ALTERNATIVES]
    worst = max(
        sources, key=("dictionary", "lexicon", "script", "letters").index, default="letters"
    )
    return Pronounced(unique or ((Unit("ə", 0, ("AH",)),),), worst)


def _join(choice: tuple[Units, ...]) -> Units:
    return tuple(unit for units in choice for unit in units)
