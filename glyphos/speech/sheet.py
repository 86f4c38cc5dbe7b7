"""Rows of a spreadsheet, as they are pasted: who speaks in one column, what they say in another.

Without a header the columns are told by what is in them (common practice, no source): a name is a word or three
without figures inside, what is in brackets is a direction, what is said is the longest; numbers of lines, names of files
and the like are nobody's to say.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Sequence

NAMED = re.compile(r"[^\W\d_](?:[^\W\d_]|[ '’-]|\.(?= |$)){0,30}(?: ?#?\d{1,3})?")
BRACKETED = re.compile(r"\([^()]*\)|\[[^\[\]]*\]")
NUMBERED = re.compile(r"\S*[\d_]\S*")  # of a line or a file
WORDS = 3  # of a name, at most
# What people write over these columns
SPEAKERS = frozenset(("character", "speaker", "who", "name", "role", "voice"))
SAID = ("text", "dialogue", "dialog", "script", "says", "words", "line")  # the surest first
DIRECTIONS = frozenset(("direction", "directions", "delivery", "emotion", "tone", "how"))
Column = Sequence[str]


def rows_as_turns(text: str) -> str | None:
    """“NAME: (direction) …” turns, a paragraph each; None for a text that is no rows with tabs, nor with the semicolons
    or commas of a table whose header says where speakers and their words are."""
    if "\t" in text:
        columns = _columns(text, "\t")
        return _turns(columns, *(_by_header(columns) or _by_content(columns))) if columns else None
    for between in ";,":
        columns = _columns(text, between)
        found = _by_header(columns) if columns else None
        if found is not None and found[0] is not None:  # elsewhere a comma is what is said
            return _turns(columns, *found)
    return None


def _columns(text: str, between: str) -> list[Column]:
    """The columns of rows, without empty ones; none where a row has but one cell."""
    rows = _rows(text, between)
    width = max(map(len, rows), default=0)
    columns: list[Column] = [[row[k] if k < len(row) else "" for row in rows] for k in range(width)]
    columns = [column for column in columns if any(column)]
    return [] if len(columns) < 2 or any(len(row) < 2 for row in rows) else columns


def _turns(columns: Sequence[Column], names: int | None, said: int, how: int | None) -> str:
    turns = []
    for number, words in enumerate(columns[said]):
        if words:
            name = _name(columns[names][number]).upper() if names is not None else ""
            who = f"{name}: " if name else ""
            manner = columns[how][number].strip("()[]") if how is not None else ""
            turns.append(f"{who}{f'({manner}) ' if manner else ''}{words}")
    return "\n\n".join(turns)


def _name(cell: str) -> str:
    """A name, without the colon that it may have as in a script."""
    return cell.removesuffix(":").rstrip()


def _rows(text: str, between: str) -> list[list[str]]:
    """Cells of rows that have any; quotation marks may hold a cell together, where each has its other."""
    rows: list[list[str]] = []
    for quoting in (csv.QUOTE_MINIMAL, csv.QUOTE_NONE):
        found = csv.reader(io.StringIO(text, newline=""), delimiter=between, quoting=quoting)
        try:
            rows = [[cell.strip() for cell in row] for row in found]
        except csv.Error:  # more in a cell than there is in one
            return []
        # Commas stand in cells, too: there only a mark without its other tells
        alone = text.count('"') % 2 if between != "\t" else any("\t" in c for r in rows for c in r)
        if not alone:
            break
    return [row for row in rows if any(row)]


def _by_header(columns: list[Column]) -> tuple[int | None, int, int | None] | None:
    """Columns of speakers, of what is said and of directions, as the first row calls them; it is taken away. None
    where it calls none."""
    heads = [column[0].casefold() for column in columns]
    said = next((heads.index(word) for word in SAID if word in heads), None)
    if said is None or len(columns[0]) < 2 or any(not head for head in heads):
        return None
    columns[:] = [column[1:] for column in columns]

    def called(words: frozenset[str]) -> int | None:
        return next((k for k, head in enumerate(heads) if head in words and k != said), None)

    return called(SPEAKERS), said, called(DIRECTIONS)


def _by_content(columns: Sequence[Column]) -> tuple[int | None, int, int | None]:
    def all_are(column: Column, what: Callable[[str], object]) -> bool:
        return all(what(cell) for cell in column if cell)

    directed = [k for k, c in enumerate(columns) if all_are(c, BRACKETED.fullmatch)]
    numbers = [k for k, c in enumerate(columns) if all_are(c, NUMBERED.fullmatch)]
    every = range(len(columns))
    others = [k for k in every if k not in (*directed, *numbers)] or [every[-1]]
    names = [
        k for k in others
        if all_are(columns[k], lambda x: NAMED.fullmatch(_name(x)) and len(x.split()) <= WORDS)
    ]  # fmt: skip
    cued = [k for k in names if all_are(columns[k], lambda x: x.endswith(":"))]
    # Where all may be names the last is said
    longest = (
        [k for k in others if k not in names]
        or [k for k in others if k not in cued][-1:]
        or others[-1:]
    )
    said = max(longest, key=lambda k: sum(map(len, columns[k])))
    before = [k for k in names if k < said]
    name = before[-1] if before else next((k for k in names if k != said), None)
    name = cued[0] if cued and cued[0] != said else name
    return name, said, directed[0] if directed and directed[0] != said else None
