"""Learning a voice in a process of its own, so that a face that speaks meanwhile is not held up."""

from __future__ import annotations

import os
import struct
import tempfile
from collections.abc import Callable
from concurrent.futures import TimeoutError as NotYet
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..hands.crew import Crew, TaskError
from ..progress import Progress
from ..speech.words import prefer
from .ear import Known
from .speaker import CalibrationError, learn, spoken_sound

EVERY = 0.1  # seconds from one look to the next
SHARE = struct.Struct("<d")  # of the work that is done
LOADED = ("av", "glyphos.speech.listening", "glyphos.speech.acoustic:load_model", "scipy.optimize")


def beside(teach: Callable[..., Known], *given: Any, progress: Progress | None = None) -> Known:
    """What `teach` tells of what it is given, its progress as the last; all must be importable elsewhere.
    CalibrationError, as it says, where it tells nothing. progress may raise Cancelled."""
    crew = Crew(1, loaded=LOADED)
    with tempfile.NamedTemporaryFile(prefix="glyphos-share-") as shared:
        shared.write(SHARE.pack(0.0))
        shared.flush()
        try:
            future = crew.submit(_there, teach, given, shared.name)
            while True:
                try:
                    known: Known = future.result(EVERY)
                    return known
                except NotYet:
                    if progress is not None:
                        progress(*SHARE.unpack(os.pread(shared.fileno(), SHARE.size, 0)))
                except TaskError as reason:
                    raise CalibrationError(str(reason)) from None
        finally:
            crew.shutdown(cancel_futures=True)


def _there(teach: Callable[..., Known], given: tuple[Any, ...], shared: str) -> Known:
    with open(shared, "r+b") as told:
        number = told.fileno()
        return teach(*given, lambda share: os.pwrite(number, SHARE.pack(share), 0))


def learn_read(
    samples: NDArray[np.float32], text: str, language: str, words_model: str, progress: Progress | None = None
) -> Known:  # fmt: skip
    """`learn` from sound that came, (n,) at 16 kHz. words_model: the folder that a person prefers, or ""."""
    prefer(Path(words_model) if words_model else None)
    return learn(spoken_sound(samples), text, language, progress)
