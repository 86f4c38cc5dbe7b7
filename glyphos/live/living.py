"""The rest of a live face: blinks, gaze, head and brows from loudness and pitch as they come, with nothing known of
what will be said next.

Rates after people who talk: 15 to 30 blinks a minute, longer ones where a pause begins (Bentivoglio et al. 1997);
glances away for one or two seconds (Kendon 1967); heads that move with stressed, louder syllables (Hadar et al.
1983): all from memory, with draws that are the same for the same seed.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
STEP = 0.01  # seconds
CHANNELS = ("blink_left", "blink_right", "gaze_yaw", "gaze_pitch", "head_yaw", "head_pitch", "head_roll",
            "brow_inner_raise", "brow_outer_raise_left", "brow_outer_raise_right")  # fmt: skip
BLINK = np.array(
    [
        0.0,
        0.25,
        0.6,
        0.9,
        1.0,
        1.0,
        0.92,
        0.78,
        0.62,
        0.47,
        0.34,
        0.24,
        0.16,
        0.1,
        0.06,
        0.03,
        0.01,
        0.0,
    ]
)
RATE = 18 / 60  # blinks a second
LEAST = 0.7  # seconds between two blinks
AWAY = (0.6, 1.8)  # seconds of a glance
LOW, HIGH = 65.0, 420.0  # Hz


class Pitch:
    """Pitch of the last 40 ms, by normalised correlation; 0 where there is none."""

    def __init__(self, rate: int = 16_000) -> None:
        self._rate = rate
        self._last = np.zeros(round(0.04 * rate), np.float32)

    def push(self, block: Floats) -> float:
        """Hz at the end of these samples."""
        self._last = np.concatenate([self._last, block])[-len(self._last) :]
        x = self._last - self._last.mean()
        power = float((x**2).sum())
        if power < 1e-4:
            return 0.0
        spectrum = np.fft.rfft(x, 2 * len(x))
        same = np.fft.irfft(spectrum * np.conj(spectrum))[: len(x)]
        a, b = int(self._rate / HIGH), int(self._rate / LOW)
        own = same[a:b] / power * len(x) / (len(x) - np.arange(a, b))
        k = int(own.argmax())
        return self._rate / (a + k) if own[k] > 0.5 else 0.0


class Living:
    """`step` takes what is heard every 10 ms and gives values of CHANNELS."""

    def __init__(self, seed: int = 0, *, strength: float = 1.0) -> None:
        self._draw = np.random.default_rng(seed)
        self.strength = strength
        self._blink, self._since, self._due = len(BLINK), 0.0, self._wait()
        self._gaze, self._aim, self._glance = np.zeros(2), np.zeros(2), 0.0
        self._head, self._turn, self._move = np.zeros(3), np.zeros(3), 0.0
        self._stress, self._brow, self._usual = 0.0, 0.0, 0.0
        self._spoke = False

    def _wait(self) -> float:
        return LEAST + float(self._draw.exponential(1 / RATE - LEAST))

    def step(self, speaks: bool, loud: float, hertz: float) -> dict[str, float]:
        """speaks: whether somebody does; loud: dB against their own level; hertz: of the voice, 0 for none."""
        self._blinks(speaks)
        self._glances(speaks)
        self._moves(speaks, loud)
        self._brows(hertz)
        self._spoke = speaks
        shut = float(BLINK[self._blink]) if self._blink < len(BLINK) else 0.0
        k = self.strength
        head = self._head * k
        brow = max(0.0, self._brow) * k
        values = (shut if k > 0 else 0.0,) * 2 + (*(self._gaze * k - head[:2] * 0.5), *head, brow, 0.7 * brow, 0.7 * brow)  # fmt: skip
        return dict(zip(CHANNELS, (float(v) for v in values), strict=True))

    def _blinks(self, speaks: bool) -> None:
        self._blink += 1
        self._since += STEP
        ended = self._spoke and not speaks and self._since > LEAST and self._draw.random() < 0.35
        if self._since > self._due or ended:
            self._blink, self._since, self._due = 0, 0.0, self._wait()

    def _glances(self, speaks: bool) -> None:
        self._glance -= STEP
        if self._glance <= 0:
            away = bool(self._aim.any())
            if away or self._draw.random() > (0.3 if speaks else 0.12) * STEP * 3:
                self._aim = np.zeros(2)
                self._glance = 0.3 + float(self._draw.exponential(2.5))
            else:
                self._aim = np.array(
                    [
                        self._draw.choice([-1, 1]) * self._draw.uniform(6, 14),
                        self._draw.uniform(-6, 4),
                    ]
                )
                self._glance = float(self._draw.uniform(*AWAY))
        self._gaze += (self._aim - self._gaze) * 0.35  # a saccade of some 40 ms

    def _moves(self, speaks: bool, loud: float) -> None:
        self._move -= STEP
        if self._move <= 0:
            wide = 1.0 if speaks else 0.5
            self._turn = self._draw.normal(0, [3.0 * wide, 1.4 * wide, 1.2 * wide])
            self._move = float(self._draw.uniform(0.7, 2.2))
        goal = max(0.0, loud + 4) / 8 if speaks else 0.0
        self._stress += (goal - self._stress) * (0.12 if goal > self._stress else 0.03)
        self._head += (self._turn + np.array([0.0, -2.2 * self._stress, 0.0]) - self._head) * 0.025

    def _brows(self, hertz: float) -> None:
        if hertz > 0:
            self._usual = hertz if self._usual == 0 else self._usual + (hertz - self._usual) * 0.004
            over = 12 * float(np.log2(hertz / self._usual)) if self._usual else 0.0
            goal = min(max((over - 2) / 8, 0.0), 0.6)
        else:
            goal = 0.0
        self._brow += (goal - self._brow) * (0.08 if goal > self._brow else 0.02)
