"""What happens to a voice on its way to the microphone: throat, room, tone, level, noise; all from one draw."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from .material import RATE, Array, Line, babble, behind, slower

KINDS = ("clean", "throat", "hiss", "voices", "room", "all")


def spoiled(line: Line, kind: str, others: Sequence[Line], draw: np.random.Generator) -> Line:
    """One of KINDS; the level differs in each."""
    if kind in ("throat", "voices", "all"):
        line = slower(line, float(np.exp(draw.uniform(-0.17, 0.17))))
    if kind in ("room", "all"):
        line = replace(line, samples=np.asarray(toned(roomy(line.samples, draw), draw), np.float32))
    if kind in ("throat", "room", "all") and draw.random() < 0.3:
        line = replace(line, samples=np.asarray(narrow(line.samples, draw), np.float32))
    n = len(line.samples)
    if kind == "hiss":
        line = behind(line, coloured(n, draw), float(draw.uniform(8, 25)))
    elif kind == "voices":
        line = behind(
            line, babble(n, others, draw, int(draw.integers(2, 9))), float(draw.uniform(8, 25))
        )
    elif kind == "all":
        noise = coloured(n, draw)
        if draw.random() < 0.5:
            voices = babble(n, others, draw, int(draw.integers(1, 9)))
            noise = noise / noise.std() * 0.5 + voices / voices.std()
        line = behind(line, noise, float(draw.uniform(12, 35)))
    gain = 10 ** (float(draw.uniform(-20, 3)) / 20)
    return replace(line, samples=np.asarray(np.clip(line.samples * gain, -1, 1), np.float32))


def coloured(n: int, draw: np.random.Generator) -> Array:
    """Hiss whose power falls by 0 to 2 powers of frequency."""
    spectrum = np.fft.rfft(draw.normal(0, 1, n))
    f = np.maximum(np.fft.rfftfreq(n, 1 / RATE), 60.0)
    return np.fft.irfft(spectrum * f ** -float(draw.uniform(0, 1)), n)


def roomy(x: Array, draw: np.random.Generator) -> Array:
    """In a room that fades by 60 dB in 0.15 to 0.5 seconds."""
    fade = float(draw.uniform(0.15, 0.5))
    t = np.arange(round(fade * RATE)) / RATE
    tail = draw.normal(0, 1, len(t)) * np.exp(-6.9 * t / fade)
    tail *= 10 ** (float(draw.uniform(-12, 0)) / 20) / np.sqrt((tail**2).sum())
    tail[0] += 1.0
    n = len(x) + len(tail)
    return np.fft.irfft(np.fft.rfft(x, n) * np.fft.rfft(tail, n), n)[: len(x)]


def narrow(x: Array, draw: np.random.Generator) -> Array:
    """As an old or small recording has it: nothing above 3.5 to 6 kHz, at times in steps of 8 bits."""
    f = np.fft.rfftfreq(len(x), 1 / RATE)
    edge = float(draw.uniform(3500, 6000))
    made = np.fft.irfft(np.fft.rfft(x) * np.clip((edge + 200 - f) / 200, 0, 1), len(x))
    if draw.random() < 0.3:
        step = max(float(np.abs(made).max()), 1e-6) / 127
        made = np.round(made / step) * step
    return made


def toned(x: Array, draw: np.random.Generator) -> Array:
    """Through a microphone whose tone bends by up to 8 dB."""
    f = np.fft.rfftfreq(len(x), 1 / RATE)
    at = np.array([0, 150, 400, 900, 1800, 3000, 4500, 6500, 8000])
    bend = np.interp(f, at, draw.normal(0, 3.0, len(at)).clip(-8, 8))
    return np.fft.irfft(np.fft.rfft(x) * 10 ** (bend / 20), len(x))
