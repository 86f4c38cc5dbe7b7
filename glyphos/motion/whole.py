"""The whole face of a line, with life and moods as they are kept with it: one way for window, shell and
hand-over."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..speech.reading import Reading
from ..voice.voice import Voice, analyse
from .curve import Motion
from .delivery import Delivery
from .layers import Composed, Layer, composed
from .life.event import Liveliness
from .life.hands import Happening
from .life.living import Life, live
from .mix import Mix
from .mood import Faces, MoodSpan
from .touch.keys import Touch


def whole(
    speech: Motion, reading: Reading, delivery: Delivery, life: Life | None, moods: Sequence[MoodSpan],
    faces: Faces | None = None, layers: Sequence[Layer] = (), touches: Sequence[Touch] = (), mix: Mix | None = None,
) -> Composed:  # fmt: skip
    """Speech with what is laid on it, and what each layer brings."""
    own = faces or Faces()
    return composed(
        speech, reading, delivery, life=life, moods=moods, upper=own.upper, lower=own.lower, layers=layers,
        touches=touches, mix=mix or Mix(),
    )  # fmt: skip


def whole_of(
    speech: Motion, reading: Reading, delivery: Delivery, samples: np.ndarray | None, liveliness: Liveliness | None,
    moods: Sequence[MoodSpan] = (), faces: Faces | None = None, layers: Sequence[Layer] = (),
    happenings: Sequence[Happening] = (), touches: Sequence[Touch] = (), mix: Mix | None = None, voice: Voice | None = None,
) -> Motion:  # fmt: skip
    """The same from the recording's samples (mono, 16 kHz); without them life comes from words alone. voice: of
    them, if it is known."""
    life = None
    if liveliness is not None:
        sound = (
            np.zeros(int(reading.audio.duration * 16_000))
            if samples is None
            else np.asarray(samples, np.float64)
        )
        life = live(voice or analyse(sound, reading), liveliness, reading.text, happenings, reading)
    return whole(speech, reading, delivery, life, moods, faces, layers, touches, mix).motion
