"""Recording a take: count-in, level, writing; whatever happens to the microphone, what was recorded is kept."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from .microphone import RATE, Array, Microphone
from .takes import Take, TakeWriter

HOLD, FALL = 1.5, 20.0  # seconds that a peak is held, dB a second it falls then
LOWEST = -60.0  # dBFS


class Meter:
    """The level of what comes in, and its peak, held: dBFS."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self.level = self._peak = LOWEST
        self._when = clock()
        self.clipped = False

    def take(self, block: Array) -> None:
        now = self._clock()
        power = float((block.astype(np.float64) ** 2).mean()) if len(block) else 0.0
        self.level = max(LOWEST, 10 * float(np.log10(power + 1e-12)))
        top = float(np.abs(block).max(initial=0.0))
        self.clipped = self.clipped or top >= 0.999
        high = max(LOWEST, 20 * float(np.log10(top + 1e-9)))
        if high >= self.peak:
            self._peak, self._when = high, now

    @property
    def peak(self) -> float:
        """The highest of late; held for a while, then it falls."""
        late = self._clock() - self._when - HOLD
        return max(LOWEST, self._peak - FALL * late) if late > 0 else self._peak


class Recorder:
    """One microphone; levels are seen from `listen` on, a take is written between `begin` and `end`."""

    def __init__(self, microphone: Microphone) -> None:
        self.meter = Meter()
        self.problem = ""
        self._microphone = microphone
        self._writer: TakeWriter | None = None
        self._wait = 0  # samples of the count-in that are left
        self._lock = threading.Lock()
        self._on = False

    def listen(self) -> None:
        """Open the microphone. MicrophoneError where that cannot be."""
        if not self._on:
            self.problem = ""
            self._microphone.start(self._take, self._lost)
            self._on = True

    def begin(self, folder: Path, slug: str, *, count_in: float = 0.0) -> None:
        """Begin a take after so many seconds. SaveError where it cannot be kept, MicrophoneError as in `listen`."""
        writer = TakeWriter(folder, slug)  # before the microphone, of which nothing is to be missed
        with self._lock:
            self.problem = ""
            self.meter.clipped = False
            self._writer, self._wait = writer, round(count_in * RATE)
            self._microphone.cue(count_in)
        try:
            self.listen()
        except BaseException:
            self.end()  # nothing was spoken into it
            raise

    @property
    def recording(self) -> bool:
        return self._writer is not None

    @property
    def counting(self) -> float:
        """Seconds of the count-in that are left."""
        return self._wait / RATE

    @property
    def seconds(self) -> float:
        writer = self._writer
        return writer.seconds if writer is not None else 0.0

    def _take(self, block: Array) -> None:
        self.meter.take(block)
        with self._lock:
            writer = self._writer
            if writer is None:
                return
            if self._wait > 0:
                early = min(self._wait, len(block))
                self._wait -= early
                block = block[early:]
            if len(block):
                writer.write(block)
                self.problem = self.problem or writer.problem

    def _lost(self, sentence: str) -> None:
        self._on = False
        self.problem = sentence

    def end(self) -> Take | None:
        """End the take; None if there was none, or it was too short."""
        with self._lock:
            writer, self._writer = self._writer, None
        return writer.close() if writer is not None else None

    def close(self) -> Take | None:
        """Let the microphone go, and keep what is being recorded."""
        if self._on:
            self._on = False
            self._microphone.stop()
        return self.end()
