"""The list of lines as one wants to see it: searched, filtered, sorted."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

from .documents import STATES, Line

SORTS = ("order", "speaker", "length", "state", "words")


class Listing:
    """Remembers what is slow to work out about a line, for as long as the line is the same."""

    def __init__(self) -> None:
        self._known: dict[str, tuple[Line, str, str]] = {}

    def _facts(self, line: Line) -> tuple[str, str]:
        known = self._known.get(line.slug)
        if known is None or known[0] is not line:
            text = (
                known[2]
                if known and _written(known[0]) == _written(line)
                else plain(f"{line.speaker} {line.script} {line.audio.rsplit('/', 1)[-1]}")
            )
            known = (line, line.state, text)
            self._known[line.slug] = known
        return known[1], known[2]

    def state(self, line: Line) -> str:
        """The line's state, one of STATES."""
        return self._facts(line)[0]

    def listed(
        self, lines: Iterable[Line], *, text: str = "", state: str = "", sort: str = "order"
    ) -> list[Line]:
        """Lines whose speaker, script or file hold every word of `text` and that are in `state`
        (any, if empty), sorted by one of SORTS."""
        words = plain(text).split()
        found = [
            x for x in lines
            if (not state or self.state(x) == state) and all(w in self._facts(x)[1] for w in words)
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
    """All of a line that a search looks into."""
    return line.speaker, line.script, line.audio


def plain(text: str) -> str:
    """Lower case without accents, so that a search finds words however they are written."""
    split = unicodedata.normalize("NFKD", text)
    return "".join(c for c in split if not unicodedata.combining(c)).lower()
