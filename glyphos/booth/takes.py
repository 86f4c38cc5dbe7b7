"""Takes of a line: written as they come, all of them kept, and read again after a crash.

A take is a WAV file whose header is brought up to date twice a second; one that was cut off by a crash is mended
when it is next looked for. Takes of a line lie in the production's `takes` folder, under the line's slug.
"""

from __future__ import annotations

import os
import struct
import threading
import time
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import soundfile

from ..beside import beside
from ..errors import RecordingError, SaveError
from ..files import State, file_state, reason
from ..production.production import TAKES
from .microphone import RATE, Array

PLACE = TAKES
HEADER = 44
PIECE = 480_000  # samples read at once: a take may be hours
FLUSH = 0.5  # seconds between two updates of the header
QUIET, KEEP, LEAST = (
    -45.0,
    0.25,
    0.3,
)  # dBFS under the loudest, seconds kept around, seconds of a take


@dataclass(frozen=True)
class Take:
    """A take that is kept. peak: dBFS; None where nobody measured it yet (`measured`)."""

    path: Path
    number: int
    seconds: float
    peak: float | None


_PEAKS: dict[tuple[Path, State], float] = {}  # of takes as they were measured


def _header(size: int, rate: int = RATE) -> bytes:
    """Of a mono WAV of 24 bits with `size` bytes of samples; it can tell of four gigabytes at most."""
    size = min(size, 0xFFFF_FFFF - 36)
    return struct.pack("<4sI4s4sIHHIIHH4sI", b"RIFF", 36 + size, b"WAVE", b"fmt ", 16, 1, 1, rate, rate * 3, 3, 24,
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
        peak = _PEAKS[self.path, file_state(self.path)] = _decibels(self._peak)
        return Take(self.path, _number(self.path), self.seconds, peak)


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
    """All takes of a line, in their order. Their sound, which may be hours, is not read."""
    found = []
    for path in take_files(folder, slug):
        try:
            seconds = soundfile.info(os.fsencode(path)).duration
        except (OSError, RuntimeError):
            continue
        peak = _PEAKS.get((path, file_state(path)))
        found.append(Take(path, _number(path), seconds, peak))
    return found


def measured(take: Take) -> Take:
    """A take with its peak; one that cannot be read stays as it is."""
    if take.peak is not None:
        return take
    state, top = file_state(take.path), 0.0
    try:
        with soundfile.SoundFile(os.fsencode(take.path)) as file:
            for block in file.blocks(PIECE, dtype="float32"):
                top = max(top, float(np.abs(block).max(initial=0.0)))
    except (OSError, RuntimeError):
        return take
    peak = _PEAKS[take.path, state] = _decibels(top)
    return replace(take, peak=peak)


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


def _number(path: Path) -> int:
    number = path.stem.rpartition("-")[2]
    return int(number) if number.isdecimal() else 0


def _decibels(peak: float) -> float:
    return 20 * float(np.log10(max(peak, 1e-6)))


def trimmed(path: Path, target: Path) -> float:
    """A copy of a take without the silence before and after, sample by sample the same; its seconds. RecordingError
    where nothing is said, SaveError where it cannot be written."""
    with soundfile.SoundFile(os.fsencode(path)) as file:
        rate = file.samplerate
        size = rate // 100
        pieces = file.blocks(PIECE // size * size, dtype="float32", always_2d=True)
        level = np.concatenate([np.zeros(0), *(_levels(piece[:, 0], size) for piece in pieces)])
        loud = np.flatnonzero(level > max(level.max(initial=-120.0) + QUIET, -60.0))
        if not len(loud):
            raise RecordingError(
                f"Nothing is heard in {path.name}; look at the microphone, and record it again."
            )
        first = max(0, int(loud[0] * size - KEEP * rate))
        last = min(file.frames, int((loud[-1] + 1) * size + KEEP * rate))
        file.seek(first)
        with beside(target, folder=False) as place, place.open("wb") as made:
            made.write(_header(3 * (last - first), rate))
            for piece in file.blocks(PIECE, frames=last - first, dtype="int32", always_2d=True):
                made.write(piece[:, 0].copy().view(np.uint8).reshape(-1, 4)[:, 1:].tobytes())
            made.flush()
            os.fsync(made.fileno())
    return float((last - first) / rate)


def _levels(samples: Array, size: int) -> Array:
    """Of each `size` samples that are whole, dB."""
    rows = samples[: len(samples) // size * size].reshape(-1, size)
    return np.asarray(
        10 * np.log10((rows.astype(np.float64) ** 2).mean(axis=1) + 1e-12), np.float32
    )
