"""The sound of videos and of M4A, through PyAV; imported only when such a file comes in."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from ..errors import RecordingError

Array = NDArray[np.float32]


def open_video(path: Path) -> tuple[int, int, Iterator[Array]]:
    """Rate, channels and blocks (samples, channels) of a file's first sound stream.

    Raises RecordingError if it is no sound or video file; reading the blocks may raise
    RuntimeError where the file is damaged.
    """
    try:
        with av.open(str(path)) as container:
            if not container.streams.audio:
                if container.streams.video:
                    raise RecordingError(
                        f"{path.name} is a video without sound; choose a file that has sound."
                    )
                raise av.InvalidDataError(0, "no audio")
            first = container.streams.audio[0]
            rate, channels = first.rate, first.channels
    except (av.FFmpegError, OSError, ValueError, AttributeError):  # the latter: no decoder for it
        raise RecordingError(
            f"{path.name} is not a sound or video file that can be read; "
            "export it as WAV, FLAC, Ogg, MP3 or M4A."
        ) from None
    if not rate or not channels:
        raise RecordingError(f"{path.name} holds no sound at all; record or export it again.")
    return rate, channels, _blocks(path, rate)


def video_length(path: Path) -> float:
    """Seconds that the file's header tells, 0 if it does not."""
    with av.open(str(path)) as container:
        sound = container.streams.audio[0]
        if sound.duration is not None and sound.time_base is not None:
            return float(sound.duration * sound.time_base)
        return float(container.duration or 0) / av.time_base


def _blocks(path: Path, rate: int) -> Iterator[Array]:
    try:
        with av.open(str(path)) as container:
            layout = container.streams.audio[0].layout.name
            to_float = av.AudioResampler(format="fltp", layout=layout, rate=rate)
            for frame in container.decode(audio=0):
                for piece in to_float.resample(frame):
                    yield np.ascontiguousarray(piece.to_ndarray().T, np.float32)
    except av.FFmpegError as error:
        raise RuntimeError(str(error)) from None
