"""The sums of a mixer: gains, fades, resampling, loudness (EBU R 128, ITU-R BS.1770-4), true peaks.

What is written, played and measured goes through these; the mix has two channels at 48 kHz.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

RATE = 48_000
PEAK = -1.0  # dBTP that nothing goes beyond
AHEAD = 0.005  # seconds in which a peak is held down before and after it
OVER = 4  # samples between two, in which true peaks are looked for (BS.1770-4, annex 2)
BLOCK = 1 << 20
Sound = NDArray[np.float32]  # (samples, 2) at RATE, or (samples,) as recorded


@dataclass(frozen=True)
class Part:
    """A sound in the mix. samples: (n,) or (n, channels) at its own rate, from its first kept sample on;
    start: seconds in the mix; gain: dB; fades: seconds at its ends."""

    samples: Sound
    rate: int
    start: float
    gain: float = 0.0
    fade_in: float = 0.0
    fade_out: float = 0.0


def mixed(parts: Sequence[Part], seconds: float) -> Sound:
    """The sum of all parts (n, 2), exactly so long; what goes beyond its ends is left out."""
    whole = np.zeros((round(seconds * RATE), 2), np.float32)
    for part in parts:
        sound = _two(resampled(part.samples, part.rate)) * np.float32(10 ** (part.gain / 20))
        _fade(sound, part.fade_in, part.fade_out)
        at = round(part.start * RATE)
        first, last = max(0, -at), min(len(sound), len(whole) - at)
        if last > first:
            whole[at + first : at + last] += sound[first:last]
    return whole


def resampled(samples: Sound, rate: int) -> Sound:
    """At the rate of the mix."""
    if rate == RATE or not len(samples):
        return np.asarray(samples, np.float32)
    import soxr

    return np.asarray(soxr.resample(samples, rate, RATE, quality="HQ"), np.float32)


def _two(samples: Sound) -> Sound:
    """One channel is heard on both sides, of more than two the first two are."""
    if samples.ndim == 1:
        return np.stack([samples, samples], 1)
    return np.repeat(samples, 2, 1) if samples.shape[1] == 1 else samples[:, :2].copy()


def _fade(sound: Sound, fade_in: float, fade_out: float) -> None:
    """Raised cosines at both ends, in place."""
    for seconds, part in ((fade_in, sound), (fade_out, sound[::-1])):
        count = min(round(seconds * RATE), len(part))
        if count:
            part[:count] *= (0.5 - 0.5 * np.cos(np.pi * (np.arange(count) + 0.5) / count))[
                :, None
            ].astype("f4")


def true_peak(sound: Sound) -> float:
    """The highest value between samples too, in dBTP; −inf for silence."""
    most = max((float(p.max(initial=0.0)) for p in _peaks(sound)), default=0.0)
    return float(20 * np.log10(most)) if most > 0 else -np.inf


def _peaks(sound: Sound) -> list[NDArray[np.float64]]:
    """The highest value at and around each sample, of both channels, in blocks."""
    from scipy.signal import resample_poly

    made, lap = [], 64
    for first in range(0, len(sound), BLOCK):
        a, b = max(0, first - lap), min(len(sound), first + BLOCK + lap)
        fine = np.abs(resample_poly(sound[a:b].astype(np.float64), OVER, 1, axis=0)).max(1)
        own = fine[OVER * (first - a) :][: OVER * min(BLOCK, len(sound) - first)]
        made.append(own.reshape(-1, OVER).max(1))
    return made


def limited(sound: Sound, most: float = PEAK) -> Sound:
    """No true peak over `most` dBTP: turned down smoothly around each that is, nothing else is touched."""
    if not len(sound) or true_peak(sound) <= most:
        return sound
    from scipy.ndimage import minimum_filter1d

    for _ in range(4):  # turning down moves peaks between samples by a little
        top = 10 ** ((most - 0.05) / 20)
        need = np.minimum(1.0, top / np.maximum(np.concatenate(_peaks(sound)), 1e-9))
        width = 2 * round(AHEAD * RATE) + 1
        held = minimum_filter1d(need, width)
        window = np.hanning(width + 2)[1:-1]
        gain = np.convolve(np.pad(held, width // 2, mode="edge"), window / window.sum(), "valid")
        sound = sound * np.minimum(gain, 1.0)[:, None].astype("f4")
        if true_peak(sound) <= most:
            break
    return sound


def loudness(sound: Sound) -> float:
    """Integrated loudness in LUFS (BS.1770-4, by pyloudnorm); −inf for silence or less than 0.4 s."""
    import pyloudnorm

    if len(sound) < 0.4 * RATE or not np.any(sound):
        return -np.inf
    return float(pyloudnorm.Meter(RATE).integrated_loudness(sound.astype(np.float64)))


def normalised(sound: Sound, target: float) -> Sound:
    """At a loudness in LUFS, with true peaks under PEAK; silence stays silent."""
    made = sound
    for _ in range(6):
        now = loudness(made)
        if not np.isfinite(now) or abs(now - target) < 0.05:
            break
        made = limited(made * np.float32(10 ** ((target - now) / 20)))
    return limited(made)
