"""What must hold in a reading that comes from outside: times finite and in order, sounds known."""

from __future__ import annotations

import math
from functools import cache

from ..errors import DocumentError
from . import ipa
from .reading import Reading

SLACK = 2e-3  # seconds by which times that were rounded may miss each other


def check_reading(reading: Reading) -> None:
    """DocumentError says what is wrong, as the end of a sentence."""
    last = 0.0
    if not 0 <= reading.audio.duration < math.inf:
        raise DocumentError(f"its recording lasts {reading.audio.duration:g} seconds")
    for phrase in reading.phrases:
        _in_order(phrase.text, phrase.start, phrase.end, -SLACK)
        if not phrase.words:
            raise DocumentError(f"the phrase “{phrase.text}” has no words")
        for word in phrase.words:
            _in_order(word.text, word.start, word.end, last)
            if not word.phones:
                raise DocumentError(f"“{word.text}” at {word.start:.3f} s has no sounds")
            for phone in word.phones:
                _in_order(f"/{phone.ipa}/ in {word.text}", phone.start, phone.end, last)
                if not known(phone.ipa):
                    raise DocumentError(
                        f"“{phone.ipa}” in “{word.text}” at {phone.start:.3f} s is no speech sound"
                    )
                last = phone.end
            last = max(last, word.end)
    for mark in reading.marks:
        _in_order(mark.kind, mark.start, mark.end, -SLACK)
    for span in reading.unread:
        _in_order("unread speech", span.start, span.end, -SLACK)


def _in_order(what: str, start: float, end: float, last: float) -> None:
    if not (math.isfinite(start) and math.isfinite(end)):
        raise DocumentError(f"“{what}” has no time")
    if start < last - SLACK or end < start - SLACK:
        raise DocumentError(f"“{what}” at {start:.3f} s is out of order")


@cache
def known(sound: str) -> bool:
    """Whether a sound is written in IPA that Glyphos knows."""
    return bool(ipa.parse(sound)) and not ipa.strangers(sound)
