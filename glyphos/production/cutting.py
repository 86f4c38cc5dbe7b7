"""Cutting one long recording into lines: at the script's paragraphs and speakers, or at pauses."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path

import msgspec
import numpy as np
import soundfile
from numpy.typing import NDArray

from ..characters.drawings.pins import within
from ..errors import SaveError, ScriptError
from ..files import reason
from ..progress import Progress
from ..speech.parts import Flat
from ..speech.reading import AudioInfo, Phrase, Reading
from ..speech.recording import read_channels
from ..speech.turns import paragraphs_of
from .adding import digest
from .carrying import cut_to
from .documents import Line, slugify
from .production import Production

PAUSE = 0.8  # a pause this long parts two lines
KEPT = 0.25  # seconds of pause kept on either side of a cut
_NOTHING = AudioInfo("", 0.0, 0)


def cut_line(
    production: Production, line: Line, *, pauses: bool = False, pause: float = PAUSE,
    progress: Progress | None = None,
) -> tuple[Line, ...]:  # fmt: skip
    """A line as several, each with its own piece of the recording (for `production.replaced`).

    pauses: cut where nothing is said for `pause` seconds; else at paragraphs and `NAME:` turns.
    The line must have been listened to, since that tells where its words are.
    """
    if line.reading is None or not line.reading.phrases:
        raise ScriptError("Listen to the line first; then it is known where it can be cut.")
    groups = by_pauses(line.reading, pause) if pauses else by_paragraphs(line.reading, line.script)
    if len(groups) < 2:
        where = "no pause is long enough" if pauses else "its script has one paragraph only"
        raise ScriptError(f"There is nowhere to cut this line: {where}.")
    samples, rate = read_channels(production.audio_path(line))
    taken = set(production.slugs)
    made: list[Line] = []
    try:
        for number, (speaker, phrases) in enumerate(groups):
            if progress is not None:
                progress(number / len(groups))
            start, end = _span(groups, number, line.reading.audio.duration)
            slug = slugify(f"{line.slug}-{number + 1:02d}", taken)
            taken.add(slug)
            piece = _write_piece(production, slug, samples, rate, start, end)
            made.append(_piece_line(line, slug, speaker, phrases, start, end, piece))
    except BaseException:
        forget_pieces(production, made)
        raise
    return tuple(made)


def _span(
    groups: Sequence[tuple[str, list[Phrase]]], number: int, duration: float
) -> tuple[float, float]:
    """Seconds from which to which a piece takes the recording, with a little of the pauses."""
    phrases = groups[number][1]
    before = groups[number - 1][1][-1].end if number else 0.0
    after = groups[number + 1][1][0].start if number + 1 < len(groups) else duration
    start = max((before + phrases[0].start) / 2, phrases[0].start - KEPT, 0.0)
    return start, min((after + phrases[-1].end) / 2, phrases[-1].end + KEPT)


def forget_pieces(production: Production, lines: Iterable[Line]) -> None:
    """Take away the recordings of a cut that is not made after all."""
    for line in lines:
        production.audio_path(line).unlink(missing_ok=True)


def by_pauses(reading: Reading, pause: float) -> list[tuple[str, list[Phrase]]]:
    """Phrases in groups, parted by pauses of at least `pause` seconds."""
    groups: list[tuple[str, list[Phrase]]] = []
    for phrase in reading.phrases:
        if not groups or phrase.start - groups[-1][1][-1].end >= pause:
            groups.append(("", []))
        groups[-1][1].append(phrase)
    return groups


def by_paragraphs(reading: Reading, script: str) -> list[tuple[str, list[Phrase]]]:
    """Phrases in groups, as the script's paragraphs have them, each with its speaker."""
    from ..speech.script import parse_script

    left = list(reading.phrases)
    groups = []
    for speaker, text in paragraphs_of(script):
        try:
            count = sum(len(p.words) for p in parse_script(text, language=reading.language))
        except ScriptError:
            continue  # nothing but directions
        own: list[Phrase] = []
        while left and sum(len(p.words) for p in own) < count:
            own.append(left.pop(0))
        if own:
            groups.append((speaker, own))
    if left and groups:
        groups[-1][1].extend(left)
    return groups


def _write_piece(
    production: Production,
    slug: str,
    samples: NDArray[np.float32],
    rate: int,
    start: float,
    end: float,
) -> Path:
    target, number = production.folder / "audio" / f"{slug}.flac", 2
    while target.exists():
        target, number = target.with_name(f"{slug}-{number}.flac"), number + 1
    temporary = target.with_name(f".incoming-{slug}.flac")
    try:
        target.parent.mkdir(exist_ok=True)
        soundfile.write(
            os.fsencode(temporary),
            samples[int(start * rate) : int(end * rate)],
            rate,
            subtype="PCM_24",
        )
        os.replace(temporary, target)
    except (OSError, soundfile.LibsndfileError) as error:
        temporary.unlink(missing_ok=True)
        text = reason(error) if isinstance(error, OSError) else str(error)
        raise SaveError(f"{target.name} cannot be written: {text}.") from None
    return target


def _piece_line(
    line: Line, slug: str, speaker: str, phrases: list[Phrase],
    start: float, end: float, piece: Path,
) -> Line:  # fmt: skip
    assert line.reading is not None
    audio = msgspec.structs.replace(
        line.reading.audio, file=piece.name, duration=round(end - start, 6)
    )
    moved = tuple(_earlier(p, start) for p in phrases)
    marks = tuple(
        msgspec.structs.replace(m, start=round(m.start - start, 4), end=round(m.end - start, 4))
        for m in line.reading.marks
        if m.start >= start and m.end <= end
    )
    reading = msgspec.structs.replace(
        line.reading, audio=audio, phrases=moved, marks=marks, unread=()
    )
    return msgspec.structs.replace(
        line, slug=slug, audio=f"audio/{piece.name}", speaker=speaker or line.speaker,
        script=reading.text, reading=reading, duration=round(end - start, 6), digest=digest(piece),
        offered=(), confirmed=False, channel=0,
        held=within(line.held, line.reading, start, end, reading), **cut_to(line, reading, start, end),
    )  # fmt: skip


def _earlier(phrase: Phrase, by: float) -> Phrase:
    flat = Flat(Reading("", _NOTHING, (phrase,)))
    phones = iter(
        msgspec.structs.replace(p, start=round(p.start - by, 4), end=round(p.end - by, 4))
        for p in flat.phones
    )
    words = []
    for word in phrase.words:
        own = tuple(next(phones) for _ in word.phones)
        words.append(msgspec.structs.replace(word, phones=own, start=own[0].start, end=own[-1].end))
    return Phrase(phrase.text, words[0].start, words[-1].end, tuple(words))
