"""What a sentence that is known tells of a speaker's lips, so that shut ones are told better from then on.

Where an m ends and an n begins, or a b and a v, differs from voice to voice. Of a sentence that was aligned it is known
for each frame whether lips are shut. The ear's own answer is corrected by as little as that asks for: a logistic
regression on what it remembers, beside its answer, held to zero by a ridge (Li & Bilmes 2006, "Regularized
adaptation of discriminative classifiers", from memory).
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..errors import GlyphosError, RecordingError, ScriptError
from ..progress import Progress, share
from ..speech.frontend import RATE
from ..speech.reading import Reading
from ..speech.recording import Recording
from .ear import AHEAD, DELAY, Answer, Ear, Known

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
Sound = tuple[str, float, float]  # IPA, from, to (seconds)
# Many shut lips, and beside them what is taken for them: n, v, d, and a dental behind another sound
SENTENCES = {
    "en": "Bob and my mum have moved the very brown piano, and then put nine of them by the open van.",
    "de": "Mein Bruder Bob und neun Männer wollen am Abend den braunen Wagen mit dem Piano vom Baumarkt nehmen.",
    "es": "Mi mamá no sabe nadar, pero un buen amigo de Pepe nada muy bien en un mar bravo con nubes.",
    "fr": "Maman ne veut pas boire un bon vin, mais neuf amis de Paul en ont bu à minuit avec un vieux bonbon.",
    "it": "Mia mamma non vuole bere il buon vino, ma nove amici di Pippo ne bevono un po' prima di andare a nuoto.",
}
# Where the closed part of a sound ends, as a share of it
CLOSED_TO = {"p": 0.60, "b": 0.60, "m": 0.85}
SPOKEN, PAUSE, MOST = (
    200,
    90,
    1500,
)  # frames: speech there must be, silence that ends it, until it ends
SURE = 0.75  # of its words, the median: right ones reach 0.84 and more, another text of its length mostly 0.5 at most
LEAST = 6  # shut lips that a sentence must have
ENOUGH = 60.0  # seconds, of which more is not listened to
RIDGE = 100.0
CAUTION = 0.25  # log odds that more is asked for than the sentence alone would: who reads aloud speaks clearly
TAIL = 0.2  # seconds of silence until the last answer is there


class CalibrationError(GlyphosError):
    """A speaker could not be learnt from what was said."""


def sentence_for(language: str) -> tuple[str, str]:
    """What is to be read aloud by who speaks a language, and the language it is in: English where there is none."""
    known = language if language.split("-")[0] in SENTENCES else "en"
    return SENTENCES[known.split("-")[0]], known


class Reader:
    """Takes what is heard from now on, frame by frame, until somebody has spoken and paused."""

    def __init__(self) -> None:
        self._pieces: list[Floats] = []
        self._spoken = self._still = 0

    @property
    def over(self) -> bool:
        read = self._spoken >= SPOKEN and self._still >= PAUSE
        return read or len(self._pieces) >= MOST

    @property
    def samples(self) -> Floats:
        """(n,) at 16 kHz."""
        return np.concatenate([np.zeros(0, np.float32), *self._pieces])

    def push(self, piece: Floats, speaks: bool) -> None:
        """A frame of sound, and whether somebody speaks by now."""
        if not self.over:
            self._pieces.append(piece)
            self._spoken += speaks
            self._still = 0 if speaks else self._still + 1


def spoken_sound(samples: Floats) -> Recording:
    """Sound that came, (n,) at 16 kHz, as a recording."""
    peak = float(np.abs(samples).max(initial=0.0))
    return Recording(Path(), samples, RATE, 1, len(samples) / RATE, peak)


def learn(
    recording: Recording, text: str, language: str = "en", progress: Progress | None = None
) -> Known:
    """Listen to somebody who reads a text aloud. CalibrationError where it cannot be heard in the recording."""
    from ..speech.listening import listen_line  # it brings more than who just listens needs

    told = share(progress, 0.0, 0.6)
    for second in (False, True):  # who has an unusual voice is asked about by the other ear, too
        try:
            reading = listen_line(recording, text, language=language, second=second, progress=told)
        except (RecordingError, ScriptError):
            continue
        if surely_heard(reading):
            break
    else:
        raise CalibrationError(
            f"What is said does not sound like “{text.strip()[:40]}…”; read just that aloud, and try again."
        )
    return known_from(recording.samples, sounds_of(reading), progress=share(progress, 0.6, 1.0))


def surely_heard(reading: Reading) -> bool:
    """Whether its words are surely where they were found."""
    sure = [w.confidence for w in reading.words()]
    return bool(sure) and float(np.median(sure)) >= SURE


def sounds_of(reading: Reading, later: float = 0.0) -> list[Sound]:
    """What sounds where. later: seconds to be added."""
    return [(p.ipa, later + p.start, later + p.end) for p in reading.phones()]


def known_from(samples: Floats, sounds: Sequence[Sound], progress: Progress | None = None) -> Known:
    """From sound, (n,) at 16 kHz, and what sounds where. CalibrationError where too few of them shut the lips."""
    from scipy.optimize import minimize

    samples = samples[: round(ENOUGH * RATE)]
    closures = sum(p in CLOSED_TO and b < ENOUGH for p, _, b in sounds)
    if closures < LEAST:
        raise CalibrationError(
            f"Lips are shut only {closures} times in what was said, too few to learn a voice from; "
            "say something with more of p, b and m."
        )
    times, remembered, own = _heard(samples, progress)
    centre = remembered.mean(axis=0)
    x = np.column_stack([remembered - centre, np.ones(len(times))])
    y = shut_at(sounds, times)

    def loss(w: Array) -> tuple[float, Array]:
        odds = x @ w + own
        off = 1 / (1 + np.exp(-np.clip(odds, -30, 30))) - y
        cost = (np.logaddexp(0, odds) - y * odds).sum() + 0.5 * RIDGE * w @ w
        return float(cost), x.T @ off + RIDGE * w

    w = minimize(loss, np.zeros(x.shape[1]), jac=True, method="L-BFGS-B").x
    more = float(w[-1] - w[:-1] @ centre) - CAUTION
    return Known(np.asarray(w[:-1], np.float32), more, closures)


def _heard(samples: Floats, progress: Progress | None) -> tuple[Array, Array, Array]:
    """Of each answer of the ear: the time of its frame's middle, what it remembers (n, size), and its log odds of shut
    lips."""
    ear, answers = Ear(), list[Answer]()
    samples = np.append(samples, np.zeros(round(TAIL * RATE), np.float32))
    for at in range(0, len(samples), RATE):
        if progress is not None:
            progress(at / len(samples))
        answers += ear.push(samples[at : at + RATE])
    times = np.array([middle_of(k) for k in range(len(answers))])
    remembered = np.array([a.remembered for a in answers], np.float64)
    return times, remembered, np.array([a.shut for a in answers])


def middle_of(index: int) -> float:
    """Seconds of the sound that an answer is about, by its number."""
    return (index + AHEAD + 1) * 0.01 - DELAY


def shut_at(sounds: Sequence[Sound], times: Array) -> Array:
    """1 where lips are shut at those times, else 0."""
    shut = np.zeros(len(times))
    for p, a, b in sounds:
        if p in CLOSED_TO:
            low, high = a + 0.08 * (b - a), a + (CLOSED_TO[p] + 0.05) * (b - a)
            if high - low < 0.02:
                low, high = (low + high) / 2 - 0.01, (low + high) / 2 + 0.01
            shut[(times >= low) & (times <= high)] = 1
    return shut
