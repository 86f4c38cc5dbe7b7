"""Text as screenplays have it: who speaks in capitals alone in a line, what they say under it until a blank line. Rows
of a table with tabs, as `sheet` reads them, are turns, too.

What else stands there, headings and what is seen to happen, nobody says (common practice, no source). One line in
capitals does not make a screenplay: it may be called out.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection
from itertools import pairwise

from .sheet import rows_as_turns
from .turns import NAME, SPEAKER, speaker_named

CUE = re.compile(rf"^\s*({NAME}?)(\s*\([^()]*\))*\s*$")
HEADING = re.compile(r"^\s*(?:INT|EXT|I/E)\b", re.M)
# How something is said stands in the line that is
DIRECTED = re.compile(r"((?:^|: )\([^()]*\))\n", re.M)
FEW = 2  # cues that make a screenplay


def as_turns(text: str, known: Collection[str] = ()) -> tuple[str, tuple[str, ...]]:
    """A screenplay as “NAME: …” turns, and its paragraphs that nobody says; any other text as it is.

    known: names of speakers, of whom one cue is enough.
    """
    rows = rows_as_turns(text)
    if rows is not None:
        return rows, ()
    parts = _parts(text, known)
    if parts is None:
        return text, ()
    return "\n\n".join(p for p, said in parts if said), tuple(p for p, said in parts if not said)


def as_script(text: str) -> str:
    """A screenplay as the script of a recording: “NAME: …” turns, what nobody says in brackets; any other text as it
    is."""
    parts = _parts(text, ())
    return text if parts is None else "\n\n".join(p if said else f"({p})" for p, said in parts)


def _parts(text: str, known: Collection[str]) -> list[tuple[str, bool]] | None:
    """Turns of a screenplay and what stands between them, each with whether it is said; None for any other text."""
    paragraphs = [p for p in re.split(r"\n\s*\n", text.replace("\r\n", "\n")) if p.strip()]
    blocks = [[line for line in p.split("\n") if line.strip()] for p in paragraphs]
    there = {name.casefold() for name in known}
    named = [_cue(*two) for block in blocks for two in pairwise(block)]
    often = {name for name, count in Counter(named).items() if name and count > 1}
    first = {_cue(*block[:2]) for block in blocks if len(block) > 1} - {""}
    cues = often | first
    if len([n for n in named if n in cues]) < FEW and not HEADING.search(text):
        cues = {n for n in cues if speaker_named(f"{n}: ").casefold() in there}
    if not cues:
        return None
    parts: list[tuple[str, bool]] = []
    for block in blocks:
        said, before = _turns(block, cues)
        parts += [(" ".join(" ".join(before).split()), False)] if before else []
        parts += [(turn, True) for turn in said]
    return parts


def _turns(block: list[str], cues: Collection[str]) -> tuple[list[str], list[str]]:
    """Turns of a paragraph, and its lines before the first, which nobody says."""
    made: list[list[str]] = []
    before: list[str] = []
    for number, line in enumerate(block):
        name = _cue(line, block[number + 1]) if number + 1 < len(block) else ""
        if name in cues:
            made.append([f"{name}:"])
        elif made:
            made[-1].append(line.strip())
        elif (match := SPEAKER.match(line)) is not None and line[match.end() :].strip():
            made.append([line.strip()])
        else:
            before.append(line)
    turns = ("\n".join([" ".join(turn[:2]), *turn[2:]]) for turn in made)
    return [DIRECTED.sub(r"\1 ", turn) for turn in turns], before


def _cue(line: str, following: str) -> str:
    """Whom a line names that is a cue; "" if it is none, as before another line in capitals, which is one of verses."""
    match = CUE.match(line)
    if match is None or (following.isupper() and not following.lstrip().startswith("(")):
        return ""
    return match[1].strip()
