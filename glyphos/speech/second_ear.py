"""A second opinion on the script: what the word recogniser heard, weighed by our own aligner.

A recogniser alone is wrong far more often than a script. So where it heard something else, both
versions are laid over the sound with the words beside them, and only a version that explains the
sound clearly better than the script does is believed: then both ears agree that it is wrong.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from dataclasses import dataclass

import msgspec
import numpy as np

from . import graph as graphs
from . import viterbi
from .acoustic import STATES
from .align import Evidence
from .edits import units_of
from .graph import Pronunciation
from .lexicon import Lexicon, pronounce
from .parts import Flat, with_words
from .reading import Reading, Word
from .script import parse_script

CLEARLY = 12.0  # nats by which what is heard must explain the sound better
RATHER = 4.0  # the same for words that the script does not have at all
DOUBTED, TRUSTED = (
    0.4,
    0.6,
)  # confidence of a word that both ears doubt, and that one of them trusts
BESIDE = 0.6  # seconds at most, of pause beside the words, in which they can be found
_replace = msgspec.structs.replace
Alternatives = tuple[Pronunciation, ...]


@dataclass(frozen=True)
class Differing:
    """Words `first` to before `after` of a reading against words heard instead; `better`: by how
    much those explain the sound better than the script (nats, below 0: worse)."""

    first: int
    after: int
    heard: tuple[str, ...]
    better: float

    @property
    def sure(self) -> bool:
        """Whether both ears agree that the script is wrong here."""
        return self.better > (CLEARLY if self.after > self.first else RATHER)


def differing(
    reading: Reading, evidence: Evidence, heard: Sequence[str], *, lexicon: Lexicon | None = None
) -> list[Differing]:
    """Where a reading and heard words differ, in order. Words that sound the same do not."""
    flat = Flat(reading)
    ours, theirs = [plain(w.text) for w in flat.words], [plain(w) for w in heard]
    matcher = difflib.SequenceMatcher(None, ours, theirs, autojunk=False)
    found = []
    for tag, a, b, c, d in matcher.get_opcodes():
        if tag == "equal" or "".join(ours[a:b]) == "".join(theirs[c:d]):
            continue
        instead = _pronounced(heard[c:d], reading.language, lexicon)
        if instead is None or _sound_alike(flat, a, b, instead):
            continue
        better = _weighed(flat, evidence, a, b, instead)
        found.append(Differing(a, b, tuple(heard[c:d]), better))
    return found


def second_opinion(
    reading: Reading, evidence: Evidence, heard: Sequence[str], *, lexicon: Lexicon | None = None
) -> Reading:
    """A reading in which a word is doubtful where both ears say that the script is wrong.

    Where the recogniser heard what the script says, the aligner's doubt alone is not enough; where
    it heard something else that explains the sound better, the aligner's trust is not.
    """
    count = sum(1 for _ in reading.words())
    open_to_doubt: set[int] = set()
    wrong: set[int] = set()
    for one in differing(reading, evidence, heard, lexicon=lexicon):
        own = range(one.first, one.after)  # a word beside it was heard as it is written
        if not own:  # heard between two of them
            own = range(max(0, one.first - 1), min(count, one.after + 1))
        open_to_doubt |= set(own)
        if one.sure:
            wrong |= set(own)

    def judged(number: int, word: Word) -> Word:
        if number in wrong:
            return _replace(word, confidence=min(word.confidence, DOUBTED))
        if number not in open_to_doubt and word.confidence < TRUSTED:
            return _replace(word, confidence=TRUSTED)
        return word

    return with_words(reading, judged)


def share_heard(reading: Reading, heard: Sequence[str]) -> float:
    """Which share of a reading's words was heard as it is written, in their order."""
    ours, theirs = [plain(w.text) for w in reading.words()], [plain(w) for w in heard]
    matcher = difflib.SequenceMatcher(None, ours, theirs, autojunk=False)
    return sum(block.size for block in matcher.get_matching_blocks()) / max(1, len(ours))


def plain(word: str) -> str:
    """A word's letters and digits alone, in small letters."""
    return re.sub(r"[^\w]", "", word.lower())


def _pronounced(
    words: Sequence[str], language: str, lexicon: Lexicon | None
) -> list[Alternatives] | None:
    text = " ".join(words)
    if not plain(text):
        return []
    parsed = [w for p in parse_script(text, language=language) for w in p.words]
    found = pronounce(parsed, language=language, lexicon=lexicon)
    return [tuple(p.alternatives) for p in found] if parsed else None


def _sound_alike(flat: Flat, a: int, b: int, instead: list[Alternatives]) -> bool:
    own = [u.ipa for w in flat.words[a:b] for u in units_of(w)]
    made: list[list[str]] = [[]]
    for alternatives in instead:
        made = [m + [u.ipa for u in units] for m in made[:8] for units in alternatives]
    return own in made


def _weighed(flat: Flat, evidence: Evidence, a: int, b: int, instead: list[Alternatives]) -> float:
    before = [(tuple(units_of(flat.words[a - 1])),)] if a else []
    after = [(tuple(units_of(flat.words[b])),)] if b < len(flat.words) else []
    own = [(tuple(units_of(w)),) for w in flat.words[a:b]]
    start = flat.words[a - 1].start if a else max(0.0, flat.words[0].start - BESIDE)
    end = flat.words[b].end if b < len(flat.words) else flat.words[-1].end + BESIDE
    part, _ = evidence.part(start - 0.02, end + 0.02)
    return fit(part, [*before, *instead, *after]) - fit(part, [*before, *own, *after])


def fit(evidence: Evidence, words: Sequence[Alternatives]) -> float:
    """How well words explain all of the evidence (nats, 0 at best); −inf if there is no room."""
    shortest = sum(min(sum(len(u.model) for u in v) for v in w) for w in words) * STATES
    if shortest + 2 > len(evidence.table):
        return -np.inf
    graph = graphs.build(evidence.model, words, filler_column=evidence.table.shape[1] - 1)
    path = viterbi.best_path(graph, evidence.table)
    own = evidence.table[np.arange(len(path)), graph.senone[path]] - evidence.best
    return float(own.sum(dtype=np.float64))
