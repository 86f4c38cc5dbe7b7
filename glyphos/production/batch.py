"""Listening to many lines at once, in processes of their own, as many as there are cores."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from ..errors import Cancelled, GlyphosError
from ..speech.lexicon import Lexicon, parse_lexicon
from ..speech.reading import Reading, decode, encode
from .production import Line, Production


@dataclass(frozen=True)
class Job:
    """All that a worker needs to listen to one line."""

    slug: str
    audio: str
    script: str
    language: str
    channel: int
    condition: bool
    lexicon: str
    earlier: bytes = b""


@dataclass(frozen=True)
class Heard:
    """What became of a line: its reading, or why there is none."""

    slug: str
    reading: Reading | None
    problem: str = ""


def job_for(production: Production, line: Line, lexicon: Lexicon) -> Job:
    """The work that listening to a line is."""
    return Job(
        line.slug, str(production.audio_path(line)), line.script, line.language, line.channel,
        line.condition, lexicon.text() if lexicon.entries else "",
        encode(line.reading) if line.reading is not None else b"",
    )  # fmt: skip


def listen_job(job: Job) -> tuple[str, bytes, str]:
    """Done in a worker: slug, the reading as JSON, or a sentence that says why there is none."""
    from ..speech.listening import listen_line
    from ..speech.recording import open_recording

    try:
        if not job.script.strip():
            return job.slug, b"", "There is no script; type what is said, or listen without one."
        recording = open_recording(
            Path(job.audio), channel=job.channel - 1 if job.channel else None
        )
        lexicon = parse_lexicon(job.lexicon) if job.lexicon else None
        earlier = decode(job.earlier) if job.earlier else None
        reading = listen_line(recording, job.script, language=job.language, lexicon=lexicon,
                              earlier=earlier, condition=job.condition)  # fmt: skip
    except GlyphosError as error:
        return job.slug, b"", str(error)
    except MemoryError:
        return job.slug, b"", "There is not enough memory for this recording."
    return job.slug, encode(reading), ""


def listen_many(
    jobs: Sequence[Job],
    *,
    workers: int | None = None,
    progress: Callable[[float], None] | None = None,
    executor: Executor | None = None,
) -> Iterator[Heard]:
    """Listen to lines, several at once; yields each as it is done, in no certain order.

    `progress` is told the share that is done and may raise Cancelled: lines that have not begun
    are then left alone. executor: another engine with the `concurrent.futures` interface.
    """
    own = executor is None
    if executor is None:
        count = workers or max(1, min(os.cpu_count() or 1, len(jobs)))
        executor = ProcessPoolExecutor(
            count, mp_context=get_context("spawn"), initializer=_one_thread
        )
    waiting: set[Future[tuple[str, bytes, str]]] = {
        executor.submit(listen_job, job) for job in jobs
    }
    done = 0
    try:
        while waiting:
            finished, waiting = wait(waiting, timeout=0.2, return_when=FIRST_COMPLETED)
            for future in finished:
                done += 1
                yield _heard(future)
            if progress is not None:
                progress(done / len(jobs))
    except (Cancelled, GeneratorExit):
        for future in waiting:
            future.cancel()
        raise
    finally:
        if own:
            executor.shutdown(wait=True, cancel_futures=True)


def _heard(future: Future[tuple[str, bytes, str]]) -> Heard:
    slug, data, problem = future.result()
    return Heard(slug, decode(data) if data else None, problem)


def _one_thread() -> None:
    """Each worker keeps to one core: there are as many workers as cores."""
    for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
        os.environ[name] = "1"


def with_heard(line: Line, heard: Heard) -> Line:
    """A line with what listening to it gave."""
    import msgspec

    if heard.reading is None:
        return msgspec.structs.replace(line, problem=heard.problem)
    return msgspec.structs.replace(line, reading=heard.reading, problem="")
