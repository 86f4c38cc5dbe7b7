"""Listen: a recording and its script become a Reading.

The one entry for the window, the shell and Python. Progress is told as fractions of the whole and
may raise `Cancelled` to stop the work.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np

from ..errors import ScriptError
from ..progress import Progress, share
from .acoustic import STATES
from .align import AlignedSound, Alignment, Evidence, align, speech_between
from .constrained import Placed
from .espeak import language_name, voice_for
from .hearing import hear
from .languages import check_letters, english
from .lexicon import Lexicon, Pronounced, pronounce
from .parts import with_words
from .phones import Unit
from .reading import AudioInfo, Phone, Phrase, Reading, Span, Word
from .recording import Recording, open_recording
from .script import ScriptPhrase, parse_script
from .timing import corrected
from .written import languages_of

SHORTEST_SOUND = 0.03  # seconds a scripted sound takes at the very least
FASTEST = 1.6  # how much faster than that a whole script may be before it cannot be this one
SURE, STEEP = -2.4, 0.45  # evidence at which a sound is as likely right as wrong, and how fast
PRIOR_SECONDS, USUAL = 0.08, -1.0  # evidence that every word has to begin with
MOST_COUNTED = 0.2  # seconds that a sound which is held counts for in its word
FOREIGN = 2.4  # how much less evidence sounds of other languages leave in this model
STRANGER = 0.7  # a median word this far below doubt: the script is for something else
BESIDE_UNREAD = 0.45  # words beside unscripted speech are doubtful
SHORTEST_UNREAD = 0.12
# Evidence that the word in the middle has where a speaker is understood; below it speech that nobody wrote is taken to
# be as much worse, up to so much, if it makes a difference. Measured on 41 English recordings of nine voices: of 2.5
# such stretches a minute 0.4 are left, and words that really were left out are noticed as often (28 of 29)
UNDERSTOOD, MOST_SHORT, WORTH = -0.6, 2.5, 0.3


def listen(
    recording: str | Path | Recording,
    script: str,
    *,
    language: str = "en",
    lexicon: Lexicon | None = None,
    progress: Progress | None = None,
) -> Reading:
    """Find every phrase, word and sound of `script` in `recording`.

    Raises RecordingError, ScriptError or LanguageError, each with a sentence for the user.
    """
    voice_for(language)
    parse_script(script, language=language)
    if not isinstance(recording, Recording):
        recording = open_recording(recording)
    evidence = hear(recording, progress=share(progress, 0.0, 0.6))
    return listen_to(recording, evidence, script, language=language, lexicon=lexicon,
                     progress=share(progress, 0.6, 1.0))  # fmt: skip


def listen_to(
    recording: Recording,
    evidence: Evidence,
    script: str,
    *,
    language: str = "en",
    lexicon: Lexicon | None = None,
    progress: Progress | None = None,
    check: bool = True,
) -> Reading:
    """`listen` with evidence that was computed before. `check`: refuse another line's script."""
    phrases = parse_script(script, language=language)
    reading = place(recording, evidence, phrases, language=language, lexicon=lexicon,
                    progress=progress)  # fmt: skip
    if check:
        check_belonging(reading)
    return reading


def place(
    recording: Recording,
    evidence: Evidence,
    phrases: Sequence[ScriptPhrase],
    *,
    language: str,
    lexicon: Lexicon | None = None,
    progress: Progress | None = None,
) -> Reading:
    """Find parsed `phrases` in a recording that has been heard already."""
    words = [w for p in phrases for w in p.words]
    pronounced = pronounce(words, language=language, lexicon=lexicon)
    spelt = [
        w.text
        for w, p in zip(words, pronounced, strict=True)
        if p.source == "letters" and not w.language
    ]
    check_letters(" ".join(spelt), language)
    alternatives = [p.alternatives for p in pronounced]
    alignment = _aligned(recording, evidence.for_words_of(language), alternatives, progress)
    return assemble(recording, phrases, pronounced, alignment, language)


def _aligned(
    recording: Recording, evidence: Evidence, words: Sequence[Sequence[tuple[Unit, ...]]],
    progress: Progress | None,
) -> Alignment:  # fmt: skip
    """Every word with all its sounds; ScriptError where the recording is too short for them."""
    sounds = sum(min(len(a) for a in alternatives) for alternatives in words)
    states = sum(min(sum(len(u.model) for u in a) for a in alternatives) for alternatives in words)
    fast = sounds * SHORTEST_SOUND > recording.duration * FASTEST
    alignment = None
    if not fast and states * STATES <= len(evidence.table):
        alignment = align(evidence, words, progress=progress)
    if alignment is None or not _complete(alignment, words):
        raise ScriptError(
            f"The script is too long for this recording: {len(words)} words cannot be said "
            f"in {recording.duration:.1f} seconds; check that it is the right script."
        )
    return _fair(evidence, words, alignment, progress)


def _fair(
    evidence: Evidence, words: Sequence[Sequence[tuple[Unit, ...]]], alignment: Alignment, progress: Progress | None
) -> Alignment:  # fmt: skip
    """Aligned again where its words explain less than words usually do (a cold, an accent, noise): speech that nobody
    wrote, which explains as much of any voice, must not take their time for that."""
    if not alignment.unread or not alignment.words:
        return alignment
    middle = float(np.median([mean_evidence(w.sounds) for w in alignment.words]))
    short = min(UNDERSTOOD - middle, MOST_SHORT)
    if short < evidence.untaught + WORTH:
        return alignment
    told = (lambda _: progress(1.0)) if progress is not None else None  # so that it can be stopped
    again = align(replace(evidence, untaught=short), words, progress=told)
    return again if _complete(again, words) else alignment


def _complete(alignment: Alignment, words: Sequence[Sequence[tuple[Unit, ...]]]) -> bool:
    """Whether every word has all its sounds."""
    pairs = zip(words, alignment.words, strict=True)
    return all(len(found.sounds) == len(word[found.variant]) for word, found in pairs)


def check_belonging(reading: Reading) -> None:
    """ScriptError if a script seems to be for another recording: most of its words are as good as impossible."""
    sure = [w.confidence for w in reading.words()]
    least = confidence(even_odds(reading.language) - STRANGER, reading.language)
    if len(sure) >= 3 and np.median(sure) < least:
        raise ScriptError(
            "The script does not seem to belong to this recording: most of its words cannot be "
            f"heard in it; {_to_check(reading)}."
        )


def _to_check(reading: Reading) -> str:
    """What to do about a script that is not heard: most often its language is another."""
    (seems,) = languages_of([" ".join(w.text for w in reading.words())], reading.language)
    if seems == reading.language:
        return "check the script, the recording and the language"
    return f"it is written in {language_name(seems)} but listened to in {language_name(reading.language)}: choose its language"


def even_odds(language: str) -> float:
    """Evidence at which a word is as likely right as wrong."""
    return SURE if english(language) else SURE - FOREIGN


def confidence(evidence: float, language: str = "en") -> float:
    """Evidence (nats a frame, ≤ 0) as a confidence 0..1; 0.5 where right and wrong are even.

    Calibrated on speech with single words exchanged: 5 % of right words fall below 0.5 and 97 %
    of wrong ones do (English, four synthetic voices).
    """
    return float(1 / (1 + np.exp(-np.clip((evidence - even_odds(language)) / STEEP, -30, 30))))


def mean_evidence(sounds: Sequence[AlignedSound]) -> float:
    """Evidence of several sounds, weighed by their length; short words, where a frame or two may
    be anything, are drawn towards what is usual."""
    lengths = [*(np.clip(s.end - s.start, 1e-3, MOST_COUNTED) for s in sounds), PRIOR_SECONDS]
    return float(np.average([*(s.evidence for s in sounds), USUAL], weights=lengths))


def assemble(
    recording: Recording, phrases: Sequence[ScriptPhrase], pronounced: Sequence[Pronounced],
    alignment: Alignment, language: str,
) -> Reading:  # fmt: skip
    """An alignment with its script as a Reading."""
    flat = [s for w in alignment.words for s in w.sounds]
    times = iter(corrected(flat, recording.duration))
    unread = [(a, b) for a, b in alignment.unread if b - a >= SHORTEST_UNREAD]
    made: list[Phrase] = []
    number = 0
    for phrase in phrases:
        words = []
        for written in phrase.words:
            aligned = alignment.words[number]
            phones = tuple(_phone(s, *next(times), language) for s in aligned.sounds)
            words.append(
                Word(
                    written.text, phones[0].start, phones[-1].end,
                    round(confidence(mean_evidence(aligned.sounds), language), 3), phones,
                    pronounced[number].source, language=written.language,
                )
            )  # fmt: skip
            number += 1
        made.append(Phrase(phrase.text, words[0].start, words[-1].end, tuple(words)))
    audio = AudioInfo(recording.name, round(recording.duration, 6), recording.source_rate)
    spans = tuple(Span(round(a, 4), round(b, 4)) for a, b in unread)
    reading = Reading(language, audio, tuple(made), unread=spans)
    return doubt_beside_unread(reading)


def align_words(
    recording: Recording, evidence: Evidence, words: Sequence[Sequence[tuple[Unit, ...]]],
    *, progress: Progress | None = None,
) -> list[tuple[Placed, ...]]:  # fmt: skip
    """Find words with given sounds in a whole recording: corrected times, evidence of each."""
    alignment = _aligned(recording, evidence, words, progress)
    flat = [s for w in alignment.words for s in w.sounds]
    times = iter(corrected(flat, recording.duration))
    return [
        tuple(Placed(s.unit, *next(times), s.evidence) for s in w.sounds) for w in alignment.words
    ]


def assemble_unread(reading: Reading, evidence: Evidence) -> Reading:
    """The reading with the stretches of its pauses in which something is said after all."""
    spans = []
    at = 0.0
    for word in [*reading.words(), None]:
        until = word.start if word else reading.audio.duration
        if until - at > 2 * SHORTEST_UNREAD:
            spans += speech_between(evidence, at, until)
        at = word.end if word else until
    found = tuple(Span(round(a, 4), round(b, 4)) for a, b in spans)
    return doubt_beside_unread(msgspec.structs.replace(reading, unread=found))


def _phone(sound: AlignedSound, start: float, end: float, language: str) -> Phone:
    return Phone(
        sound.unit.ipa, round(start, 4), round(end, 4), sound.unit.stress,
        round(confidence(sound.evidence, language), 3),
    )  # fmt: skip


def doubt_beside_unread(reading: Reading) -> Reading:
    """Lower the confidence of words that stand next to speech that the script does not have."""
    if not reading.unread:
        return reading
    words = list(reading.words())
    beside = set()
    for span in reading.unread:
        before = [i for i, w in enumerate(words) if w.start < span.start]
        after = [i for i, w in enumerate(words) if w.start >= span.start]
        beside |= set(before[-1:]) | set(after[:1])
    return with_words(reading, lambda k, w: _doubted(w) if k in beside else w)


def _doubted(word: Word) -> Word:
    return msgspec.structs.replace(word, confidence=min(word.confidence, BESIDE_UNREAD))
