"""Who says what in a script: a name and a colon at the beginning of a line are a speaker's, and not spoken.

A name in capitals (`MABEL: …`) always is. Written small (`Mabel: …`) it may as well be a word that is said
(`Remember: …`); it is a speaker's where they are known, or where the text is a play, in which somebody comes back.
In what is typed or pasted, turns may run on in one line (`run_on`).
Of a single line its recording tells: who listens to it takes for a name what is not heard (`listening`).
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection

CAPITALS = "".join(c for c in map(chr, range(0x41, 0x530)) if c.isupper())
# Before a name: its number, what marks it in a list or a text, what stands in brackets. After it: how it is said
NUMBER = r"\d{1,4}[.)]"
LEAD = rf"^[^\S\n]*(?:(?:{NUMBER}|[•*_>#\-–—“\"'‘«]|\[[^\[\]\n]*\]|\([^()\n]*\))[^\S\n]*)*"
HOW = r"(?:\s*(?:\([^()\n]*\)|\[[^\[\]\n]*\]))?"
DIRECTED = rf"{HOW}[ \t*_]*(?::[*_]*\s+|：\s*)"
NAME = rf"[{CAPITALS}][{CAPITALS}0-9 .'’_&/#-]{{0,30}}"
SPEAKER = re.compile(rf"{LEAD}({NAME})(?:{DIRECTED}|{HOW}:(?=[^\W\d_]))", re.M)
A_NAME = rf"[{CAPITALS}][\w.'’-]{{0,20}}"
WORDS = rf"{A_NAME}(?: [\w.'’-]{{1,20}}){{0,2}}"
SMALL = re.compile(rf"{LEAD}({A_NAME}(?: (?:{A_NAME}|\d{{1,3}}))?){DIRECTED}", re.M)
# Where a recording tells whether they are spoken: up to three words, however written
ANY_NAME = re.compile(rf"{LEAD}({WORDS}){DIRECTED}", re.M)
# Behind another turn in its line, after the end of a sentence; a letter alone is no name there
TITLES = r"mr|mrs|ms|dr|st|prof|capt|sig|sra?"
TITLE = re.compile(rf"\b(?:{TITLES})\.$", re.I)
PART = rf"[{CAPITALS}][\w'’-]{{1,20}}"
BEHIND = re.compile(
    rf"(?<=[.!?…\"”’)\]])[^\S\n](?=((?:(?i:{TITLES})\. )?{PART}(?: (?:{PART}|\d{{1,3}}))?){DIRECTED})"
)
# As screenplays have it: alone in a line, before the line that is said
LONE = re.compile(rf"^([ \t]*{NAME}(?:\([^()\n]*\))?)[ \t\r]*(?=\n\s*\S)", re.M)
# As tables and lists have it: a name, then a tab; in capitals, since people break off so, too, a dash
APART = re.compile(rf"^[ \t]*(?:({WORDS})[ \t]*\t\s*|({NAME}?)[ \t]+[—–][ \t]+)(?=\S)", re.M)
# A heading of a screenplay, where a scene is set
PLACE = re.compile(r"^[ \t]*((?:INT|EXT|I/E)\b\.?[^\n\r]*?)[ \t\r]*$", re.M)
DIRECTION = re.compile(r"\([^()]*\)|\[[^\[\]]*\]|（[^（）]*）|【[^【】]*】")
PLAY = 3  # turns of a play, at least


def undirected(text: str) -> str:
    """A text without stage directions, which may be nested."""
    previous = None
    while previous != text:
        previous, text = text, DIRECTION.sub(" ", text)
    return text


def in_capitals(text: str, *, known: Collection[str] = (), typed: bool = False) -> str:
    """A text with speakers' names that are written small in capitals, as long as it was.

    known: names of speakers. typed: nothing was recorded of it, hence two turns are a play, whoever they are of.
    """
    turns = list(SMALL.finditer(text))
    play = not SPEAKER.search(text) and _is_play(text, turns, typed)
    there = {name.strip().casefold() for name in known}
    for match in turns:
        name = match[1].upper()
        if (play or match[1].casefold() in there) and len(name) == len(match[1]):
            text = f"{text[: match.start(1)]}{name}{text[match.end(1) :]}"
    return text


def run_on(text: str, known: Collection[str] = ()) -> str:
    """A typed text with each turn in a line of its own, also those that stand behind another in its line: after the end
    of a sentence, in capitals or of a speaker who is known. As long as it was."""
    there = {name.strip().casefold() for name in known}
    lines = text.split("\n")
    for k, line in enumerate(lines):
        if SPEAKER.match(line):
            for match in BEHIND.finditer(line):
                name = match[1].upper()
                called = name == match[1] or match[1].casefold() in there
                if called and len(name) == len(match[1]) and not TITLE.search(line[: match.start()]):  # fmt: skip
                    line = f"{line[: match.start()]}\n{name}{line[match.end(1) :]}"
            lines[k] = line
    return "\n".join(lines)


def as_names(text: str) -> str:
    """A text with what may be a name at the beginning of its lines as a speaker's, whether it is one or not: the one to
    three words before a colon, a tab or a dash, or capitals alone in a line; headings of scenes in brackets. The same
    text where no line begins so."""
    text = PLACE.sub(r"(\1)", text)
    text = APART.sub(lambda m: f"{m[1] or m[2]}: ", text)
    for match in ANY_NAME.finditer(text):
        name = match[1].upper()
        if len(name) == len(match[1]):
            text = f"{text[: match.start(1)]}{name}{text[match.end(1) :]}"
    return LONE.sub(lambda m: f"{m[1].rstrip()}:", text)


def name_written(text: str) -> str:
    """The name that stands at the beginning of a text before a colon, a tab or a dash, or in capitals alone; "" if none
    does."""
    match = ANY_NAME.match(text) or APART.match(text)
    name = match[1] if match else ""
    return name if name and not name.isupper() else speaker_named(as_names(text))


def _is_play(text: str, turns: list[re.Match[str]], typed: bool) -> bool:
    """Whether somebody speaks from the beginning, or after a heading, and somebody speaks again."""
    if len(turns) < (2 if typed else PLAY) or "\n" in text[: turns[0].start(1)].strip():
        return False
    return typed or max(Counter(m[1].casefold() for m in turns).values()) > 1


def speaker_named(text: str) -> str:
    """The speaker that a script (or a line of it) names at its start; "" if it names none."""
    match = SPEAKER.match(text)
    if match is None:
        return ""
    name = match[1].strip()
    lower = "".join(
        c.lower() if k and (name[k - 1].isalnum() or name[k - 1] in "'’") else c
        for k, c in enumerate(name)
    )
    return re.sub(r"\b([^\W\d_]['’])([^\W\d_]{2,})", lambda m: m[1] + m[2].capitalize(), lower)


def speakers_of(
    script: str, *, known: Collection[str] = (), typed: bool = False
) -> list[tuple[str, str]]:
    """A script as (speaker, text) turns; speaker "" before the first. For the rest see `in_capitals`."""
    turns: list[tuple[str, str]] = []
    at, name = 0, ""
    there = in_capitals(script, known=known, typed=typed)
    if typed:
        there = run_on(there, known)
    for match in SPEAKER.finditer(there):
        if script[at : match.start()].strip():
            turns.append((name, script[at : match.start()].strip()))
        written = script[match.start(1) : match.end(1)].strip()
        name, at = speaker_named(match[0]) if written.isupper() else written, match.end()
    if script[at:].strip():
        turns.append((name, script[at:].strip()))
    return turns


def paragraphs_of(
    script: str, *, known: Collection[str] = (), typed: bool = False
) -> list[tuple[str, str]]:
    """Paragraphs of a script with their speakers; a turn of a speaker is a paragraph too."""
    found = []
    for speaker, text in speakers_of(script, known=known, typed=typed):
        found += [(speaker, p.strip()) for p in re.split(r"\n\s*\n", text) if p.strip()]
    return found
