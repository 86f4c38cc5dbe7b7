"""A cleaned copy of a recording for listening to; the original plays and leaves as it is.

High-pass at 70 Hz, spectral subtraction with a running noise floor (Berouti, Schwartz & Makhoul
1979: over-subtraction with a spectral floor), and one level. Gentle: it must not eat sounds.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from .frontend import RATE
from .recording import Recording

Array = NDArray[np.float32]

SIZE, HOP = 512, 128
OVER, FLOOR = 1.0, 0.3  # gentle: more of either makes voices in noise harder to follow, not easier
QUIETEST = 10  # percentile of a bin's power over time that is taken for noise
TO_MEAN = 1 / 0.105  # of such noise (its power is exponentially distributed) to its mean
LOWEST_HZ = 70.0
LEVEL = 0.6
BLOCK_SECONDS = 4.0


def cleaned(recording: Recording) -> Recording:
    """A copy whose samples are conditioned for listening."""
    samples = reduce_noise(recording.samples)
    peak = float(np.abs(samples).max(initial=1e-6))
    samples = np.asarray(samples * np.float32(LEVEL / peak), np.float32)
    samples.setflags(write=False)
    return replace(recording, samples=samples, peak=LEVEL)


def reduce_noise(samples: Array) -> Array:
    """Mono samples at 16 kHz with their steady noise and rumble taken down."""
    window = np.hanning(SIZE + 1)[:-1].astype(np.float32)
    padded = np.concatenate([np.zeros(SIZE, np.float32), samples, np.zeros(2 * SIZE, np.float32)])
    count = (len(padded) - SIZE) // HOP + 1
    out = np.zeros(len(padded), np.float32)
    block = int(BLOCK_SECONDS * RATE / HOP)
    hz = np.fft.rfftfreq(SIZE, 1 / RATE)
    high_pass = np.clip((hz - LOWEST_HZ / 2) / (LOWEST_HZ / 2), 0, 1).astype(np.float32)
    for first in range(0, count, block):
        last = min(count, first + block)
        wide = np.arange(max(0, first - block // 2), min(count, last + block // 2))
        frames = np.lib.stride_tricks.sliding_window_view(padded, SIZE)[wide * HOP] * window
        spectrum = np.fft.rfft(frames, axis=1)
        power = np.abs(spectrum) ** 2
        noise = TO_MEAN * np.percentile(power, QUIETEST, axis=0)
        gain = np.sqrt(np.maximum(1 - OVER * noise / np.maximum(power, 1e-12), FLOOR**2))
        own = slice(first - wide[0], last - wide[0])
        made = np.fft.irfft(spectrum[own] * gain[own] * high_pass, axis=1).astype(np.float32)
        for k, frame in enumerate(made):
            at = (first + k) * HOP
            out[at : at + SIZE] += frame * (HOP * 2 / SIZE)
    return out[SIZE : SIZE + len(samples)]
