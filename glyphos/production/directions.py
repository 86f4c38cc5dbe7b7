"""Moods that a script asks for: a stage direction in brackets at the start of a phrase, as in
`(angry) Who left the dome open?`."""

from __future__ import annotations

import re
from functools import cache

from ..motion.mood import MoodSpan
from ..speech.reading import Reading
from ..tables import rows

DIRECTION = re.compile(r"[(\[]([^()\[\]]{2,40})[)\]]\s*([^()\[\]]*)")
AROUND = 0.3  # seconds before and after what is said


@cache
def _words() -> dict[str, str]:
    return {w: row["mood"] for row in rows("mood_words.csv") for w in row["words"].split(";")}


def mood_of(direction: str) -> str:
    """The mood that a direction names, "" for none."""
    tokens = re.findall(r"[^\W\d_]+", direction.lower())
    return next((_words()[t] for t in tokens if t in _words()), "")


def directed(script: str, reading: Reading) -> list[MoodSpan]:
    """Spans of moods as the script directs them: each from its phrase up to the next direction, or to the
    end of its paragraph."""
    words = list(reading.words())
    texts = [_plain(w.text) for w in words]
    made, at = [], 0
    for paragraph in script.splitlines():
        for found in DIRECTION.finditer(paragraph):
            said = [_plain(t) for t in found[2].split() if _plain(t)]
            place = _find(texts, said, at)
            mood = mood_of(found[1])
            if place is None:
                continue
            at = place + max(1, len(said))
            if mood:
                first, last = words[place], words[min(at, len(words)) - 1]
                start = max(0.0, first.start - AROUND)
                made.append(MoodSpan(mood, round(start, 3), round(last.end + AROUND, 3)))
    return made


def _plain(text: str) -> str:
    return re.sub(r"[^\w']", "", text.lower())


def _find(texts: list[str], said: list[str], at: int) -> int | None:
    """Where the first words of a phrase stand, from a word on."""
    few = said[:3]
    return next(
        (k for k in range(at, len(texts) - len(few) + 1) if few and texts[k : k + len(few)] == few),
        None,
    )
