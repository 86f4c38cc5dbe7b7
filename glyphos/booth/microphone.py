"""Where sound comes from while somebody records: a device, or a file played as if it were spoken.

A microphone hands on blocks of mono samples at RATE as they come, from a thread of its own.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from ..errors import RecordingError

Array = NDArray[np.float32]
RATE = 48_000
BLOCK = 480  # samples, 10 ms
HEARD = 16_000  # samples a second of a recording that was opened
STAND_IN = "stand-in microphone"


class MicrophoneError(RecordingError):
    """There is no microphone, or it went away."""


class Microphone(Protocol):
    """take: gets each block; lost: hears, in one sentence, that the device is gone. cue: whoever speaks into it begins
    after so many seconds of it."""

    def start(self, take: Callable[[Array], object], lost: Callable[[str], object]) -> None: ...
    def cue(self, seconds: float) -> None: ...
    def stop(self) -> None: ...


class DeviceMicrophone:
    """A device through PortAudio. One that does not offer RATE is opened as it is and resampled."""

    def __init__(self, name: str = "") -> None:
        self._name = name
        self._stream: Any = None
        self._resampler: Any = None

    def start(self, take: Callable[[Array], object], lost: Callable[[str], object]) -> None:
        """MicrophoneError, one sentence, where it cannot be opened. One that was lost may be started again."""
        import sounddevice
        import soxr

        self.stop()
        self._resampler = None

        def heard(data: Array, frames: int, when: Any, status: Any) -> None:
            mono = data[:, 0].copy()
            take(self._resampler.resample_chunk(mono) if self._resampler is not None else mono)

        def ended() -> None:
            if self._stream is not None:
                lost(
                    "The microphone is gone; plug it in again, or choose another. What was recorded is kept."
                )

        for rate in (RATE, None):
            try:
                opened = sounddevice.InputStream(
                    device=self._name or None, samplerate=rate, channels=1, dtype="float32", callback=heard,
                    finished_callback=ended, blocksize=0, latency="low",
                )  # fmt: skip
                if opened.samplerate != RATE:
                    # of 16 bits; finer ones hold 20 ms back, which a live face would be late
                    self._resampler = soxr.ResampleStream(
                        opened.samplerate, RATE, 1, dtype="float32", quality="LQ"
                    )
                self._stream = opened
                opened.start()
                return
            except (sounddevice.PortAudioError, ValueError) as error:
                problem = error
                self.stop()  # where it opened but does not start it would keep the device
                self._resampler = None
        raise MicrophoneError(
            f"The microphone cannot be opened ({problem}); choose another, or the stand-in."
        )

    def cue(self, seconds: float) -> None:
        """Who speaks sees the count-in."""

    def stop(self) -> None:
        stream, self._stream = self._stream, None
        if stream is not None:
            stream.close()


class StandInMicrophone:
    """Plays a file as if somebody spoke it, block by block in time; then it is silent. lose: seconds after which it
    is unplugged, for trying what happens then."""

    def __init__(self, path: Path | None = None, *, speed: float = 1.0, lose: float = 0.0) -> None:
        from ..speech.recording import open_recording

        samples = np.zeros(0, np.float32)
        if path is not None:
            import soxr

            opened = open_recording(path)
            samples = np.asarray(soxr.resample(opened.samples, HEARD, RATE), np.float32)
        self._samples, self._speed, self._lose = samples, speed, lose
        self._wait = self._at = 0  # samples until it speaks at first, and where it is
        self._lock = threading.Lock()
        self._end = threading.Event()
        self._thread: threading.Thread | None = None

    @property
    def duration(self) -> float:
        return len(self._samples) / RATE

    def start(self, take: Callable[[Array], object], lost: Callable[[str], object]) -> None:
        self._end.clear()
        self._at = -self._wait
        self._thread = threading.Thread(
            target=self._speak, args=(take, lost), daemon=True, name="stand-in"
        )
        self._thread.start()

    def cue(self, seconds: float) -> None:
        """Speak from the file's start, after so many seconds of silence."""
        with self._lock:
            self._wait = round(seconds * RATE)
            self._at = -self._wait

    def _speak(self, take: Callable[[Array], object], lost: Callable[[str], object]) -> None:
        began, gone = time.monotonic(), 0
        while not self._end.is_set():
            block = np.zeros(BLOCK, np.float32)
            with self._lock:
                at, self._at = self._at, self._at + BLOCK
            piece = self._samples[max(0, at) : max(0, at + BLOCK)]
            first = max(0, -at)
            block[first : first + len(piece)] = piece
            gone += BLOCK
            due = began + gone / RATE / self._speed
            if (wait := due - time.monotonic()) > 0 and self._end.wait(wait):
                return
            if self._lose and gone / RATE > self._lose:
                lost(
                    "The microphone is gone; plug it in again, or choose another. What was recorded is kept."
                )
                return
            take(block)

    def stop(self) -> None:
        self._end.set()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join(2)


def device_names() -> list[str]:
    """Names of devices that record; none where there is no sound."""
    try:
        import sounddevice

        return [str(d["name"]) for d in sounddevice.query_devices() if d["max_input_channels"] > 0]
    except Exception:  # whatever PortAudio says where there is nothing
        return []
