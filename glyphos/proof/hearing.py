"""What may be wrong with what was heard."""

from __future__ import annotations

import re
from difflib import SequenceMatcher
from functools import cache, lru_cache
from pathlib import Path

import numpy as np

from ..errors import GlyphosError
from ..files import State, file_state
from ..production.documents import Line
from ..speech.exclaimed import lasting
from ..speech.script import parse_script
from ..tables import rows
from ..voice.pitch import HOP
from .finding import Found, check
from .recording_check import RecordingCheck
from .recording_check import check as check_recording
from .subject import Subject, is_vowel, runs

UNCOVERED = 0.12  # seconds of voice between words that none covers
UNDER = 18.0  # dB under the voice that still count
BESIDE = 0.08  # seconds around words that belong to them
SILENT = 30.0  # dB under the voice
LONG = {True: 0.9, False: 0.5}  # seconds, of vowels and of others
SHORT = 0.012
THROUGHOUT = 0.85  # of a long sound that must be heard, or its edges are wrong
CLEANED = ("noise", "hum", "music")  # faults that a cleaned copy is free of
UNSURE = 0.43  # of a word: 69 of 72 wrong words in scripts are under it, and 3 right ones a minute
DOUBTED = 5  # words of a line that can be in another language without a sign of it
NAMES = {"en": "English", "it": "Italian", "es": "Spanish", "de": "German", "fr": "French"}
OWN = "our own measure of certainty (docs/speech.md)"
COMMON = "common practice, no source"


@check("doubtful-word", "hearing", "words that may not be what is said there", OWN)
def doubtful(subject: Subject) -> Found:
    for word in subject.words:
        if word.doubtful and word.confidence < UNSURE:
            yield "poor", f"“{word.text}” is doubtful; listen to it, then confirm or correct it.", word.start, word.end, word.confidence  # fmt: skip


@check("uncovered-speech", "hearing", "speech that no word covers", COMMON)
def uncovered(subject: Subject) -> Found:
    voice = subject.voice
    if voice is None:
        return
    outside = np.ones(len(voice.hertz), bool)
    for word in subject.words:
        outside[max(0, int((word.start - BESIDE) / HOP)) : int((word.end + BESIDE) / HOP) + 1] = (
            False
        )
    for mark in subject.reading.marks:
        outside[max(0, int(mark.start / HOP)) : int(mark.end / HOP) + 1] = False
    spoken = outside & voice.voiced & (voice.level > subject.loud - UNDER)
    for a, b in runs(outside):
        heard = np.flatnonzero(spoken[a:b])
        if len(heard) * HOP >= UNCOVERED:
            start, end = (a + heard[0]) * HOP, (a + heard[-1] + 1) * HOP
            yield "bad", f"{end - start:.1f} s of speech has no words; add what is said to the script.", start, end, len(heard) * HOP  # fmt: skip


@check("word-over-silence", "hearing", "words where nothing is heard", COMMON)
def over_silence(subject: Subject) -> Found:
    for word in subject.words:
        level = subject.level(word.start, word.end)
        if len(level) and np.isfinite(subject.loud):
            share = float((level > subject.loud - SILENT).mean())
            if share < 0.2:
                yield "bad", f"Nothing is heard where “{word.text}” stands; move it, or take it out.", word.start, word.end, share  # fmt: skip


@check("odd-length", "hearing", "sounds too short or too long for their kind", "limits beyond what Byrd (1993) and Crystal & House (1988) report of read speech, from memory")  # fmt: skip
def odd_length(subject: Subject) -> Found:
    # Written drawn out, or surely found where it sounds
    trusted = {
        p.start for w in subject.words if lasting(w.text) >= 2 or not w.doubtful for p in w.phones
    }
    for phone in subject.phones:
        seconds, vowel = phone.end - phone.start, is_vowel(phone.ipa)
        if phone.placed:
            continue
        if seconds > LONG[vowel]:
            level = subject.level(phone.start, phone.end)
            sounds = len(level) and float((level > subject.loud - UNDER).mean()) > THROUGHOUT
            if sounds and phone.start in trusted:  # it is drawn out
                continue
            yield "poor", f"/{phone.ipa}/ lasts {seconds:.2f} s; look at its edges.", phone.start, phone.end, seconds  # fmt: skip
        elif seconds < SHORT:
            yield "note", f"/{phone.ipa}/ lasts only {1000 * seconds:.0f} ms; look at its edges.", phone.start, phone.end, seconds  # fmt: skip


@check("cut-off", "hearing", "a recording that begins or ends within a word", COMMON)
def cut_off(subject: Subject) -> Found:
    if not subject.words or subject.voice is None:
        return
    whole = subject.reading.audio.duration
    for start, end, at, where in (
        (0.0, 0.03, subject.words[0].start, "begins"), (whole - 0.03, whole, whole - subject.words[-1].end, "ends"),
    ):  # fmt: skip
        level = subject.level(start, end)
        if at < 0.03 and len(level) and float(level.mean()) > subject.loud - 15:
            yield (
                "bad",
                f"The recording {where} within a word; export more of it.",
                start,
                end,
                float(level.mean()),
            )


@check("script-disagrees", "hearing", "a script that says something else than was heard", COMMON)
def script_disagrees(subject: Subject) -> Found:
    line = subject.line
    if not line.script.strip():
        return
    try:
        written = [
            w.text.lower()
            for p in parse_script(line.script, language=line.language)
            for w in p.words
        ]
    except GlyphosError:
        return
    read = [w.text.lower() for w in subject.words]
    for kind, a, b, c, d in SequenceMatcher(None, written, read, autojunk=False).get_opcodes():
        if kind != "equal":
            at = subject.words[min(c, len(subject.words) - 1)]
            words = " ".join(written[a:b]) or "nothing"
            yield "poor", f"The script says “{words}” where “{' '.join(read[c:d]) or 'nothing'}” stands; listen again (F5).", at.start, at.end, float(max(b - a, d - c))  # fmt: skip


@check(
    "recording", "hearing", "faults of the recording itself", "ITU-R BS.1770 for loudness; other limits are common practice", unheard=True
)  # fmt: skip
def recording(subject: Subject) -> Found:
    try:
        result = _checked(subject.audio, file_state(subject.audio))
    except (GlyphosError, OSError):
        return  # a recording that is away is another check's business
    for found in result.findings:
        if found.kind in CLEANED and subject.line.condition:
            continue  # it is listened to without
        if found.severity in ("poor", "bad"):
            yield (
                found.severity,
                f"{found.text} {found.advice}".strip(),
                0.0,
                result.duration,
                result.signal_to_noise,
            )


@lru_cache(maxsize=32)
def _checked(audio: Path, _state: State) -> RecordingCheck:
    """What is to be said of a recording; once for as long as its file is the same."""
    return check_recording(audio)


@check("wrong-language", "hearing", "words of another language than the line's", "our own measure: function words of four languages (data/function_words.csv), and doubt", unheard=True)  # fmt: skip
def wrong_language(subject: Subject) -> Found:
    suggested, words = other_language(subject.line)
    if not subject.heard:
        if suggested:
            yield "bad", f"The script looks like {NAMES[suggested]} ({words}), but the line's language is “{subject.line.language}”.", 0.0, 0.0, 0.0  # fmt: skip
        return
    unsure = sum(w.doubtful for w in subject.words) / len(subject.words)
    whole = subject.reading.audio.duration
    if suggested and unsure > 0.3:
        yield "bad", f"The words look like {NAMES[suggested]} ({words}), but the line's language is “{subject.line.language}”.", 0.0, whole, unsure  # fmt: skip
    elif not suggested and len(subject.words) >= DOUBTED and unsure > 0.7:
        yield "poor", f"{unsure:.0%} of the words are doubtful; is it another language, or another text?", 0.0, whole, unsure  # fmt: skip


def other_language(line: Line) -> tuple[str, str]:
    """A language whose small words a script has many more of than of its own, and those words; "" for none."""
    said = re.findall(r"[^\W\d_]+", (line.script or "").lower())
    if line.reading is not None and not said:
        said = [w.text.lower() for w in line.reading.words()]
    own = line.language.partition("-")[0].partition("_")[0]
    found = {code: [w for w in said if w in small] for code, small in _small_words().items()}
    if own not in found or not said:
        return "", ""
    best = max(found, key=lambda code: len(found[code]))
    more = len(found[best]) - len(found[own])
    if best != own and more >= 2 and len(found[best]) >= 0.15 * len(said):
        return best, ", ".join(dict.fromkeys(found[best]))
    return "", ""


@cache
def _small_words() -> dict[str, frozenset[str]]:
    return {r["language"]: frozenset(r["words"].split(";")) for r in rows("function_words.csv")}
