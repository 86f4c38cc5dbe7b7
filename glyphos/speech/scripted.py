"""A script beside its reading: whether they are of the same words, and who speaks."""

from __future__ import annotations

from .reading import Reading
from .script import parse_script, unspoken
from .turns import SPEAKER, as_names, name_written


def script_of(script: str, reading: Reading) -> str:
    """The script as it is read: with names that are not heard in capitals, as who speaks."""
    named = as_names(script)
    if named == script or same_words(script, reading) or not same_words(named, reading):
        return script
    return named


def unheard_name(script: str, reading: Reading) -> str:
    """Whom alone the script names without being heard, as it is written; "" if it is nobody or more than one."""
    named = script_of(script, reading)
    return name_written(script) if named != script and len(SPEAKER.findall(named)) == 1 else ""


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
