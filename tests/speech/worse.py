"""Recordings made worse in the ways of the trade: telephone, music, a room, a whisper, a shout."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from glyphos.speech.recording import Recording

RATE = 16_000


def telephone(x: np.ndarray) -> np.ndarray:
    """300 to 3400 Hz (the band of ITU-T G.712) and eight bits of mu-law (ITU-T G.711)."""
    from scipy import signal

    band = signal.butter(6, (300, 3400), "bandpass", fs=RATE, output="sos")
    y = signal.sosfilt(band, x)
    y = y / np.abs(y).max()
    law = np.sign(y) * np.log1p(255 * np.abs(y)) / np.log(256)
    law = np.round(law * 127) / 127
    return np.sign(law) * np.expm1(np.abs(law) * np.log(256)) / 255


def music(x: np.ndarray, decibels: float = 10.0) -> np.ndarray:
    """A tune of plucked chords under the voice."""
    t = np.arange(len(x)) / RATE
    y = np.zeros(len(x))
    for k, root in enumerate((220.0, 174.6, 261.6, 196.0) * (1 + len(x) // RATE)):
        since = t - 0.5 * k
        pluck = (since >= 0) * np.exp(-3 * np.maximum(0, since))
        for part in (1, 1.25, 1.5, 2):
            y += pluck * np.sin(2 * np.pi * root * part * since)
    scale = np.sqrt((x**2).mean() / (y**2).mean()) * 10 ** (-decibels / 20)
    return x + scale * y


def room(x: np.ndarray) -> np.ndarray:
    """Echoes that fade by 60 dB in 0.6 s (ISO 3382-1: reverberation time)."""
    from scipy import signal

    chance = np.random.default_rng(2)
    length = int(0.6 * RATE)
    tail = chance.normal(size=length) * 10 ** (-3 * np.arange(length) / length)
    tail[0] = 6.0
    return signal.fftconvolve(x, tail)[: len(x)]


def whisper(x: np.ndarray) -> np.ndarray:
    """The voice's spectrum over time, sounded by noise: nothing is voiced (order-18 prediction)."""
    from scipy import signal

    size, hop = 512, 128
    window = np.hanning(size)
    noise = np.random.default_rng(3).normal(size=len(x) + size)
    y = np.zeros(len(x) + size)
    for first in range(0, len(x) - size, hop):
        part = x[first : first + size] * window
        lags = np.correlate(part, part, "full")[size - 1 : size + 18]
        if lags[0] < 1e-8:
            continue
        lags[0] *= 1.0001
        taps = np.linalg.solve(lags[np.abs(np.subtract.outer(range(18), range(18)))], lags[1:19])
        voiced = signal.lfilter(
            [1.0], np.concatenate(([1.0], -taps)), noise[first : first + size] * window
        )
        gain = np.sqrt((part**2).sum() / max(1e-9, (voiced**2).sum()))
        y[first : first + size] += gain * voiced
    return y[: len(x)]


def shout(x: np.ndarray) -> np.ndarray:
    """Louder than the microphone takes: a twentieth of the samples are clipped."""
    y = x / np.quantile(np.abs(x), 0.95)
    return np.clip(y, -1, 1)


WORSE: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "telephone": telephone, "music": music, "room": room, "whisper": whisper, "shout": shout,
}  # fmt: skip


def made_worse(recording: Recording, how: str) -> Recording:
    """A recording as it would be then."""
    samples = WORSE[how](recording.samples.astype(np.float64)).astype(np.float32)
    samples /= np.abs(samples).max() * 1.05
    return replace(recording, samples=samples, peak=float(np.abs(samples).max()))
