"""Lines before there is an actor: a script becomes lines that a placeholder voice speaks.

Our own engine tells the times of its sounds; a command of the user's (text on standard input, WAV on standard
output) is listened to like any recording.
"""

from __future__ import annotations

import hashlib
import io
import tempfile
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path
from zlib import crc32

import msgspec
import numpy as np
import soundfile
from numpy.typing import NDArray

from ..errors import RecordingError, SaveError, ScriptError
from ..files import reason, write_atomic
from ..production.adding import digest, languages_told, tongues_of
from ..production.carrying import reread, with_reading
from ..production.documents import Line, known_as, slugify
from ..production.kinds import Changes
from ..production.production import Production
from ..progress import Progress, share
from ..speech.captioned import plain
from ..speech.reading import Reading
from ..speech.saying import KINDS, PlaceholderVoice, say
from ..speech.screenplay import as_turns
from ..speech.script import read_aloud
from ..speech.turns import DIRECTION, paragraphs_of
from .command import by_command

ENGINE = "placeholder voice"
MOST = 400  # lines of one script


@dataclass(frozen=True)
class Spoken:
    """Lines that were made, a sentence for each part of the script that could not be said, what of a screenplay
    nobody says, and of which lines the text told its language, as the end of a sentence."""

    lines: tuple[Line, ...]
    refused: tuple[str, ...] = ()
    unsaid: tuple[str, ...] = ()
    tongues: str = ""


def voice_of(production: Production, speaker: str) -> PlaceholderVoice:
    """The voice a speaker has, or one that is unlike the others and always the same for a name."""
    wanted = known_as(speaker)
    kept = (v for name, v in production.header.voices.items() if known_as(name) == wanted)
    return next(kept, None) or usual_voice(speaker)


def with_voice(production: Production, speaker: str, voice: PlaceholderVoice) -> Changes:
    """What is to be kept so that a speaker has a voice, however their name was written before."""
    wanted = known_as(speaker)
    others = {n: v for n, v in production.header.voices.items() if known_as(n) != wanted}
    return production.headed(voices=others | {speaker.strip(): voice})


def usual_voice(speaker: str) -> PlaceholderVoice:
    """A voice for a name."""
    if not speaker:
        return PlaceholderVoice()
    number = crc32(known_as(speaker).encode())
    kinds = [k for k in KINDS if k[:1] in ("f", "m")]
    return PlaceholderVoice(kind=kinds[number % len(kinds)], pitch=35 + number // 16 % 31, pace=145 + number // 512 % 31)  # fmt: skip


def turns_of(script: str, known: Collection[str] = ()) -> list[tuple[str, str]]:
    """Speaker and text of everything that is said by itself. known: speakers that there are. ScriptError where that
    is nothing, or too much."""
    turns = [
        (speaker, text)
        for speaker, text in paragraphs_of(as_turns(script, known)[0], known=known, typed=True)
        if any(c.isalnum() for c in DIRECTION.sub("", text))
    ]
    if not turns:
        raise ScriptError("There is nothing to say in this text; type words, with NAME: before them if several speak.")  # fmt: skip
    if len(turns) > MOST:
        raise ScriptError(f"This script has {len(turns)} turns; say at most {MOST} at a time.")
    return turns


def spoken(
    production: Production, script: str, *, speaker: str = "", language: str = "", command: str = "",
    progress: Progress | None = None,
) -> Spoken:  # fmt: skip
    """Lines for a script, their recordings in the production's `audio`. speaker: of what names none; command: a
    voice of the user's. Where neither a voice nor `language` says in which language, the text does, as far as it is
    sure. They are given back for `production.added`; progress may raise Cancelled."""
    lines: list[Line] = []
    refused: list[str] = []
    taken = set(production.slugs)
    turns = turns_of(script, production.speakers)
    tongues = (
        [language] * len(turns)
        if language
        else tongues_of(production, [plain(text) for _, text in turns])
    )
    told: list[Line] = []
    for number, ((own, text), tongue) in enumerate(zip(turns, tongues, strict=True)):
        if progress is not None:
            progress(number / len(turns))
        try:
            line = spoken_line(
                production, text, own or speaker, taken, language=tongue, command=command,
                progress=share(progress, number / len(turns), (number + 1) / len(turns)),
            )  # fmt: skip
        except SaveError:
            raise
        except (ScriptError, RecordingError) as error:
            refused.append(f"“{text[:40]}”: {error}")
            continue
        taken.add(line.slug)
        lines.append(line)
        if not language and not voice_of(production, line.speaker).language:
            told.append(line)
    unsaid = as_turns(script, production.speakers)[1]
    return Spoken(
        tuple(lines), tuple(refused), unsaid, languages_told(told, production.header.language)
    )


def spoken_line(
    production: Production, text: str, speaker: str, taken: Collection[str], *, language: str = "", command: str = "",
    progress: Progress | None = None,
) -> Line:  # fmt: skip
    """One line with its recording. ScriptError or LanguageError says why it cannot be said, RecordingError what a
    command did; progress may raise Cancelled while that speaks."""
    voice = voice_of(production, speaker)
    tongue = voice.language or language or production.header.language
    words = " ".join(plain(text).split()[:4])
    slug = slugify(f"{speaker} {words}".strip(), taken)
    line = Line(slug, f"audio/{slug}.wav", speaker, text, tongue, placeholder=command or ENGINE)
    if command:
        data = by_command(command, read_aloud(text), progress=progress)
        return _heard(production, line, data)
    said = say(text, voice, language=tongue, name=f"{slug}.wav")
    made = _kept(production, line, wav_of(said.samples, said.rate))
    return with_reading(
        msgspec.structs.replace(made, duration=said.duration), _named(said.reading, made)
    )


def respoken(
    production: Production, line: Line, *, command: str = "", progress: Progress | None = None
) -> Line:
    """A placeholder line said again, with its speaker's voice and script as they are now, under the same name."""
    others = set(production.slugs) - {line.slug}
    made = spoken_line(
        production, line.script, line.speaker, others, language=line.language, command=command,
        progress=progress,
    )  # fmt: skip
    assert made.reading is not None
    moved = msgspec.structs.replace(line, audio=made.audio, duration=made.duration, digest=made.digest,
                                    language=made.language, placeholder=made.placeholder, problem="")  # fmt: skip
    return reread(moved, made.reading)


def wav_of(samples: NDArray[np.float32], rate: int) -> bytes:
    """A recording of 16 bits."""
    made = io.BytesIO()
    soundfile.write(made, samples, rate, format="WAV", subtype="PCM_16")
    return made.getvalue()


def _kept(production: Production, line: Line, data: bytes) -> Line:
    """Write the recording under a name that says what is in it, so that it is never confused with another."""
    fingerprint = hashlib.blake2b(data, digest_size=4).hexdigest()
    place = f"audio/{line.slug}-{fingerprint}.wav"
    path = production.folder / place
    try:
        path.parent.mkdir(exist_ok=True)
    except OSError as error:
        raise SaveError(f"{path.parent} cannot be made: {reason(error)}.") from None
    write_atomic(path, data)
    return msgspec.structs.replace(line, audio=place, digest=digest(path))


def _named(reading: Reading, line: Line) -> Reading:
    audio = msgspec.structs.replace(reading.audio, file=line.file)
    return msgspec.structs.replace(reading, audio=audio)


def _heard(production: Production, line: Line, data: bytes) -> Line:
    from ..speech.listening import listen_line
    from ..speech.recording import open_recording

    with tempfile.TemporaryDirectory() as folder:  # it is kept once it is known to be speech
        path = Path(folder) / f"{line.slug}.wav"
        write_atomic(path, data)
        recording = open_recording(path)
        reading = listen_line(
            recording, line.script, language=line.language, lexicon=production.lexicon
        )
    made = _kept(production, line, data)
    return with_reading(
        msgspec.structs.replace(made, duration=recording.duration), _named(reading, made)
    )
