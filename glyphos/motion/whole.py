"""The whole face of a line, with life and moods as they are kept with it: one way for window, shell and
hand-over."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..speech.reading import Reading
from ..voice.voice import analyse
from .curve import Motion
from .delivery import Delivery
from .layers import Layer, compose
from .life.event import Liveliness
from .life.hands import Happening
from .life.living import Life, live
from .mood import Faces, MoodSpan


def whole(
    speech: Motion, reading: Reading, delivery: Delivery, life: Life | None, moods: Sequence[MoodSpan],
    faces: Faces | None = None, layers: Sequence[Layer] = (),
) -> Motion:  # fmt: skip
    """Speech with what is laid on it."""
    own = faces or Faces()
    return compose(
        speech, reading, delivery, life=life, moods=moods, upper=own.upper, lower=own.lower, layers=layers
    )  # fmt: skip


def whole_of(
    speech: Motion, reading: Reading, delivery: Delivery, samples: np.ndarray | None, liveliness: Liveliness | None,
    moods: Sequence[MoodSpan] = (), faces: Faces | None = None, layers: Sequence[Layer] = (),
    happenings: Sequence[Happening] = (),
) -> Motion:  # fmt: skip
    """The same from the recording's samples (mono, 16 kHz); without them life comes from words alone."""
    life = None
    if liveliness is not None:
        sound = (
            np.zeros(int(reading.audio.duration * 16_000))
            if samples is None
            else np.asarray(samples, np.float64)
        )
        life = live(analyse(sound, reading), liveliness, reading.text, happenings, reading)
    return whole(speech, reading, delivery, life, moods, faces, layers)
