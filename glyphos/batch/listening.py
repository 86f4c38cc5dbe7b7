"""Listening to many lines at once, in processes of their own, as many as there are cores.

A process that dies takes only its own line with it, and that line says so. Short lines without a script are heard several at once, which is several
times quicker; if such a process dies, each of its lines is tried alone.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, wait
from dataclasses import dataclass
from pathlib import Path

import msgspec

from ..errors import RecordingError, sentence
from ..hands.crew import Crew
from ..production.carrying import with_reading
from ..production.documents import Line
from ..production.production import Production
from ..progress import Progress
from ..speech.lexicon import parse_lexicon
from ..speech.pieces import LONGEST
from ..speech.reading import Reading, decode, encode
from ..speech.recognise import Draft
from ..speech.recording import Recording
from ..speech.words import GAP, chosen, prefer

Answer = tuple[str, bytes, str]


@dataclass(frozen=True)
class Work:
    """All that a worker needs to listen to one line."""

    slug: str
    audio: str
    script: str
    language: str
    channel: int
    condition: bool
    lexicon: str
    earlier: bytes = b""
    words_model: str = ""  # the folder that a person prefers
    seconds: float = 0.0  # how long the line is, as far as known

    @property
    def unwritten(self) -> bool:
        """Whether the words must be made out from the sound."""
        return not self.script.strip()


@dataclass(frozen=True)
class Heard:
    """What became of a line: its reading, or why there is none."""

    slug: str
    reading: Reading | None
    problem: str = ""


# What listening needs, for processes that do much of it (`stem.load`)
LOADED = (
    "glyphos.speech.listening", "glyphos.voice.unwritten", "glyphos.speech.recording",
    "glyphos.speech.acoustic:load_model", "glyphos.speech.lexicon:vocabulary",
)  # fmt: skip


def work_for(production: Production, line: Line) -> Work:
    """The work that listening to a line is."""
    lexicon = production.lexicon
    return Work(
        line.slug, str(production.audio_path(line)), line.script, line.language, line.channel,
        line.condition, lexicon.text() if lexicon.entries else "",
        encode(line.reading) if line.reading is not None else b"", str(chosen() or ""),
        line.duration,
    )  # fmt: skip


def listen_work(work: Work, made: Draft | None = None) -> Answer:
    """Done in a worker: slug, the reading as JSON, or a sentence that says why there is none.

    made: what is said, if it was made out before and there is no script.
    """
    from ..speech.listening import listen_line
    from ..voice.unwritten import listen_unwritten

    try:
        prefer(Path(work.words_model) if work.words_model else None)
        recording = _recording(work)
        if work.unwritten:
            reading, _ = listen_unwritten(recording, language=work.language, made=made)
        else:
            lexicon = parse_lexicon(work.lexicon) if work.lexicon else None
            earlier = decode(work.earlier) if work.earlier else None
            reading = listen_line(recording, work.script, language=work.language, lexicon=lexicon,
                                  earlier=earlier)  # fmt: skip
    except Exception as error:  # one bad line never stops the others
        return work.slug, b"", sentence(error)
    return work.slug, encode(reading), ""


def listen_together(works: Sequence[Work]) -> list[Answer]:
    """Done in a worker: `listen_work` for lines of one language, those without a script heard
    in one go."""
    from ..speech.recognise import drafts

    made: Sequence[Draft | None] = []
    if len(works) > 1:
        try:
            prefer(Path(works[0].words_model) if works[0].words_model else None)
            made = drafts([_recording(w) for w in works], language=works[0].language)
        except Exception:  # the line that cannot be read will say so itself
            made = []
    return [listen_work(w, m) for w, m in zip(works, made or [None] * len(works), strict=True)]


def _recording(work: Work) -> Recording:
    from ..speech.recording import open_recording

    opened = open_recording(Path(work.audio), channel=work.channel - 1 if work.channel else None)
    if work.condition:
        from ..speech.conditioning import cleaned

        return cleaned(opened)
    return opened


def _gathered(works: Sequence[Work]) -> list[tuple[Work, ...]]:
    """Lines that are given to a worker together: one with a script alone, without one several."""
    groups: list[tuple[Work, ...]] = []
    for work in works:
        last = groups[-1] if groups else ()
        if last and work.unwritten and last[0].unwritten and last[0].language == work.language:
            room = sum(w.seconds + GAP for w in last) + work.seconds
            if room <= LONGEST and all(w.seconds > 0 for w in (*last, work)):
                groups[-1] = (*last, work)
                continue
        groups.append((work,))
    return groups


def listen_many(
    works: Sequence[Work],
    *,
    workers: int | None = None,
    progress: Progress | None = None,
    executor: Executor | None = None,
) -> Iterator[Heard]:
    """Listen to lines, several at once; yields each as it is done, in no certain order.

    `progress` is told the share that is done and may raise Cancelled: lines that have not begun
    are then left alone. executor: another engine with the `concurrent.futures` interface.
    """
    count = workers or max(1, min(os.cpu_count() or 1, len(works)))
    crew = executor or Crew(count, loaded=LOADED)
    left, done = _gathered(works), 0
    running: dict[Future[list[Answer]], tuple[Work, ...]] = {}
    try:
        while left or running:
            while left and len(running) < 2 * count:
                group = left.pop(0)
                running[crew.submit(listen_together, group)] = group
            for future in wait(running, timeout=0.2, return_when=FIRST_COMPLETED).done:
                group, broken = running.pop(future), future.exception()
                if broken is not None and len(group) > 1:
                    left += [(w,) for w in group]  # one of them may be at fault
                    continue
                done += len(group)
                if broken is None:
                    yield from map(_heard, future.result())
                else:
                    yield Heard(group[0].slug, None, sentence(broken))
            if progress is not None:
                progress(done / len(works))
    finally:
        for future in running:
            future.cancel()
        if executor is None:
            crew.shutdown(cancel_futures=True)


def _heard(answer: Answer) -> Heard:
    slug, data, problem = answer
    return Heard(slug, decode(data) if data else None, problem)


def with_heard(line: Line, heard: Heard) -> Line:
    """A line with what listening to it gave."""
    if heard.reading is None:
        return msgspec.structs.replace(line, problem=heard.problem)
    if not line.script.strip():  # what was heard is the draft of its script
        line = msgspec.structs.replace(line, script=heard.reading.text)
    return with_reading(line, heard.reading)


def listened(production: Production, line: Line) -> Line:
    """A line listened to here and now; the sentence that says why it cannot be is a RecordingError."""
    slug, data, problem = listen_work(work_for(production, line))
    if problem:
        raise RecordingError(problem)
    return with_heard(line, Heard(slug, decode(data)))
