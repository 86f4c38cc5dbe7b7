"""What is said in a clip: of a line that was cut, only what is left of it."""

from __future__ import annotations

from collections.abc import Callable

from ..speech.reading import Reading, Word
from ..speech.script import read_aloud
from .documents import Clip


def words_in(clip: Clip, reading: Reading, whole: Callable[[Clip], float]) -> list[Word]:
    """Words that are said in a clip, in the time of its recording."""
    end = clip.cut + clip.lasts(whole(clip))
    return [w for w in reading.words() if clip.cut <= w.start < end]


def text_in(clip: Clip, reading: Reading, whole: Callable[[Clip], float]) -> str:
    """What is said in a clip: phrases as they were written, of a phrase that is cut its words."""
    end = clip.cut + clip.lasts(whole(clip))
    said = []
    for phrase in reading.phrases:
        own = [w.text for w in phrase.words if clip.cut <= w.start < end]
        if own:
            said.append(read_aloud(phrase.text) if len(own) == len(phrase.words) else " ".join(own))
    return " ".join(" ".join(said).split())
