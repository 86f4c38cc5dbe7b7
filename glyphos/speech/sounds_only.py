"""Listening for sounds only: for any language, for nonsense, for singing.

A loop over all phones of the acoustic model, with how likely each is after the two before it as
phonotactics (Viterbi over pairs; Jelinek 1997): fully in English, less in other languages.
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
from .languages import english
from .listen import assemble_unread, confidence
from .phones import Unit, model_spelling
from .reading import AudioInfo, Phone, Phrase, Reading, Word
from .recording import Recording
from .timing import corrected
from .wordless import without_words

WEIGHT = 2.0  # of the phonotactics against the sounds
WEIGHT_ELSEWHERE = 1.2  # in other languages than English
WEIGHT_WORDLESS = 0.5  # where no words are said
ENTERED = 1.0  # for every new sound
NEVER = -30.0
LONGEST = 3000  # frames that are decoded at once; cut where it is quietest
Floats = NDArray[np.float32]
Found = list[tuple[str, int, int]]


@cache
def phonotactics(phones: tuple[str, ...]) -> Floats:
    """Log probability (a, b, c) of phone c after a and b, from the phone trigrams that come with the
    acoustic model; noises are never entered."""
    import pocketsphinx

    log = pocketsphinx.LogMath()
    path = pocketsphinx.get_model_path("en-us/en-us-phone.lm.bin")
    model = pocketsphinx.NGramModel(None, log, path)
    table = np.full((len(phones),) * 3, NEVER, np.float32)
    spoken = [k for k, p in enumerate(phones) if not p.startswith("+")]
    for a in spoken:
        for b in spoken:
            for c in spoken:
                table[a, b, c] = log.log_to_ln(model.prob([phones[c], phones[b], phones[a]]))
    silence = phones.index("SIL")
    table[:, silence, silence] = NEVER
    return table


def phone_loop(
    evidence: Evidence, *, weight: float = WEIGHT, progress: Progress | None = None
) -> Found:
    """The likeliest phones: (name, first frame, frame after the last); pauses are `SIL`."""
    model, found = evidence.model, []
    cuts = _cuts(evidence)
    for number, (start, end) in enumerate(pairwise(cuts)):
        tell = share(progress, number / (len(cuts) - 1), (number + 1) / (len(cuts) - 1))
        part = _decoded(model, evidence.scores[start:end], weight, tell)
        found += [(name, a + start, b + start) for name, a, b in part]
    return found


def _cuts(evidence: Evidence) -> list[int]:
    """Where to cut so that no stretch is too long: in the middle of what is likeliest a pause."""
    silence = evidence.model.index("SIL") * STATES
    quiet = evidence.scores[:, silence : silence + STATES].max(1) - evidence.best
    smooth = np.convolve(quiet, np.ones(15) / 15, mode="same")
    cuts, frames = [0], len(evidence.scores)
    while frames - cuts[-1] > LONGEST:
        low, high = cuts[-1] + LONGEST // 2, cuts[-1] + LONGEST
        cuts.append(low + int(smooth[low:high].argmax()))
    return [*cuts, frames]


def _decoded(
    model: AcousticModel, scores: NDArray[np.float32], weight: float, progress: Progress | None
) -> Found:
    """Viterbi over three states of each pair of phones (the one before, this one)."""
    frames, count = len(scores), len(model.phones)
    stay, leave = model.stay.astype(np.float32), model.leave.astype(np.float32)
    change = phonotactics(model.phones) * np.float32(weight) + np.float32(ENTERED)
    emit = scores.reshape(frames, count, STATES).astype(np.float32)
    value = np.full((count, count, STATES), -np.inf, np.float32)
    value[model.phones.index("SIL"), :, 0] = emit[0, :, 0]
    came = np.zeros((frames, count, count, STATES), np.int8)  # 0 stayed, 1 moved on, 2 entered
    source = np.zeros((frames, count, count), np.int8)
    moved, entered = np.full_like(value, -np.inf), np.full_like(value, -np.inf)
    for t in range(1, frames):
        into = (value[:, :, -1] + leave[None, :, -1])[:, :, None] + change
        source[t] = into.argmax(axis=0)
        entered[:, :, 0] = into.max(axis=0)
        moved[:, :, 1:] = value[:, :, :-1] + leave[None, :, :-1]
        value += stay[None]
        came[t] = 1 * (moved > value)
        np.maximum(value, moved, out=value)
        came[t][entered > value] = 2
        np.maximum(value, entered, out=value)
        value += emit[t][None]
        if progress is not None and t % 500 == 0:
            progress(t / frames)
    before, now, state = (int(k) for k in np.unravel_index(int(value.argmax()), value.shape))
    found, end = [], frames
    for t in range(frames - 1, 0, -1):
        how = came[t, before, now, state]
        if how == 2:
            found.append((model.phones[now], t, end))
            before, now, state, end = int(source[t, before, now]), before, STATES - 1, t
        elif how == 1:
            state -= 1
    found.append((model.phones[now], 0, end))
    return found[::-1]


def listen_for_sounds(
    recording: Recording, *, language: str = "en", evidence: Evidence | None = None, written: str = "",
    words: bool = True, progress: Progress | None = None,
) -> Reading:  # fmt: skip
    """A reading of sounds alone: every stretch between pauses is one word, written in IPA.

    evidence: of the recording, if it was computed before. written: what stands in the script for all of them, such as
    “(sighs)”; else each is a phrase. words: False where they are none, as in a laugh.
    """
    evidence = evidence or hear(recording, progress=share(progress, 0.0, 0.5))
    weight = WEIGHT if english(language) else WEIGHT_ELSEWHERE
    asked = evidence
    if not words:
        weight, asked = WEIGHT_WORDLESS, without_words(evidence, recording)
    told = share(progress, 0.5, 1.0)
    found = phone_loop(asked, weight=weight, progress=told)
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
        raise RecordingError(f"No speech could be made out in {recording.name}.")
    if written:
        every = tuple(w for p in phrases for w in p.words)
        phrases = [Phrase(written, every[0].start, every[-1].end, every)]
    audio = AudioInfo(recording.name, round(recording.duration, 6), recording.source_rate)
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
