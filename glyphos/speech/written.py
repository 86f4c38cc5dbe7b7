"""In which language scripts are written, told by how their letters follow each other (Lui & Baldwin 2012, langid).

A few words alone tell little, so scripts that come together help each other: what is sure by itself decides for
itself; the rest goes with the likeliest of the languages that were found.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any

from ..errors import GlyphosError
from .languages import base, normal
from .lexicon import vocabulary

ENOUGH = 1000  # characters that are looked at: of much more the model is less sure again
LETTERS = 25  # that a text has at least, to be told by itself
KNOWN = 0.9  # of English words are in the dictionary, at least
WORD = re.compile(r"[^\W\d_]+(?:'[^\W\d_]+)*")
SURE = 0.9  # probability, of all languages
SELDOM = 0.05  # share of a language that was found, at least
NEVER = 1e-12
APART = ("an", "eo", "la")  # seldom spoken, often taken for others


@cache
def _judge() -> Any:
    """Reading the model takes most of a second."""
    from py3langid.langid import MODEL_FILE, LanguageIdentifier

    judge = LanguageIdentifier.from_model_file(MODEL_FILE, norm_probs=True)
    judge.set_languages([c for c in judge.labels if c not in APART and _spoken(c)])
    return judge


def _spoken(code: str) -> bool:
    """Whether a language can be pronounced."""
    from .espeak import voice_for

    try:
        voice_for(code)
    except GlyphosError:
        return False
    return True


def _letters(text: str) -> int:
    return sum(c.isalpha() for c in text)


def _plainly_english(text: str) -> bool:
    """Whether nearly all words are in the dictionary, which is at hand sooner than the model: of lines of a game 95 of
    100 in English are, of ten other languages 1 of 1,000."""
    words = WORD.findall(text.lower().replace("’", "'"))
    known = vocabulary()
    return sum(w in known for w in words) >= KNOWN * len(words)


def _alone(text: str) -> str:
    text = text[:ENOUGH]
    if _letters(text) < LETTERS:
        return ""
    if _plainly_english(text):
        return "en"
    code, sure = _judge().classify(text)
    return str(code) if sure >= SURE else ""


def languages_of(
    texts: Sequence[str], usual: str, there: Mapping[str, int] | None = None
) -> tuple[str, ...]:
    """A language code for each of some texts that belong together. usual: what is spoken where nothing else is
    sure. there: how many letters were written before in which languages; that counts where these texts tell nothing
    themselves. Codes of both stay as they are, a country with them, where a text is in that language; a usual
    one that names a country comes first."""
    own = [_alone(text) for text in texts]
    counts = Counter({base(usual): 0})
    for text, code in zip(texts, own, strict=True):
        if code:
            counts[code] += _letters(text)
    if not any(own):
        whole = _alone(" ".join(texts))
        for code, letters in ({whole: 1} if whole else there or {}).items():
            counts[base(code)] += letters
    likely = [code or _likeliest(t, counts) for t, code in zip(texts, own, strict=True)]
    named = {base(c): c for c in sorted(there or {}, key=lambda c: (there or {})[c])}
    if normal(usual) != base(usual):  # else a production of British lines goes on in British
        named[base(usual)] = usual
    named.setdefault(base(usual), usual)
    return tuple(named.get(code, code) for code in likely)


def _likeliest(text: str, counts: Counter[str]) -> str:
    """Which of the languages that were found, by how many letters are in each of them (Bayes)."""
    if len(counts) == 1:
        return next(iter(counts))
    chances = (
        {code: p for code, p in _judge().rank(text) if code in counts} if _letters(text) else {}
    )
    least = SELDOM * counts.total()
    return max(counts, key=lambda code: chances.get(code, NEVER) * max(counts[code], least, 1))
