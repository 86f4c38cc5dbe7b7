"""Tables (CSV; RFC 4180): those of others, and those that ship, which have comment lines and are read once."""

from __future__ import annotations

import csv
import io
from functools import cache
from importlib.resources import files

from .errors import DocumentError


@cache
def rows(name: str) -> tuple[dict[str, str], ...]:
    """Rows of `data/<name>`; lines that begin with # are comments."""
    text = (files("glyphos.data") / name).read_text(encoding="utf-8")
    kept = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
    return tuple(csv.DictReader(kept))


def cells(text: str, name: str, delimiter: str = ",") -> list[list[str]]:
    """The rows of a table (as `files.text_of` gives it), empty ones among them; DocumentError where it is none."""
    try:
        return list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as error:
        raise DocumentError(
            f"{name} is no table that can be read ({error}); save it again as CSV."
        ) from None


def named_rows(text: str, name: str) -> tuple[list[str], list[dict[str, str]]]:
    """The names in the first row of a table, and what each other row that holds something has under them, "" for
    nothing; DocumentError where it is none."""
    table = [row for row in cells(text, name) if any(c.strip() for c in row)] or [[]]
    names = [c.strip() for c in table[0]]
    blank = dict.fromkeys(names, "")
    return names, [blank | dict(zip(names, row, strict=False)) for row in table[1:]]
