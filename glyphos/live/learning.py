"""Who speaks is learnt while they do: what was said so far is listened to beside the face, without a script.

A recogniser makes out the words, and so the sounds and when they shut the lips; from then on the voice is known as if
a sentence had been read aloud (self-training: Yarowsky 1995, from memory). What cannot be understood teaches nothing.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..errors import Cancelled, GlyphosError, LanguageError
from ..progress import Progress
from ..speech.words import recogniser
from .beside import beside
from .ear import Known
from .speaker import (
    ENOUGH,
    CalibrationError,
    known_from,
    sounds_of,
    spoken_sound,
    surely_heard,
)

Floats = NDArray[np.float32]
FRAME = 100  # frames a second
# Seconds of speech after which it is learnt; then with so many times as much, or where it was not understood
FIRST, MORE, RETRY = 5.0, 4, 2
# Frames of silence that are waited for, but no longer than so much more speech
PAUSE, LATEST = 20, 500
BEFORE, KEPT = 30, 60  # frames of silence that are kept before the first word, and of a pause
Learn = Callable[[Floats, str, str, Progress], Known]


def learn_heard(
    samples: Floats, language: str, words_model: str, progress: Progress | None = None
) -> Known:
    """What sound that came, (n,) at 16 kHz, tells of who speaks. CalibrationError where it is hardly understood.

    words_model: the folder that a person prefers, or "". progress may raise Cancelled.
    """
    # It brings more than who just listens needs
    from ..speech.recognise import listen_without_script

    model = Path(words_model) if words_model else None
    reading = listen_without_script(spoken_sound(samples), language=language, model=model)
    if not surely_heard(reading):
        raise CalibrationError("What was said is hardly understood.")
    return known_from(samples, sounds_of(reading), progress)


def can_learn(language: str, words_model: str = "") -> bool:
    """Whether words of a language can be made out."""
    try:
        ear = recogniser(Path(words_model) if words_model else None)
    except LanguageError:  # that model is gone
        return False
    return ear is not None and ear.serves(language)


class Learning:
    """Takes what is heard, frame by frame; `apply` hears of a voice once it is known, in a thread of its own.

    language: of what is said; words_model: a folder, or "" for the model that ships.
    """

    def __init__(
        self, language: str, words_model: str, apply: Callable[[Known], None], learn: Learn | None = None
    ) -> None:  # fmt: skip
        self.given, self._apply, self._learn = (language, words_model), apply, learn or _beside
        self._pieces: deque[Floats] = deque(maxlen=round(ENOUGH * FRAME))
        self._spoken = self._still = 0
        self._due: float | None = FIRST  # seconds of speech, until the next time
        self._ended, self._turn = threading.Event(), threading.Lock()
        self._thread: threading.Thread | None = None

    def push(self, piece: Floats, speaks: bool) -> None:
        """A frame of sound, and whether somebody speaks by now."""
        seconds = self._due
        if seconds is None or self._ended.is_set():
            return
        self._still = 0 if speaks else self._still + 1
        self._spoken += speaks
        if self._still <= KEPT or not self._spoken:
            self._pieces.append(piece)
        if not self._spoken and len(self._pieces) > BEFORE:
            self._pieces.popleft()
        due = round(seconds * FRAME)
        paused = self._still >= PAUSE or self._spoken >= due + LATEST
        if self._spoken >= due and paused and not self._busy:
            sound = np.concatenate(self._pieces)
            self._thread = threading.Thread(
                target=self._work, args=(sound, seconds), daemon=True, name="learning"
            )
            self._thread.start()

    @property
    def _busy(self) -> bool:
        return self._thread is not None and self._thread.is_alive()

    def end(self) -> None:
        """Learn no more; whatever still comes of it is not applied."""
        with self._turn:
            self._ended.set()

    def wait(self, seconds: float) -> None:
        """Until what is being learnt is known, or so long."""
        if self._thread is not None:
            self._thread.join(seconds)

    def _work(self, samples: Floats, due: float) -> None:
        def later(times: int) -> float | None:
            return min(times * due, ENOUGH) if due < ENOUGH else None

        self._due = later(RETRY)
        try:
            known = self._learn(samples, *self.given, self._ask)
        except (GlyphosError, Cancelled, OSError):
            return
        self._due = later(MORE)
        with self._turn:
            if not self._ended.is_set():
                self._apply(known)

    def _ask(self, _: float) -> None:
        if self._ended.is_set():
            raise Cancelled("Stopped.")


def _beside(samples: Floats, language: str, words_model: str, progress: Progress) -> Known:
    return beside(learn_heard, samples, language, words_model, progress=progress)
