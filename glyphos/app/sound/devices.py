"""Devices that play: a sound card through PortAudio, or silence that keeps exact time.

`SoundDevice` counts the samples that have left it. `SilentDevice` follows the monotonic clock where
there is no sound card. Both answer `position()`, which is the master clock of everything shown.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float32]
RATE = 48_000


class Mix(Protocol):
    """Sound that is made while it is played: as many samples, and (count, 2) of them from one on."""

    def __len__(self) -> int: ...
    def read(self, first: int, count: int) -> Array: ...


Sound = Array | Mix  # (n,) at RATE, or what makes two channels of it


def stretch(sound: Sound, first: int, count: int) -> Array:
    """Samples (n, 2) or (n, 1) of a sound from one on, as many as there are."""
    if isinstance(sound, np.ndarray):
        return sound[first : first + count, None]
    return sound.read(first, count)


class Device(Protocol):
    """Something that plays a stretch of sound, once or in a loop. `swap` puts another in its place, as long,
    without a step in time."""

    def play(self, sound: Sound, start: float, end: float, loop: bool) -> None: ...
    def swap(self, sound: Sound) -> None: ...
    def stop(self) -> None: ...
    def position(self) -> float: ...
    def finished(self) -> bool: ...
    def close(self) -> None: ...


class SilentDevice:
    """Keeps time as a sound card would, without one: samples sent follow the clock exactly."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._began: float | None = None
        self._span = (0.0, 0.0)
        self._loop = False

    def play(self, sound: Sound, start: float, end: float, loop: bool) -> None:
        self._span, self._loop, self._began = (start, max(end, start + 1e-3)), loop, self._clock()

    def swap(self, sound: Sound) -> None:
        pass

    def stop(self) -> None:
        if self._began is not None:
            at = self.position()
            self._span, self._began = (at, at), None

    def position(self) -> float:
        start, end = self._span
        if self._began is None:
            return start
        passed = round((self._clock() - self._began) * RATE) / RATE  # whole samples
        if self._loop:
            return start + passed % (end - start)
        return min(start + passed, end)

    def finished(self) -> bool:
        return self._began is not None and not self._loop and self.position() >= self._span[1]

    def close(self) -> None:
        self.stop()


class SoundDevice:
    """Plays through the default output; position is what is being heard, latency taken off."""

    def __init__(self, name: str = "") -> None:
        import sounddevice

        self._stream: Any = sounddevice.OutputStream(
            device=name or None,
            samplerate=RATE,
            channels=2,
            dtype="float32",
            callback=self._fill,
            latency="low",
        )
        self._sound: Sound = np.zeros(0, np.float32)
        self._first = self._last = self._next = 0
        self._loop = self._playing = False
        self._heard = (0.0, 0)  # stream time at which sample number `next` is heard
        self._stream.start()

    def _fill(self, out: Array, frames: int, when: Any, _: Any) -> None:
        out[:] = 0
        if self._loop or self._next < self._last:  # else the last of it is still on its way
            self._heard = (when.outputBufferDacTime, self._next)
        filled = 0
        while self._playing and filled < frames:
            count = min(frames - filled, self._last - self._next)
            if count <= 0:
                if not self._loop:
                    break
                self._next = self._first
                continue
            piece = stretch(self._sound, self._next, count)
            out[filled : filled + len(piece)] = piece  # one channel is heard on both sides
            self._next += count
            filled += count

    def play(self, sound: Sound, start: float, end: float, loop: bool) -> None:
        self._playing = False
        self._sound = sound
        self._first = self._next = int(start * RATE)
        self._last = max(self._first + 48, int(end * RATE))
        self._loop, self._heard = loop, (self._stream.time, self._first)
        self._playing = True

    def swap(self, sound: Sound) -> None:
        self._sound = sound

    def stop(self) -> None:
        self._next = int(self.position() * RATE)
        self._playing = False

    def position(self) -> float:
        if not self._playing:
            return self._next / RATE
        when, sample = self._heard
        heard = sample + (self._stream.time - when) * RATE
        if self._loop and heard < self._first:
            heard += self._last - self._first
        return float(min(max(heard, self._first), self._last) / RATE)

    def finished(self) -> bool:
        return self._playing and not self._loop and self.position() >= self._last / RATE - 1e-4

    def close(self) -> None:
        """Give the card back."""
        self._playing = False
        self._stream.close()


def device_names() -> list[str]:
    """Names of the sound outputs that there are."""
    try:
        import sounddevice

        return [str(d["name"]) for d in sounddevice.query_devices() if d["max_output_channels"] > 0]
    except Exception:  # no PortAudio
        return []


def best_device(name: str = "") -> Device:
    """The sound card of a name (or the system's own) if there is one, else silence that keeps
    time."""
    try:
        return SoundDevice(name)
    except Exception:  # no PortAudio, no card, or a card that refuses
        return SilentDevice()
