"""Takes of a line: written as they come, all of them kept, and read again after a crash.

A take is a WAV file whose header is brought up to date twice a second; one that was cut off by a crash is mended
when it is next looked for. Takes of a line lie in the production's `takes` folder, under the line's slug.
"""

from __future__ import annotations

import io
import os
import struct
import threading
import time
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from ..errors import RecordingError, SaveError
from ..files import reason, write_atomic
from ..production.production import TAKES
from .microphone import RATE, Array

PLACE = TAKES
HEADER = 44
FLUSH = 0.5  # seconds between two updates of the header
QUIET, KEEP, LEAST = (
    -45.0,
    0.25,
    0.3,
)  # dBFS under the loudest, seconds kept around, seconds of a take


@dataclass(frozen=True)
class Take:
    """A take that is kept. peak: dBFS."""

    path: Path
    number: int
    seconds: float
    peak: float


def _header(size: int) -> bytes:
    """Of a mono WAV of 24 bits with `size` bytes of samples; it can tell of four gigabytes at most."""
    size = min(size, 0xFFFF_FFFF - 36)
    return struct.pack("<4sI4s4sIHHIIHH4sI", b"RIFF", 36 + size, b"WAVE", b"fmt ", 16, 1, 1, RATE, RATE * 3, 3, 24,
                       b"data", size)  # fmt: skip


class TakeWriter:
    """Writes a take while it is recorded. A disk that is full ends the take with its sentence in `problem`; what
    was written before is there."""

    def __init__(self, folder: Path, slug: str) -> None:
        place = folder / PLACE / slug
        try:
            place.mkdir(parents=True, exist_ok=True)
            self.path = (
                place / f"take-{1 + max(map(_number, take_files(folder, slug)), default=0):02d}.wav"
            )
            # Nothing stays in between, or what no longer fits would be found too late, and counted as kept
            self._file = self.path.open("xb", buffering=0)
            try:
                self._file.write(_header(0))
            except OSError:
                self._file.close()
                self.path.unlink(missing_ok=True)
                raise
        except OSError as error:
            raise SaveError(f"A take cannot be kept in {place}: {reason(error)}.") from None
        self._lock = threading.Lock()
        self._size, self._told, self.problem = 0, time.monotonic(), ""
        self._peak = 0.0

    @property
    def seconds(self) -> float:
        return self._size // 3 / RATE

    def write(self, block: Array) -> None:
        """Take a block; never raises."""
        whole = np.clip(
            np.rint(block.astype(np.float64) * 8_388_607), -8_388_608, 8_388_607
        ).astype("<i4")
        data = whole.view(np.uint8).reshape(-1, 4)[:, :3].tobytes()
        with self._lock:
            if self.problem or self._file.closed:
                return
            try:
                while data:  # a disk takes as much as it has room for
                    taken = self._file.write(data) or 0
                    self._size += taken
                    data = data[taken:]
                self._peak = max(self._peak, float(np.abs(whole).max(initial=0)) / 8_388_608)
                if time.monotonic() - self._told > FLUSH:
                    self._update()
            except OSError as error:
                self.problem = (
                    f"The take ends here: {reason(error)}. What was recorded before is kept."
                )

    def _update(self) -> None:
        self._told = time.monotonic()
        self._file.seek(0)
        self._file.write(_header(self._size // 3 * 3))
        self._file.seek(HEADER + self._size)

    def close(self) -> Take | None:
        """End the take; None if it is too short to be one, which is thrown away."""
        with self._lock:
            if not self._file.closed:
                try:
                    with self._file:
                        self._update()
                        os.fsync(self._file.fileno())
                except OSError as error:
                    self.problem = self.problem or f"The take may be short: {reason(error)}."
        if self.seconds < LEAST:
            self.path.unlink(missing_ok=True)
            return None
        return Take(self.path, _number(self.path), self.seconds, _decibels(self._peak))


def take_files(folder: Path, slug: str) -> list[Path]:
    """Files of all takes of a line, in their order; those that a crash cut off are mended first."""
    found = sorted((folder / PLACE / slug).glob("take-*.wav"))
    for path in found:
        mend(path)
    return found


def long_enough(path: Path) -> bool:
    """Whether a take holds as much as one that is kept."""
    try:
        return path.stat().st_size >= HEADER + LEAST * RATE * 3
    except OSError:
        return False


def takes_of(folder: Path, slug: str) -> list[Take]:
    """All takes of a line, in their order."""
    found = []
    for path in take_files(folder, slug):
        take = _look(path)
        if take is not None:
            found.append(take)
    return found


def mend(path: Path) -> bool:
    """Bring the header of a take to what the file holds; whether it had to be."""
    try:
        size = max(0, (path.stat().st_size - HEADER) // 3 * 3)
        with path.open("r+b") as file:
            if file.read(HEADER) == _header(size):
                return False
            file.seek(0)
            file.write(_header(size))
        return True
    except OSError:
        return False


def _look(path: Path) -> Take | None:
    try:
        samples, rate = soundfile.read(os.fsencode(path), dtype="float32")
    except (OSError, RuntimeError):
        return None
    peak = float(np.abs(samples).max(initial=0.0))
    return Take(path, _number(path), len(samples) / rate, _decibels(peak))


def _number(path: Path) -> int:
    number = path.stem.rpartition("-")[2]
    return int(number) if number.isdecimal() else 0


def _decibels(peak: float) -> float:
    return 20 * float(np.log10(max(peak, 1e-6)))


def trimmed(path: Path, target: Path) -> float:
    """A copy of a take without the silence before and after; its seconds. RecordingError where nothing is said."""
    samples, rate = soundfile.read(os.fsencode(path), dtype="float32")
    size = rate // 100
    rows = samples[: len(samples) // size * size].reshape(-1, size)
    level = (
        10 * np.log10((rows.astype(np.float64) ** 2).mean(axis=1) + 1e-12)
        if len(rows)
        else np.zeros(0)
    )
    loud = np.flatnonzero(level > max(level.max(initial=-120.0) + QUIET, -60.0))
    if not len(loud):
        raise RecordingError(
            f"Nothing is heard in {path.name}; look at the microphone, and record it again."
        )
    first = max(0, int(loud[0] * size - KEEP * rate))
    last = min(len(samples), int((loud[-1] + 1) * size + KEEP * rate))
    made = io.BytesIO()
    soundfile.write(made, samples[first:last], rate, format="WAV", subtype="PCM_24")
    write_atomic(target, made.getvalue())
    return float((last - first) / rate)
