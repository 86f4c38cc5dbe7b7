"""Timing for other programs, and back: captions (WebVTT, SRT), CSV, interval text, Reading JSON.

CSV, interval text (the `TextGrid` format of phonetics tools, through praatio) and JSON hold
phrases, words and sounds; captions hold phrases, WebVTT their words too (as its timestamp tags).
What is written and read again has equal timing, to the resolution of the format: captions count
milliseconds, the others a tenth of one.
"""

from __future__ import annotations

import csv
import html
import io
import re
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import msgspec

from ..errors import DocumentError, SaveError, ScriptError
from ..files import reason, text_of, write_atomic
from ..speech.checking import check_reading
from ..speech.parts import refit
from ..speech.phones import from_dictionary
from ..speech.reading import AudioInfo, Phone, Phrase, Reading, Word, decode, encode
from ..speech.script import parse_script, read_aloud
from ..tables import named_rows
from .written import signs_around

COLUMNS = (
    "phrase",
    "word",
    "sound",
    "start",
    "end",
    "stress",
    "pinned",
    "pinned_end",
    "confidence",
)
TIERS = ("phrases", "words", "sounds")
STAMP = re.compile(r"(?:(\d+):)?(\d{1,2}):(\d{2})[.,](\d{3})")
SPAN = re.compile(rf"{STAMP.pattern}\s+-->\s+{STAMP.pattern}")
SILENT = frozenset(["", "sil", "sp", "spn", "silence", "pau", "<eps>", "<p:>", "_", "#"])
TAG = re.compile(r"<[^>]*>")
CLASSED = re.compile(r"<c(?:\.[^>]*)?>(.*?)</c>", re.DOTALL)


def save(reading: Reading, path: str | Path) -> None:
    """Write timing in the format that the ending of `path` names."""
    path = Path(path)
    writer = WRITERS.get(path.suffix.lower())
    if writer is None:
        raise SaveError(f"{path.name} should end in one of: {', '.join(WRITERS)}.")
    write_atomic(path, writer(reading))


def load(path: str | Path, audio: AudioInfo, *, language: str = "en") -> Reading:
    """Read timing written by `save` or by another program, for a recording.

    Captions without word times spread their words over each phrase; listen again to find them.
    Raises DocumentError for anything that cannot be understood.
    """
    path = Path(path)
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        raise DocumentError(f"{path.name} should end in one of: {', '.join(READERS)}.")
    try:
        data = text_of(path.read_bytes(), path.name).encode()
    except OSError as error:
        raise DocumentError(f"{path} cannot be read: {reason(error)}.") from None
    try:
        reading = reader(data, audio, language)
    except (ValueError, KeyError, IndexError, StopIteration, TypeError) as error:
        raise DocumentError(
            f"{path.name} holds no timing that can be understood: {error}."
        ) from None
    return _checked(reading, path.name)


def _checked(reading: Reading, name: str) -> Reading:
    if not reading.phrases:
        raise DocumentError(f"{name} holds no phrases.")
    try:
        check_reading(reading)
    except DocumentError as error:
        raise DocumentError(f"{name} holds timing that cannot be used: {error}.") from None
    last = max(w.end for w in reading.words())
    if last > reading.audio.duration + 0.5 and reading.audio.duration > 0:
        raise DocumentError(
            f"{name} goes on to {last:.1f} s, but the recording ends at "
            f"{reading.audio.duration:.1f} s; is it for another recording?"
        )
    return reading


# ---- captions -------------------------------------------------------------------------------


def _stamp(seconds: float, point: str) -> str:
    whole = round(seconds * 1000)
    rest, milliseconds = divmod(whole, 1000)
    minutes, second = divmod(rest, 60)
    return f"{minutes // 60:02d}:{minutes % 60:02d}:{second:02d}{point}{milliseconds:03d}"


def _seconds(groups: Sequence[str | None]) -> float:
    hours, minutes, seconds, milliseconds = (int(g or 0) for g in groups)
    return hours * 3600 + minutes * 60 + seconds + milliseconds / 1000


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _plain(text: str) -> str:
    return html.unescape(TAG.sub("", text)).replace("\u00a0", " ")


def to_webvtt(reading: Reading, voices: Sequence[str] = ()) -> bytes:
    """A cue a phrase as it is written, with a timestamp tag at each word's start and end (W3C WebVTT). voices: who says
    each phrase, for its voice tag."""
    lines = ["WEBVTT", ""]
    for phrase, voice in zip(reading.phrases, voices or [""] * len(reading.phrases), strict=True):
        lines.append(f"{_stamp(phrase.start, '.')} --> {_stamp(phrase.end, '.')}")
        text = f"<v {_escaped(' '.join(voice.split()))}>" if voice else ""
        for k, (word, (opening, closing)) in enumerate(
            zip(phrase.words, signs_around(phrase), strict=True)
        ):
            text += _escaped(opening)
            before = phrase.words[k - 1].end if k else phrase.start
            if round(word.start * 1000) != round(before * 1000):
                text += f"<{_stamp(word.start, '.')}>"
            text += f"<c>{_escaped(word.text)}</c>{_escaped(closing)}"
            if k + 1 < len(phrase.words):
                text += f"<{_stamp(word.end, '.')}>"
        lines += [text, ""]
    return "\n".join(lines).encode()


def to_srt(reading: Reading) -> bytes:
    """A numbered caption a phrase."""
    blocks = [
        f"{number}\n{_stamp(p.start, ',')} --> {_stamp(p.end, ',')}\n{read_aloud(p.text)}\n"
        for number, p in enumerate(reading.phrases, 1)
    ]
    return "\n".join(blocks).encode()


def from_captions(data: bytes, audio: AudioInfo, language: str) -> Reading:
    """Captions of either kind; words by their timestamp tags, else spread by their letters."""
    text = data.decode()
    phrases = []
    for block in re.split(r"\n\s*\n", text):
        match = SPAN.search(block)
        if match is None:
            continue
        start, end = _seconds(match.groups()[:4]), _seconds(match.groups()[4:8])
        body = " ".join(block[match.end() :].split("\n")[1:]).strip()
        words = _tagged(body, start, end) or _spread(_plain(body), start, end, language)
        if words:
            written = " ".join(_plain(body).split())
            phrases.append(Phrase(written, start, end, tuple(words)))
    return Reading(language, audio, tuple(phrases))


def _tagged(body: str, start: float, end: float) -> list[Word]:
    if "<c>" not in body and not STAMP.search(body):
        return []
    words: list[Word] = []
    at = start
    for piece in re.split(r"(<[\d:.]+>)", body):
        stamp = STAMP.fullmatch(piece.strip("<>"))
        if stamp:
            at = _seconds(stamp.groups())
            if words and words[-1].end == end:
                words[-1] = msgspec.structs.replace(words[-1], end=at)
        else:  # signs around a word stand outside its class, where there is one
            classed, beside = CLASSED.findall(piece), _plain(CLASSED.sub("", piece))
            alone = len(classed) == 1 and not any(c.isalnum() for c in beside)
            said = _plain(classed[0] if alone else piece).strip()
            if any(c.isalnum() for c in said):
                words.append(_blank(said, at, end))
    return [_blank(w.text, w.start, w.end) for w in words]


def _spread(text: str, start: float, end: float, language: str) -> list[Word]:
    try:
        parsed = [w.text for p in parse_script(text, language=language) for w in p.words]
    except ScriptError:
        return []  # a caption such as [MUSIC], in which nothing is said
    total = sum(len(w) + 1 for w in parsed)
    words, at = [], start
    for word in parsed:
        until = min(end, at + (end - start) * (len(word) + 1) / total)
        words.append(_blank(word, round(at, 4), round(until, 4)))
        at = until
    return words


def _blank(text: str, start: float, end: float) -> Word:
    """A word whose sounds are not known: to be listened for."""
    return Word(text, start, end, 0.5, (Phone("ə", start, end, 0, 0.5),), "captions")


# ---- tables ---------------------------------------------------------------------------------


def to_csv(reading: Reading) -> bytes:
    """A row a sound; phrases and words are numbered, with their text in the first row of each."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(COLUMNS)
    for phrase in reading.phrases:
        phrase_text = phrase.text
        for word in phrase.words:
            word_text = word.text
            for p in word.phones:
                rows.writerow([phrase_text, word_text, p.ipa, f"{p.start:.4f}", f"{p.end:.4f}", p.stress,
                               int(p.pinned), int(p.pinned_end), f"{p.confidence:.3f}"])  # fmt: skip
                phrase_text = word_text = ""
    return out.getvalue().encode()


def from_csv(data: bytes, audio: AudioInfo, language: str) -> Reading:
    """What `to_csv` wrote, or any table with the columns phrase, word, sound, start and end."""
    names, rows = named_rows(data.decode(), "The table")
    missing = [c for c in COLUMNS[:5] if c not in names]
    if missing:
        raise ValueError(f"the columns {', '.join(missing)} are missing")
    phrases: list[tuple[str, list[tuple[str, list[Phone]]]]] = []
    named = in_ipa([(0.0, 0.0, r["sound"]) for r in rows])
    if len(named) != len(rows):
        raise ValueError("it has rows without a sound")
    for row, sound in zip(rows, named, strict=True):
        if row["phrase"] or not phrases:
            phrases.append((row["phrase"], []))
        if row["word"] or not phrases[-1][1]:
            phrases[-1][1].append((row["word"], []))
        phrases[-1][1][-1][1].append(
            Phone(sound.ipa, float(row["start"]), float(row["end"]), int(row.get("stress") or sound.stress),
                  float(row.get("confidence") or 1), (row.get("pinned") or "0") == "1",
                  (row.get("pinned_end") or "0") == "1")
        )  # fmt: skip
    made = tuple(
        _phrase(text, [Word(w, p[0].start, p[-1].end, 1.0, tuple(p), "table") for w, p in words])
        for text, words in phrases
    )
    return Reading(language, audio, made)


def _phrase(text: str, words: Sequence[Word]) -> Phrase:
    written = text or " ".join(w.text for w in words)
    return refit(Phrase(written, 0.0, 0.0, ()), tuple(words))


# ---- interval text --------------------------------------------------------------------------


def to_intervals(reading: Reading) -> bytes:
    """Three tiers of intervals, phrases, words and sounds, in the TextGrid text format."""
    from praatio import textgrid
    from praatio.utilities.constants import Interval

    end = max(reading.audio.duration, max((w.end for w in reading.words()), default=0.0))
    grid = textgrid.Textgrid(0, end)
    rows = {
        "phrases": [(p.start, p.end, p.text) for p in reading.phrases],
        "words": [(w.start, w.end, w.text) for w in reading.words()],
        "sounds": [(s.start, s.end, s.ipa) for s in reading.phones()],
    }
    for name in TIERS:
        entries = [Interval(a, b, text.replace("\n", " ")) for a, b, text in rows[name] if b > a]
        grid.addTier(textgrid.IntervalTier(name, entries, 0, end))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "timing.TextGrid"
        grid.save(str(path), format="long_textgrid", includeBlankSpaces=True)
        return path.read_bytes()


def from_intervals(data: bytes, audio: AudioInfo, language: str) -> Reading:
    """Tiers named phrases, words and sounds (or the last three of any names), nested by time."""
    from praatio import textgrid
    from praatio.utilities.errors import PraatioException

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "timing.TextGrid"
        path.write_bytes(data)
        try:
            grid = textgrid.openTextgrid(str(path), includeEmptyIntervals=False)
        except PraatioException as error:
            raise ValueError(str(error)) from None
    tiers: dict[str, list[Any]] = {n: list(grid.getTier(n).entries) for n in grid.tierNames}
    words = _tier(tiers, ("words", "word"))
    sounds = _tier(tiers, ("sounds", "phones", "phone", "segments"))
    phrases = _tier(tiers, ("phrases", "phrase", "utterances", "sentences"))
    if not words and not sounds:
        raise ValueError("it has no tier named words or sounds")
    if not words:
        words = [(p.start, p.end, f"/{p.ipa}/") for p in in_ipa(sounds)]
    made = []
    phones = in_ipa(sounds)
    for start, end, text in words:
        own = tuple(p for p in phones if start - 1e-4 <= p.start < end - 1e-4)
        word = Word(text, start, end, 1.0, own, "table") if own else _blank(text, start, end)
        made.append(word)
    if not phrases:
        return Reading(language, audio, (_phrase("", made),))
    grouped = []
    for start, end, text in phrases:
        inside = [w for w in made if start - 1e-4 <= w.start < end - 1e-4]
        if inside:
            grouped.append(_phrase(text, inside))
    return Reading(language, audio, tuple(grouped))


def in_ipa(sounds: Sequence[tuple[float, float, str]]) -> list[Phone]:
    """Sounds as other programs name them: IPA, or the dictionary's alphabet with stress digits
    (`AH0`), in which silences are left out."""
    spoken = [s for s in sounds if s[2].strip().lower() not in SILENT]
    try:
        units = [from_dictionary([s[2].strip()])[0] for s in spoken]
    except (ValueError, IndexError):
        return [Phone(s[2].strip(), s[0], s[1]) for s in spoken]
    return [Phone(u.ipa, s[0], s[1], u.stress) for u, s in zip(units, spoken, strict=True)]


def _tier(tiers: dict[str, list[Any]], names: Sequence[str]) -> list[tuple[float, float, str]]:
    for name, entries in tiers.items():
        if name.strip().lower() in names:
            rows = [(round(e[0], 4), round(e[1], 4), e[2].strip()) for e in entries]
            return [r for r in rows if r[2].lower() not in SILENT]
    return []


def from_json(data: bytes, audio: AudioInfo, language: str) -> Reading:
    """A Reading as JSON, for this recording."""
    return msgspec.structs.replace(decode(data), audio=audio)


WRITERS: dict[str, Callable[[Reading], bytes]] = {
    ".vtt": to_webvtt, ".srt": to_srt, ".csv": to_csv, ".textgrid": to_intervals, ".json": encode,
}  # fmt: skip
READERS: dict[str, Callable[[bytes, AudioInfo, str], Reading]] = {
    ".vtt": from_captions, ".srt": from_captions, ".csv": from_csv, ".textgrid": from_intervals,
    ".json": from_json,
}  # fmt: skip
