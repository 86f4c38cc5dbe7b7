"""Recordings: any common sound or video file, read in blocks to one channel at 16 kHz.

The file itself is never written to. Sound files go through soundfile, the sound of videos and
M4A through PyAV (`video`); resampling is soxr's.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from ..errors import RecordingError, printable
from ..progress import Progress
from .frontend import RATE
from .gathered import Gathered

Array = NDArray[np.float32]

SOUND_ENDINGS = frozenset(
    ".wav .flac .ogg .oga .opus .mp3 .m4a .mp4 .m4v .webm .aac .aif .aiff .mov .mkv .avi .wma .caf .au .w64".split()
)
BLOCK = 1 << 18  # samples read at once
SILENT = 1e-4  # a peak below this is silence
CANCELLED = 0.1  # a mix this much weaker than its channels has cancelled itself out


@dataclass(frozen=True)
class Recording:
    """One channel of sound at 16 kHz in −1..1 (read-only), and what the file was."""

    path: Path
    samples: Array
    source_rate: int
    channels: int
    duration: float
    peak: float

    @property
    def name(self) -> str:
        """Of its file, as text."""
        return printable(self.path.name)


@dataclass(frozen=True)
class Stream:
    """A file being read: its rate, its channels and its blocks, each (samples, channels)."""

    rate: int
    channels: int
    blocks: Iterator[Array]
    frames: int = 0  # how long it is, 0 if nobody knows


@dataclass(frozen=True)
class Read:
    """What was asked of a file: each side (samples,) at its rate; the file's own rate, channels and peak."""

    sides: list[Array]
    rate: int
    channels: int
    peak: float


def open_recording(
    path: str | Path, *, channel: int | None = None, progress: Progress | None = None
) -> Recording:
    """Read `path` to mono 16 kHz. `channel` (from 0) picks one; else all are mixed. `progress` is
    told as reading goes on and may raise to stop it.

    Raises RecordingError for anything that cannot be listened to, saying what to do.
    """
    return _recording(Path(path), _read(Path(path), [(channel, RATE)], progress))


def open_for_playing(
    path: str | Path, *, channel: int | None = None, rate: int = 48_000, progress: Progress | None = None
) -> tuple[Recording, Array]:  # fmt: skip
    """`open_recording`, and the file as it sounds, mixed to one channel at `rate` Hz; on disk if it is long. It is
    read once."""
    read = _read(Path(path), [(channel, RATE), (None, rate)], progress)
    return _recording(Path(path), read), read.sides[1]


def _recording(path: Path, read: Read) -> Recording:
    mono = read.sides[0]
    if len(mono) == 0:
        raise RecordingError(f"{path.name} holds no sound at all; record or export it again.")
    if read.peak < SILENT:
        raise RecordingError(
            f"{path.name} is silent from start to end; check which channel or track was recorded."
        )
    if mono.flags.writeable:
        mono.setflags(write=False)
    return Recording(path, mono, read.rate, read.channels, len(mono) / RATE, read.peak)


def read_channels(path: str | Path) -> tuple[Array, int]:
    """All channels as they are, shape (samples, channels), and the sample rate.

    Raises RecordingError for anything that cannot be listened to.
    """
    path = Path(path)
    stream = open_stream(path)
    blocks: list[Array] = []
    try:
        for block in stream.blocks:
            blocks.append(np.nan_to_num(block, posinf=1.0, neginf=-1.0))
    except (soundfile.LibsndfileError, RuntimeError):
        if not blocks:
            raise RecordingError(
                f"{path.name} is damaged and cannot be decoded; export it again."
            ) from None
    samples = np.concatenate(blocks) if blocks else np.zeros((0, stream.channels), np.float32)
    if len(samples) == 0:
        raise RecordingError(f"{path.name} holds no sound at all; record or export it again.")
    return samples, stream.rate


def _read(
    path: Path, wanted: Sequence[tuple[int | None, int]], progress: Progress | None = None
) -> Read:
    """wanted: channels (None: all, mixed), each with the rate it is brought to."""
    stream = open_stream(path)
    for channel, _ in wanted:
        if channel is not None and not 0 <= channel < stream.channels:
            raise RecordingError(
                f"{path.name} has {stream.channels} channel(s); there is no channel {channel + 1}."
            )
    mixes = [soxr.ResampleStream(stream.rate, rate, 1, dtype="float32") for _, rate in wanted]
    sides, read = [Gathered() for _ in wanted], 0
    power, mixed_power, peak = np.zeros(stream.channels), 0.0, 0.0
    try:
        for block in stream.blocks:
            block = np.nan_to_num(block, copy=False, posinf=1.0, neginf=-1.0)
            mixed = block.mean(axis=1) if stream.channels > 1 else block[:, 0]
            if stream.channels > 1:
                power += (block.astype(np.float64) ** 2).sum(axis=0)
                mixed_power += float((mixed.astype(np.float64) ** 2).sum())
            peak = max(peak, float(block.max(initial=0.0)), -float(block.min(initial=0.0)))
            for (channel, _), mix, side in zip(wanted, mixes, sides, strict=True):
                mono = mixed if channel is None else block[:, channel]
                side.add(mix.resample_chunk(np.ascontiguousarray(mono, np.float32)))
            if progress is not None:
                read += len(block)
                progress(min(0.99, read / max(1, stream.frames or read)))
    except (soundfile.LibsndfileError, RuntimeError):
        if not len(sides[0]):
            raise RecordingError(
                f"{path.name} is damaged and cannot be decoded; export it again."
            ) from None
    for mix, side in zip(mixes, sides, strict=True):
        side.add(mix.resample_chunk(np.zeros(0, np.float32), last=True))
    if stream.channels > 1 and mixed_power < CANCELLED * power.max():  # channels that cancel out
        loudest = int(power.argmax())
        own = [(loudest if channel is None else channel, rate) for channel, rate in wanted]
        if own != list(wanted):
            return _read(path, own, progress)
    return Read([side.samples() for side in sides], stream.rate, stream.channels, peak)


def probe(path: str | Path) -> float:
    """Seconds of a recording without decoding it (0 where its header does not say).

    Raises RecordingError for anything that cannot be listened to.
    """
    path = Path(path)
    open_stream(path)
    try:
        info = soundfile.info(os.fsencode(path))
        return float(info.frames) / float(info.samplerate)
    except (soundfile.LibsndfileError, TypeError):
        from .video import video_length

        return video_length(path)


def open_stream(path: Path) -> Stream:
    """Open a file for reading in blocks; RecordingError if it is no sound file."""
    if path.is_dir():
        raise RecordingError(f"{path} is a folder; choose one recording inside it.")
    if not path.exists():
        raise RecordingError(f"There is no file {path}; check the name and where it lies.")
    try:
        if path.stat().st_size == 0:
            raise RecordingError(f"{path.name} is empty (0 bytes); record or export it again.")
        with path.open("rb"):
            pass
    except OSError as error:
        raise RecordingError(f"{path.name} cannot be read: {error.strerror}.") from None
    try:
        info = soundfile.info(os.fsencode(path))
    except (soundfile.LibsndfileError, TypeError):
        from .video import open_video

        rate, channels, blocks = open_video(path)
        return Stream(rate, channels, blocks)
    return Stream(info.samplerate, info.channels, _sound_blocks(path), int(info.frames))


def _sound_blocks(path: Path) -> Iterator[Array]:
    with soundfile.SoundFile(os.fsencode(path)) as file:
        while True:
            block = file.read(BLOCK, dtype="float32", always_2d=True)
            if len(block) == 0:
                return
            yield block
