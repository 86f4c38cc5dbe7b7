"""A script beside its reading: whether they are of the same words, and who speaks."""

from __future__ import annotations

from .reading import Reading
from .screenplay import as_script
from .script import parse_script, unspoken
from .turns import SPEAKER, as_names, name_written, speaker_named


def ways_of(script: str) -> list[str]:
    """What else the script may mean, where its recording tells: a screenplay, with names that are not spoken and what
    nobody says in brackets; or with names alone."""
    named = (as_names(as_script(script)), as_names(script))
    return [way for way in dict.fromkeys(named) if way != script]


def script_of(script: str, reading: Reading) -> str:
    """The script as it is read: with names that are not heard in capitals, as who speaks."""
    ways = ways_of(script)
    if not ways or same_words(script, reading):
        return script
    return next((way for way in ways if same_words(way, reading)), script)


def unheard_name(script: str, reading: Reading) -> str:
    """Whom alone the script names without being heard, as it is written; "" if it is nobody or more than one."""
    named = script_of(script, reading)
    there = list(SPEAKER.finditer(named)) if named != script else []
    return name_written(script) or speaker_named(there[0][0]) if len(there) == 1 else ""


def name_told(script: str, reading: Reading) -> str:
    """A sentence that says whom the script names without being heard; "" where it names nobody so."""
    if script_of(script, reading) == script:
        return ""
    name = unheard_name(script, reading)
    if not name:
        return "The names in its script are not heard, so they are taken for who speaks."
    return f"“{name}” is not heard, so it is taken for who speaks."


def same_words(script: str, reading: Reading) -> bool:
    """Whether a script has just the words that a reading has."""
    if unspoken(script, language=reading.language):
        return [p.text for p in reading.phrases] == [script.strip()]
    parsed = parse_script(script, language=reading.language)
    return [[w.text for w in p.words] for p in parsed] == [
        [w.text for w in p.words] for p in reading.phrases
    ]
