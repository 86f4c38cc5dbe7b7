"""Words by the recogniser that comes with the acoustic model: where there is no better one."""

from __future__ import annotations

import re
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..progress import Progress
from . import frontend
from .pieces import speech_pieces
from .recording import Recording

LONGEST_PIECE = 20.0  # seconds recognised at a time
PAUSE = 0.35  # a silence this long ends a phrase of a draft
BEAM, WORD_BEAM, MOST_STATES = 1e-46, 7e-28, 5000
WORD_WEIGHT = 6.0  # of the words against the sounds in the second pass; 8.5 trusts them too much
LEVEL = 0.9


def draft(recording: Recording, *, progress: Progress | None = None) -> list[str]:
    """What is said (English), a phrase each."""
    signal = recording.samples * np.float32(LEVEL / max(recording.peak, 1e-6))
    pieces = speech_pieces(recording, longest=LONGEST_PIECE)
    decoder, lines = _decoder(), []
    for number, (start, end) in enumerate(pieces):
        if progress is not None:
            progress(number / len(pieces))
        lines += _recognised(decoder, signal[int(start * frontend.RATE) : int(end * frontend.RATE)])
    return lines


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
