"""Words of a phrase with the signs that are written around them: “Pull”, I said!"""

from __future__ import annotations

import re
from itertools import pairwise

from ..speech.reading import Phrase
from ..speech.script import read_aloud

CLOSING = re.compile(r"\S*(?: [-–—…]+(?= ))?")


def signs_around(phrase: Phrase) -> list[tuple[str, str]]:
    """Of each word what is written before it, blanks too, and right behind it. Blanks alone, where the phrase is
    written otherwise than it is said."""
    said = read_aloud(phrase.text)
    bare = [(" " if k else "", "") for k in range(len(phrase.words))]
    gaps, at = list[str](), 0
    for word in phrase.words:
        found = _whole(said, word.text, at)
        if found < 0:
            return bare
        gaps.append(said[at:found])
        at = found + len(word.text)
    gaps.append(said[at:])
    if any(c.isalnum() for gap in gaps for c in gap):
        return bare
    split = [("", gaps[0]), *(_split(gap) for gap in gaps[1:-1]), (gaps[-1].rstrip(), "")]
    return [(opening, closing) for (_, opening), (closing, _) in pairwise(split)]


def _whole(text: str, word: str, at: int) -> int:
    """Where a word begins that is no part of a longer one; -1: nowhere."""
    found = text.find(word, at)
    while found >= 0:
        around = text[max(0, found - 1) : found] + text[found + len(word) : found + len(word) + 1]
        if not any(c.isalnum() for c in around):
            return found
        found = text.find(word, found + 1)
    return -1


def _split(gap: str) -> tuple[str, str]:
    """What is written right behind a word, a dash between blanks too, and what before the next."""
    behind = CLOSING.match(gap)
    closing = behind.group() if behind else ""
    return closing, gap[len(closing) :]
