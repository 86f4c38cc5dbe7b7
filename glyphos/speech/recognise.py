"""Listening without a script: words as a draft to be corrected, or sounds only.

Words: the recogniser's language model over pieces cut at pauses, then our own alignment.
Sounds only: a loop over all phones of the acoustic model, with how often each follows each in the
English dictionary as phonotactics; for any language, for nonsense, for singing.
"""

from __future__ import annotations

import re
from functools import cache
from itertools import pairwise
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..errors import LanguageError, RecordingError
from ..progress import Progress, share
from . import frontend
from .acoustic import STATES, AcousticModel
from .align import AlignedSound, Evidence
from .hearing import hear
from .languages import english
from .lexicon import pronunciations_of, vocabulary
from .listen import assemble_unread, confidence, listen_to
from .phones import Unit, model_spelling
from .reading import AudioInfo, Phone, Phrase, Reading, Word
from .recording import Recording
from .timing import corrected

LONGEST_PIECE = 20.0  # seconds recognised at a time
PAUSE = 0.35  # a silence this long ends a phrase of a draft
BEAM, WORD_BEAM, MOST_STATES = 1e-46, 7e-28, 5000
WORD_WEIGHT = 6.0  # of the words against the sounds in the second pass; 8.5 trusts them too much
LEVEL = 0.9
LOOP_WEIGHT = 1.6  # of the phonotactics against the sounds
LOOP_PENALTY = -4.0  # for every new sound
Doubles = NDArray[np.float64]


def draft_script(recording: Recording, *, progress: Progress | None = None) -> str:
    """What is said, as well as it can be made out (English): a phrase a line."""
    signal = recording.samples * np.float32(LEVEL / max(recording.peak, 1e-6))
    pieces = speech_pieces(recording)
    decoder = _decoder()
    lines = []
    for number, (start, end) in enumerate(pieces):
        if progress is not None:
            progress(number / len(pieces))
        part = signal[int(start * frontend.RATE) : int(end * frontend.RATE)]
        lines += _recognised(decoder, part)
    if not lines:
        raise RecordingError(
            f"No words could be made out in {recording.path.name}; type the script, "
            "or listen for sounds only."
        )
    return "\n".join(lines)


@cache
def _decoder() -> Any:
    from pocketsphinx import Decoder, get_model_path

    return Decoder(
        hmm=get_model_path("en-us/en-us"), lm=get_model_path("en-us/en-us.lm.bin"),
        dict=get_model_path("en-us/cmudict-en-us.dict"), loglevel="FATAL",
        beam=BEAM, wbeam=WORD_BEAM, pbeam=BEAM, maxhmmpf=MOST_STATES, fwdflatlw=WORD_WEIGHT,
    )  # fmt: skip


def _recognised(decoder: Any, part: NDArray[np.float32]) -> list[str]:
    data = (np.clip(part, -1, 1) * 32767).astype("<i2").tobytes()
    decoder.start_utt()
    decoder.process_raw(data, no_search=False, full_utt=True)
    decoder.end_utt()
    lines: list[list[str]] = [[]]
    for segment in decoder.seg() or ():
        silent = segment.word.startswith(("<", "[", "+"))
        if not silent:
            lines[-1].append(re.sub(r"\(\d+\)$", "", segment.word))
        elif segment.end_frame - segment.start_frame > PAUSE * 100 and lines[-1]:
            lines.append([])
    return [" ".join(words) for words in lines if words]


def speech_pieces(
    recording: Recording, *, longest: float = LONGEST_PIECE, pause: float = 0.3
) -> list[tuple[float, float]]:
    """Stretches of a recording cut in its quietest pauses, none longer than `longest` seconds."""
    quiet = quiet_frames(recording)
    duration = recording.duration
    pieces, start = [], 0.0
    while duration - start > longest:
        low, high = int((start + 0.4 * longest) * 100), int((start + longest) * 100)
        cut = _middle_of_quiet(quiet[low:high], int(pause * 100))
        at = (low + cut) / 100
        pieces.append((start, at))
        start = at
    return [*pieces, (start, duration)]


def quiet_frames(recording: Recording) -> Doubles:
    """How far each 10 ms frame is below speech level: 0 in speech, up to 1 in silence."""
    size = frontend.HOP
    count = len(recording.samples) // size
    power = (recording.samples[: count * size].reshape(count, size) ** 2).mean(axis=1)
    level = 10 * np.log10(power.astype(np.float64) + 1e-10)
    smooth = np.convolve(level, np.ones(9) / 9, mode="same")
    low, high = np.percentile(smooth, [5, 95])
    return np.asarray(
        np.clip((low + 0.6 * (high - low) - smooth) / max(1.0, 0.6 * (high - low)), 0, 1)
    )


def _middle_of_quiet(quiet: Doubles, width: int) -> int:
    if len(quiet) == 0:
        return 0
    width = max(1, min(width, len(quiet)))
    mean = np.convolve(quiet, np.ones(width) / width, mode="same")
    return int(mean.argmax())


def listen_without_script(
    recording: Recording, *, language: str = "en", progress: Progress | None = None
) -> Reading:
    """Recognise the words, then find them in time; every word's source is `heard`.

    Raises LanguageError for other languages than English: `listen_for_sounds` serves them.
    """
    if not english(language):
        raise LanguageError(
            "Without a script only English words can be made out; type the script, "
            "or listen for sounds only."
        )
    text = draft_script(recording, progress=share(progress, 0.0, 0.85))
    reading = listen_to(recording, hear(recording), text, language=language,
                        progress=share(progress, 0.85, 1.0), check=False)  # fmt: skip
    phrases = tuple(
        Phrase(p.text, p.start, p.end, tuple(_heard(w) for w in p.words)) for p in reading.phrases
    )
    return msgspec.structs.replace(reading, phrases=phrases)


def _heard(word: Word) -> Word:
    return msgspec.structs.replace(word, source="heard")


# ---- sounds only ------------------------------------------------------------------------------


@cache
def phonotactics(phones: tuple[str, ...]) -> Doubles:
    """Log probability of each phone after each, from the English dictionary, words run together."""
    index = {p: k for k, p in enumerate(phones)}
    counts = np.full((len(phones), len(phones)), 0.5)
    silence = index["SIL"]
    starts, ends = np.zeros(len(phones)), np.zeros(len(phones))
    for number, word in enumerate(vocabulary()):
        if number % 9:  # a ninth of the dictionary gives the same picture
            continue
        for sounds in pronunciations_of(word):
            row = [index[s.rstrip("012")] for s in sounds if s.rstrip("012") in index]
            if not row:
                continue
            starts[row[0]] += 1
            ends[row[-1]] += 1
            np.add.at(counts, (row[:-1], row[1:]), 1)
    counts += np.outer(ends, starts) / max(1.0, ends.sum())
    counts[silence] = starts + 0.5
    counts[:, silence] = 0.05 * counts.sum(axis=1)
    counts[silence, silence] = 0.0
    noise = [index[p] for p in phones if p.startswith("+")]
    counts[noise] = counts[:, noise] = 0.0
    with np.errstate(divide="ignore"):
        return np.asarray(np.log(counts / np.maximum(counts.sum(axis=1, keepdims=True), 1e-9)))


def phone_loop(
    evidence: Evidence, *, progress: Progress | None = None
) -> list[tuple[str, int, int]]:
    """The likeliest phones: (name, first frame, frame after the last); pauses are `SIL`."""
    model = evidence.model
    change = phonotactics(model.phones) * LOOP_WEIGHT + LOOP_PENALTY
    path, entered = _loop_path(model, evidence.scores, change, progress)
    cuts = [0, *(np.flatnonzero(entered[1:]) + 1), len(path)]
    return [(model.phones[path[a]], int(a), int(b)) for a, b in pairwise(cuts)]


def _loop_path(
    model: AcousticModel, scores: NDArray[np.float32], change: Doubles, progress: Progress | None
) -> tuple[NDArray[np.intp], NDArray[np.bool_]]:
    """Viterbi over three states a phone; returns the phone of each frame and where one begins."""
    frames, count = len(scores), len(model.phones)
    stay, leave = model.stay.astype(np.float64), model.leave.astype(np.float64)
    emit = scores.reshape(frames, count, STATES)
    value = np.full((count, STATES), -np.inf)
    value[:, 0] = emit[0, :, 0]
    came = np.zeros((frames, count, STATES), np.int8)  # 0 stayed, 1 moved on, 2 entered
    source = np.zeros((frames, count), np.int16)
    for t in range(1, frames):
        into = (value[:, -1] + leave[:, -1])[:, None] + change
        source[t] = into.argmax(axis=0)
        options = np.full((3, count, STATES), -np.inf)
        options[0] = value + stay
        options[1, :, 1:] = value[:, :-1] + leave[:, :-1]
        options[2, :, 0] = into[source[t], np.arange(count)]
        came[t] = options.argmax(axis=0)
        value = options.max(axis=0) + emit[t]
        if progress is not None and t % 500 == 0:
            progress(t / frames)
    path = np.zeros(frames, np.intp)
    entered = np.zeros(frames, bool)
    best = int(value.argmax())
    phone, state = best // STATES, best % STATES
    for t in range(frames - 1, -1, -1):
        path[t] = phone
        how = came[t, phone, state]
        if how == 2:
            entered[t] = True
            phone, state = int(source[t, phone]), STATES - 1
        elif how == 1:
            state -= 1
    return path, entered


def listen_for_sounds(
    recording: Recording, *, language: str = "en", progress: Progress | None = None
) -> Reading:
    """A reading of sounds alone: every stretch between pauses is one word, written in IPA."""
    evidence = hear(recording, progress=share(progress, 0.0, 0.5))
    found = phone_loop(evidence, progress=share(progress, 0.5, 1.0))
    groups: list[list[AlignedSound]] = [[]]
    for name, first, last in found:
        if name == "SIL" or name.startswith("+"):
            if last - first >= 10 or not groups[-1]:
                groups.append([])
            continue
        own = evidence.scores[
            first:last, [evidence.model.index(name) * STATES + k for k in range(3)]
        ]
        value = float((own.max(axis=1) - evidence.best[first:last]).mean())
        start, end = max(0.0, (first - 0.5) / 100), (last - 0.5) / 100
        groups[-1].append(AlignedSound(Unit(model_spelling(name), 0, (name,)), start, end, value))
    phrases = [_nameless(g, recording, language) for g in groups if g]
    if not phrases:
        raise RecordingError(f"No speech could be made out in {recording.path.name}.")
    audio = AudioInfo(recording.path.name, round(recording.duration, 6), recording.source_rate)
    return assemble_unread(Reading(language, audio, tuple(phrases)), evidence)


def _nameless(sounds: list[AlignedSound], recording: Recording, language: str) -> Phrase:
    times = corrected(sounds, recording.duration)
    phones = tuple(
        Phone(s.unit.ipa, round(a, 4), round(b, 4), 0, round(confidence(s.evidence, language), 3))
        for s, (a, b) in zip(sounds, times, strict=True)
    )
    text = "/" + "".join(p.ipa for p in phones) + "/"
    sure = float(np.mean([p.confidence for p in phones]))
    word = Word(text, phones[0].start, phones[-1].end, round(sure, 3), phones, "heard")
    return Phrase(text, word.start, word.end, (word,))
