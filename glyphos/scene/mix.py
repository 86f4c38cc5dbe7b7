"""The sums of a mixer: gains, fades, resampling, loudness (EBU R 128, ITU-R BS.1770-4), true peaks.

What is written, played and measured goes through these; the mix has two channels at 48 kHz.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ..loudness import integrated_loudness

RATE = 48_000
PEAK = -1.0  # dBTP that nothing goes beyond
AHEAD = 0.005  # seconds in which a peak is held down before and after it
OVER = 4  # samples between two, in which true peaks are looked for (BS.1770-4, annex 2)
STRETCH = 1 << 13  # samples that are looked at together
SIDE = 10  # samples beside one that what is between depends on
LAP = 64  # samples taken along beside a stretch
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


class Mixer:
    """The sum of parts, a stretch at a time: what is played and what is written are the same. seconds: of the
    whole; what goes beyond its ends is left out. held: what true peaks are turned down by (`limiting`)."""

    def __init__(
        self, parts: Sequence[Part], seconds: float, held: NDArray[np.float32] | None = None
    ) -> None:
        self._parts = [_laid(p) for p in parts]
        self._length = max(0, round(seconds * RATE))
        self._held = held

    def __len__(self) -> int:
        """Samples of the whole."""
        return self._length

    def with_held(self, held: NDArray[np.float32] | None) -> Mixer:
        """The same mix, its peaks turned down."""
        made = Mixer((), 0)
        made._parts, made._length, made._held = self._parts, self._length, held
        return made

    def read(self, first: int, count: int) -> Sound:
        """Samples (count, 2) from one on; fewer at the end."""
        first = max(0, first)
        count = max(0, min(count, self._length - first))
        made = np.zeros((count, 2), np.float32)
        for part in self._parts:
            a, b = max(first, part.first), min(first + count, part.first + len(part.sound))
            if b > a:
                made[a - first : b - first] += part.read(a - part.first, b - part.first)
        if self._held is not None:
            made *= self._held[first : first + count, None]
        return made


@dataclass(frozen=True)
class _Laid:
    """A part at the rate of the mix. fades: samples."""

    sound: Sound
    first: int
    gain: np.float32
    fade_in: int
    fade_out: int

    def read(self, a: int, b: int) -> Sound:
        """A stretch of it as it is heard: (n, 2), or (n, 1) where both sides are alike."""
        own, length = self.sound[a:b] * self.gain, len(self.sound)
        own = own[:, None] if own.ndim == 1 else own[:, :2]
        if a < self.fade_in:
            own[: self.fade_in - a] *= _faded(np.arange(a, min(b, self.fade_in)), self.fade_in)
        if (first := max(a, length - self.fade_out)) < b:
            own[first - a :] *= _faded(length - 1 - np.arange(first, b), self.fade_out)
        return np.asarray(own, np.float32)


def _faded(away: NDArray[np.int_], count: int) -> Sound:
    """Shares (n, 1) of a fade over so many samples, by how many each is away from its end."""
    share = (away + 0.5) / count
    return (0.5 - 0.5 * np.cos(np.pi * share))[:, None].astype("f4")


def _laid(part: Part) -> _Laid:
    sound = resampled(part.samples, part.rate)
    fades = (min(round(s * RATE), len(sound)) for s in (part.fade_in, part.fade_out))
    return _Laid(sound, round(part.start * RATE), np.float32(10 ** (part.gain / 20)), *fades)


def mixed(parts: Sequence[Part], seconds: float) -> Sound:
    """The sum of all parts (n, 2), exactly so long; what goes beyond its ends is left out."""
    mixer = Mixer(parts, seconds)
    return mixer.read(0, len(mixer))


def resampled(samples: Sound, rate: int) -> Sound:
    """At the rate of the mix."""
    if rate == RATE or not len(samples):
        return np.asarray(samples, np.float32)
    import soxr

    return np.asarray(soxr.resample(samples, rate, RATE, quality="HQ"), np.float32)


def true_peak(sound: Sound) -> float:
    """The highest value between samples too, in dBTP; −inf for silence."""
    stretches = sorted(_stretches(sound), key=lambda s: -s[0])
    most = stretches[0][0] if stretches else 0.0
    for own, stretch in stretches:
        if own * _between()[1] <= most:
            break  # nor can any that follows
        most = max(most, float(_fine(sound, stretch).max()))
    return float(20 * np.log10(most)) if most > 0 else -np.inf


def _stretches(sound: Sound) -> list[tuple[float, slice]]:
    """Stretches of a sound and the highest sample in and beside each."""
    made = []
    for a in range(0, len(sound), STRETCH):
        b = min(len(sound), a + STRETCH)
        made.append((float(np.abs(sound[max(0, a - LAP) : b + LAP]).max()), slice(a, b)))
    return made


@cache
def _between() -> tuple[NDArray[np.float64], float]:
    """The filter that finds what is between samples (OVER, weights of the samples around), and by how much that can be
    over the samples at most: the greatest sum of the weights of one place.

    A sinc in a Kaiser window (Kaiser 1974), place by place, so that nothing is multiplied with zeros; written out,
    since the library that makes such filters takes seconds to load.
    """
    steps = np.arange(-SIDE * OVER, SIDE * OVER + 1)
    taps = np.sinc(steps / OVER) * np.kaiser(len(steps), 5.0)
    taps *= OVER / taps.sum()
    weights = np.zeros((OVER, 2 * SIDE + 1))
    for k in range(OVER):
        weights[k, : len(taps[k::OVER])] = taps[k::OVER]
    return weights, max(1.0, float(np.abs(weights).sum(1).max()))


def _fine(sound: Sound, stretch: slice) -> NDArray[np.float64]:
    """The highest value at and around each sample of a stretch, of both channels."""
    a, b = max(0, stretch.start - LAP), min(len(sound), stretch.stop + LAP)
    inside = slice(SIDE + stretch.start - a, SIDE + stretch.stop - a)
    most = np.zeros(stretch.stop - stretch.start)
    for channel in sound[a:b].T.astype(np.float64):
        for weights in _between()[0]:
            np.maximum(most, np.abs(np.convolve(channel, weights)[inside]), out=most)
    return most


def _peaks(sound: Sound, over: float) -> NDArray[np.float64]:
    """The highest value at and around each sample, of both channels; where none can be over `over`, some value under
    it."""
    made = np.zeros(len(sound))
    for own, stretch in _stretches(sound):
        if own * _between()[1] > over:
            made[stretch] = _fine(sound, stretch)
    return made


def limiting(sound: Sound, most: float = PEAK) -> NDArray[np.float32] | None:
    """What each sample is turned down by so that no true peak is over `most` dBTP: smoothly around each that
    is, nothing else is touched; None where none is."""
    if not len(sound) or true_peak(sound) <= most:
        return None
    whole = np.ones(len(sound), np.float32)
    for _ in range(4):  # turning down moves peaks between samples by a little
        top = 10 ** ((most - 0.05) / 20)
        turned = _held(np.minimum(1.0, top / np.maximum(_peaks(sound, top), 1e-9)))
        whole *= turned
        sound = sound * turned[:, None]
        if true_peak(sound) <= most:
            break
    return whole


def _held(need: NDArray[np.float64]) -> NDArray[np.float32]:
    """What samples are turned down by, smoothly, so that each gets at least what it needs."""
    from scipy.ndimage import minimum_filter1d

    half = round(AHEAD * RATE)
    window = np.hanning(2 * half + 3)[1:-1]
    window /= window.sum()
    made = np.ones(len(need), np.float32)
    for a in range(0, len(need), STRETCH):
        b = min(len(need), a + STRETCH)
        first, last = max(0, a - 2 * half), min(len(need), b + 2 * half)
        near = need[first:last]
        if near.min() < 1.0:
            held = np.pad(minimum_filter1d(near, 2 * half + 1), half, mode="edge")
            gain = np.convolve(held, window, "valid")[a - first : b - first]
            made[a:b] = np.minimum(gain, 1.0)
    return made


def limited(sound: Sound, most: float = PEAK) -> Sound:
    """No true peak over `most` dBTP."""
    held = limiting(sound, most)
    return sound if held is None else sound * held[:, None]


def normalised(sound: Sound, target: float) -> Sound:
    """At a loudness in LUFS, with true peaks under PEAK; silence stays silent."""
    made = sound
    for _ in range(6):
        now = integrated_loudness(made, RATE)
        if not np.isfinite(now) or abs(now - target) < 0.05:
            break
        made = limited(made * np.float32(10 ** ((target - now) / 20)))
    return limited(made)
