"""A movie: pictures painted in parallel, sound mixed by `mix`, written by FFmpeg's libraries (PyAV), whole or
not at all.

Pictures and sound carry exact times on one axis; of both there is exactly as much as the frames last.
"""

from __future__ import annotations

import os
import wave
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from ..beside import beside
from ..errors import SaveError
from ..files import make_folder
from ..hands.crew import Crew, LostError
from ..progress import Progress
from .mix import RATE, Sound
from .painting import Pixels, paint_all
from .picture import Picture
from .subtitles import Subtitle, track

SIZES = (16, 4096)  # pixels of a side
AT_ONCE = 4  # pictures given to a process at a time
LENGTH = 1024  # samples of sound handed on at a time


@dataclass(frozen=True)
class Film:
    """What is written. picture(frame): what is seen; sound: (n, 2) at RATE, or None for a silent film;
    subtitles: a track of what is said."""

    frames: int
    fps: Fraction
    size: tuple[int, int]
    picture: Callable[[int], Picture]
    sound: Sound | None = None
    subtitles: tuple[Subtitle, ...] = ()


@dataclass(frozen=True)
class _Kind:
    """Codecs of a container, and how many bits of colour it keeps."""

    container: str
    video: str
    pixels: str
    audio: str
    options: tuple[tuple[str, str], ...] = ()


KINDS = {
    ".mp4": _Kind("mp4", "libx264", "yuv420p", "aac", (("crf", "18"), ("preset", "superfast"))),
    ".webm": _Kind("webm", "libvpx-vp9", "yuv420p", "libopus", (("crf", "28"), ("b:v", "0"), ("deadline", "realtime"), ("cpu-used", "6"), ("row-mt", "1"))),
    ".mov": _Kind("mov", "prores_ks", "yuva444p10le", "pcm_s16le", (("profile", "4444"),)),
}  # fmt: skip
FOLDER = "png-folder"


def check_film(path: Path, size: tuple[int, int]) -> None:
    """SaveError, one sentence, for a movie that cannot be written."""
    kind = _kind(path)
    low, high = SIZES
    if not all(low <= s <= high for s in size):
        raise SaveError(f"A movie is {low} to {high} pixels wide and high.")
    if kind != FOLDER and any(s % 2 for s in size):
        raise SaveError(f"A movie as {path.suffix} has an even number of pixels each way; take {size[0] + size[0] % 2}x{size[1] + size[1] % 2}.")  # fmt: skip


def _kind(path: Path) -> str:
    ending = path.suffix.lower()
    if ending in KINDS:
        return ending
    if ending in ("", f".{FOLDER}"):
        return FOLDER
    raise SaveError(f"{path.name} should end in {', '.join(KINDS)} or .{FOLDER}, to say how the movie is written.")  # fmt: skip


def write_film(
    film: Film, path: Path, *, workers: int | None = None, progress: Progress | None = None
) -> None:
    """Write a movie. GlyphosError, one sentence; whatever ends it, nothing half-written is left
    under its name. progress may raise Cancelled."""
    check_film(path, film.size)
    if film.subtitles and _kind(path) == FOLDER:
        raise SaveError("Pictures in a folder have no track of captions; have them in a file beside them, or burnt.")  # fmt: skip
    if film.frames < 1:
        raise SaveError("There is nothing to show: the scene has no length.")
    make_folder(path.parent)
    with beside(path, folder=_kind(path) == FOLDER) as temporary:
        pictures = painted(film, workers or os.cpu_count() or 1)
        with _pool_ended(pictures):
            if _kind(path) == FOLDER:
                _as_pictures(film, pictures, temporary, progress)
            else:
                _as_stream(film, pictures, temporary, path.name, KINDS[_kind(path)], progress)


# ---- pictures -------------------------------------------------------------------------------------


def painted(film: Film, workers: int) -> Iterator[Pixels]:
    """Pictures in their order, painted several at once."""
    crew = Crew(workers)
    waiting: deque[Future[list[tuple[bytes, tuple[int, ...]]]]] = deque()
    try:
        for first in range(0, film.frames, AT_ONCE):
            batch = [film.picture(k) for k in range(first, min(first + AT_ONCE, film.frames))]
            waiting.append(crew.submit(paint_all, batch))
            while len(waiting) > 2 * workers:
                yield from _shown(waiting.popleft())
        while waiting:
            yield from _shown(waiting.popleft())
    except LostError:
        raise SaveError(
            "The graphics driver ended while the movie was drawn; install the Mesa drivers (libgl1-mesa-dri) and "
            "try again."
        ) from None
    finally:
        crew.shutdown(cancel_futures=True)


def _shown(done: Future[list[tuple[bytes, tuple[int, ...]]]]) -> Iterator[Pixels]:
    for data, shape in done.result():
        yield np.frombuffer(data, np.uint8).reshape(shape)


@contextmanager
def _pool_ended(pictures: Iterator[Pixels]) -> Iterator[None]:
    """End the processes at once, whatever ended the writing."""
    try:
        yield
    finally:
        close = getattr(pictures, "close", None)
        if close is not None:
            close()


# ---- files ----------------------------------------------------------------------------------------


def _as_pictures(
    film: Film, pictures: Iterator[Pixels], folder: Path, progress: Progress | None
) -> None:
    """A PNG of every frame, and the sound beside them."""
    from PIL import Image

    digits = max(4, len(str(film.frames)))
    for number, pixels in enumerate(pictures):
        if progress is not None:
            progress(number / film.frames)
        Image.fromarray(pixels).save(folder / f"frame.{number:0{digits}d}.png", compress_level=3)
    if film.sound is not None:
        write_wav(folder / "sound.wav", film.sound)


def write_wav(path: Path, sound: Sound) -> None:
    """Sound (n, 2) at RATE in 24 bits."""
    whole = np.clip(np.rint(np.asarray(sound, np.float64) * 8388607), -8388608, 8388607).astype(
        "<i4"
    )
    with wave.open(str(path), "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(3)
        file.setframerate(RATE)
        file.writeframes(whole.view(np.uint8).reshape(-1, 4)[:, :3].tobytes())


def save_wav(path: Path, sound: Sound) -> None:
    """A WAV of its own, whole or not at all."""
    with beside(path, folder=False) as temporary:
        write_wav(temporary, sound)


def _as_stream(
    film: Film, pictures: Iterator[Pixels], path: Path, name: str, kind: _Kind,
    progress: Progress | None,
) -> None:  # fmt: skip
    """One file with pictures and sound, woven together as they come."""
    import av

    try:
        with av.open(str(path), "w", format=kind.container) as out:
            video: Any = out.add_stream(kind.video, rate=film.fps, options=dict(kind.options))
            video.width, video.height = film.size
            video.pix_fmt = kind.pixels
            video.codec_context.time_base = 1 / film.fps
            audio: Any = None
            if film.sound is not None:
                audio = out.add_stream(kind.audio, rate=RATE, layout="stereo")
            texts = track(out, kind.container, film.subtitles) if film.subtitles else lambda _: None
            sound = _blocks(film, audio)
            for number, pixels in enumerate(pictures):
                if progress is not None:
                    progress(number / film.frames)
                frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgba")
                frame.pts, frame.time_base = number, 1 / film.fps
                out.mux(video.encode(frame))
                texts(float((number + 1) / film.fps))
                for block in sound(number + 1):
                    out.mux(audio.encode(block))
            out.mux(video.encode(None))
            if audio is not None:
                out.mux(audio.encode(None))
    except av.error.FFmpegError as error:
        raise SaveError(f"{name} cannot be written: {error.strerror or error}.") from None


def _blocks(film: Film, audio: Any) -> Callable[[int], Iterator[Any]]:
    """Blocks of sound up to the end of so many frames, each with its time."""
    import av

    state = {"at": 0}
    total = round(film.frames / film.fps * RATE)

    def until(frames: int) -> Iterator[Any]:
        if audio is None or film.sound is None:
            return
        end = total if frames >= film.frames else round(frames / film.fps * RATE)
        while state["at"] < end and (end - state["at"] >= LENGTH or end == total):
            first = state["at"]
            count = min(LENGTH, end - first)
            own = np.zeros((count, 2), np.float32)
            there = film.sound[first : first + count]
            own[: len(there)] = there
            block = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(own.T), format="fltp", layout="stereo"
            )
            block.sample_rate, block.pts, block.time_base = RATE, first, Fraction(1, RATE)
            state["at"] = first + count
            yield block

    return until
