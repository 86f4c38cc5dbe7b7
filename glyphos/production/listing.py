"""The list of lines as one wants to see it: searched, filtered, sorted."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

from .documents import STATES, Line

SORTS = ("order", "speaker", "length", "state", "words")


class Listing:
    """Remembers what is slow to work out about a line, for as long as the line is the same."""

    def __init__(self) -> None:
        self._states: dict[str, tuple[Line, str]] = {}
        self._texts: dict[str, tuple[Line, str]] = {}

    def state(self, line: Line) -> str:
        """The line's state, one of STATES."""
        known = self._states.get(line.slug)
        if known is None or known[0] is not line:
            known = self._states[line.slug] = (line, line.state)
        return known[1]

    def _text(self, line: Line) -> str:
        """All that a search looks into."""
        known = self._texts.get(line.slug)
        if known is None or known[0] is not line:
            same = known is not None and _written(known[0]) == _written(line)
            text = known[1] if known is not None and same else plain(" ".join(_written(line)))
            known = self._texts[line.slug] = (line, text)
        return known[1]

    def listed(
        self, lines: Iterable[Line], *, text: str = "", state: str = "", sort: str = "order"
    ) -> list[Line]:
        """Lines whose speaker, script or file hold every word of `text` and that are in `state`
        (any, if empty), sorted by one of SORTS."""
        words = plain(text).split()
        found = [
            x for x in lines
            if (not state or self.state(x) == state) and all(w in self._text(x) for w in words)
        ]  # fmt: skip
        if sort == "speaker":
            found.sort(key=lambda x: plain(x.speaker))
        elif sort == "length":
            found.sort(key=lambda x: -x.duration)
        elif sort == "state":
            found.sort(key=lambda x: STATES.index(self.state(x)))
        elif sort == "words":
            found.sort(key=lambda x: plain(x.title))
        return found


def _written(line: Line) -> tuple[str, str, str]:
    """Speaker, script and the name of the file."""
    return line.speaker, line.script, line.audio.rsplit("/", 1)[-1]


def plain(text: str) -> str:
    """Lower case without accents, so that a search finds words however they are written."""
    if text.isascii():  # of which thousands of lines are folded at the first letter of a search
        return text.lower()
    split = unicodedata.normalize("NFKD", text)
    return "".join(c for c in split if not unicodedata.combining(c)).lower()
