"""The script check: where the script and what is heard disagree, with both readings.

Only places where what is heard explains the sound better, or where the reading is doubtful or leaves
speech unread, are asked about; elsewhere the script is believed, since a recogniser is wrong far more
often than a script.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from ..errors import LanguageError
from ..progress import Progress, share
from .align import Evidence
from .lexicon import Lexicon
from .parts import Flat
from .reading import Reading
from .recording import Recording
from .second_ear import differing

CLOSE = 0.35  # seconds within which an unread stretch belongs to a disagreement


class Disagreement(msgspec.Struct, frozen=True):
    """Words `first` to before `after` of the script against what is heard, and when."""

    first: int
    after: int
    script: str
    heard: str
    start: float
    end: float


def disagreements(
    recording: Recording, reading: Reading, *, evidence: Evidence | None = None,
    lexicon: Lexicon | None = None, progress: Progress | None = None,
) -> tuple[Disagreement, ...]:  # fmt: skip
    """Where the script of a reading and its recording disagree.

    evidence: of the recording, if it was computed before. Raises LanguageError for a language
    whose words cannot be made out.
    """
    from .hearing import hear
    from .recognise import can_hear, draft

    if not can_hear(reading.language):
        raise LanguageError(
            "Only English words can be made out; check doubtful words by ear, or give a model for "
            "other languages in Preferences."
        )
    heard = draft(recording, language=reading.language, progress=share(progress, 0, 0.8)).text
    evidence = evidence or hear(recording, progress=share(progress, 0.8, 1.0))
    return compare(reading, evidence, heard.split(), lexicon=lexicon)


def compare(
    reading: Reading, evidence: Evidence, heard: Sequence[str], *, lexicon: Lexicon | None = None
) -> tuple[Disagreement, ...]:
    """Disagreements between a reading and a list of heard words."""
    flat = Flat(reading)
    found = []
    for one in differing(reading, evidence, heard, lexicon=lexicon):
        a, b = one.first, one.after
        start = flat.words[a - 1].end if a else 0.0
        end = flat.words[b].start if b < len(flat.words) else reading.audio.duration
        if b > a:
            start, end = flat.words[a].start, flat.words[b - 1].end
        doubtful = any(w.doubtful for w in flat.words[a:b])
        unread = any(s.end > start - CLOSE and s.start < end + CLOSE for s in reading.unread)
        if one.sure or doubtful or unread:
            script = " ".join(w.text for w in flat.words[a:b])
            found.append(Disagreement(a, b, script, " ".join(one.heard), start, end))
    return tuple(found)


def script_as_heard(script: str, reading: Reading, chosen: Sequence[Disagreement]) -> str:
    """The script with what is heard in the place of what it says, for the chosen disagreements."""
    spans = _spans(script, [w.text for w in reading.words()])
    if not spans:
        return script
    for one in sorted(chosen, key=lambda d: -d.first):
        if one.after > one.first:
            low, high = spans[one.first][0], spans[one.after - 1][1]
            script = script[:low] + one.heard + script[high:]
        elif one.first < len(spans):
            at = spans[one.first][0]
            script = f"{script[:at]}{one.heard} {script[at:]}"
        else:
            script = f"{script.rstrip()} {one.heard}"
    return re.sub(r"[ \t]{2,}", " ", script)


def _spans(script: str, words: Sequence[str]) -> list[tuple[int, int]]:
    from .edits import word_spans
    from .turns import DIRECTION, SPEAKER, in_capitals

    def blank(match: re.Match[str]) -> str:
        return " " * len(match[0])

    return word_spans(DIRECTION.sub(blank, SPEAKER.sub(blank, in_capitals(script))), words)
