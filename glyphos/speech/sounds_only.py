"""Listening for sounds only: for any language, for nonsense, for singing.

A loop over all phones of the acoustic model, with how often each follows each in the English
dictionary as phonotactics.
"""

from __future__ import annotations

from functools import cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..errors import RecordingError
from ..progress import Progress, share
from .acoustic import STATES, AcousticModel
from .align import AlignedSound, Evidence
from .hearing import hear
from .lexicon import pronunciations_of, vocabulary
from .listen import assemble_unread, confidence
from .phones import Unit, model_spelling
from .reading import AudioInfo, Phone, Phrase, Reading, Word
from .recording import Recording
from .timing import corrected

LOOP_WEIGHT = 1.6  # of the phonotactics against the sounds
LOOP_PENALTY = -4.0  # for every new sound
Doubles = NDArray[np.float64]


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
