"""From a recording to evidence: scores of every model state in every frame, computed once.

Where the recording is noisy (its frame energy spans little), a noise floor is subtracted per
frequency before the cepstra are taken; never otherwise, since it swallows quiet sounds.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from ..progress import Progress
from ..remembered import Remembered
from . import frontend, held
from .acoustic import STATES, AcousticModel, load_model
from .align import Evidence, fill_last_column
from .recording import Recording
from .throat import stretch_of

Array = NDArray[np.float32]

LEVEL = 0.6  # peak that the model hears
NOISY_SPAN = 25.0  # dB between quiet and loud frames below which noise is subtracted
DB_PER_CEPSTRUM = 10 / np.log(10) / np.sqrt(frontend.FILTERS)
PIECE = 2000  # frames scored between two reports of progress
MOST_THREADS = 4
KEPT = 24 << 20  # bytes of scores: eight minutes of sound
DITHERED = 1 << 17  # samples dithered at once


_kept = Remembered[Evidence](KEPT, lambda evidence: evidence.table.nbytes)


def hear(recording: Recording, *, progress: Progress | None = None) -> Evidence:
    """Scores of the whole recording, read-only; of the last ones they are kept, since a recording is listened to again
    whenever its script changes. `progress` is told fractions 0..1 and may raise to stop."""
    return _kept.of(recording.samples, lambda: _heard(recording.samples, progress))


def _heard(samples: Array, progress: Progress | None) -> Evidence:
    signal, model = Conditioned(samples), load_model()
    cepstrum = frontend.cepstra(signal)
    noisy = energy_span(cepstrum) < NOISY_SPAN
    if noisy:
        cepstrum = frontend.cepstra(signal, floor=frontend.noise_floor(signal))
    found = held.heard(cepstrum)
    if not noisy and (stretch := stretch_of(model, signal, found)) != 1.0:
        cepstrum = frontend.cepstra(signal, stretch=stretch)
        found = held.heard(cepstrum)
    evidence = score(model, cepstrum, found, progress, noisy=noisy)
    evidence.table.setflags(write=False)
    return evidence


class Conditioned:
    """Samples at the level the model expects, with a last-bit dither against digital silence; made
    stretch by stretch, so that an hour is not held twice."""

    def __init__(self, samples: Array) -> None:
        self._samples = samples
        peak = max(float(samples.max(initial=1e-6)), -float(samples.min(initial=-1e-6)))
        self._gain = np.float32(LEVEL / peak)
        self._last: tuple[int, Array] = (-1, np.zeros(0, np.float32))

    def __len__(self) -> int:
        return len(self._samples)

    def __getitem__(self, which: slice) -> Array:
        first, end, _ = which.indices(len(self))
        made = np.asarray(self._samples[first:end] * self._gain)
        for block in range(first // DITHERED, -(-end // DITHERED)):
            start = block * DITHERED
            a, b = max(first, start), min(end, start + DITHERED)
            made[a - first : b - first] += self._dither(block)[a - start : b - start]
        return made

    def _dither(self, block: int) -> Array:
        if self._last[0] != block:
            numbers = np.random.PCG64(0).advance(block * DITHERED // 2)  # two of them a step
            noise: Array = np.random.Generator(numbers).random(DITHERED, np.float32)
            noise -= np.float32(0.5)
            noise /= 16384
            self._last = block, noise
        return self._last[1]


def energy_span(cepstrum: Array) -> float:
    """Decibels between the 5th and the 95th percentile of frame energy."""
    low, high = np.percentile(cepstrum[:, 0], [5, 95])
    return float((high - low) * DB_PER_CEPSTRUM)


def score(
    model: AcousticModel, cepstrum: Array, found: held.Heard, progress: Progress | None = None, *, noisy: bool = False
) -> Evidence:  # fmt: skip
    """Score cepstra in pieces, on as many cores as there are. noisy: what is loud may be noise or music, in which
    there are pauses all the same."""
    streams = frontend.features(held.normalise(cepstrum, found))
    total = len(cepstrum)
    table = np.empty((total, len(model.phones) * STATES + 1), np.float32)

    def fill(first: int) -> int:
        rows = slice(first, first + PIECE)
        table[rows, :-1] = model.score((streams[0][rows], streams[1][rows], streams[2][rows]))
        fill_last_column(model, table[rows])
        if not noisy:
            held.favour(model, table[rows], found.loud[rows], found.held[rows])
        return min(total, first + PIECE)

    firsts = range(0, total, PIECE)
    if len(firsts) == 1:
        fill(0)
    with ThreadPoolExecutor(min(MOST_THREADS, os.cpu_count() or 1)) as pool:
        done = 0
        for first in pool.map(fill, firsts) if len(firsts) > 1 else ():
            done = max(done, first)
            if progress is not None:
                try:
                    progress(done / total)
                except BaseException:
                    pool.shutdown(cancel_futures=True)
                    raise
    if progress is not None:
        progress(1.0)
    return Evidence(model, table)
