"""What follows from documents, for any line: its sound, its evidence, its motion.

Computed in the background, kept by what it was made from, let go when there is too much of it. A
recording is known by its place, its channel and the state of its file, so that one that was
changed outside is read again.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from ...files import file_state
from ...motion.curve import Motion
from ...motion.loudness import Loudness
from ...motion.perform import perform
from ...production.documents import Line
from ...speech.reading import AudioInfo, Reading
from .document import Document
from .jobs import Jobs, Told
from .opened import Opened, open_sound

if TYPE_CHECKING:
    from ...speech.align import Evidence

MOST_SECONDS = 900.0  # of sound that is kept in memory beside the line that is shown
MOST_MOTIONS = 12
Source = tuple[str, int, int, int]  # path, channel, time and size of the file


class Derived(QObject):
    """Caches by what things are made from; signals say what has come."""

    sound_ready = Signal(object)  # a Source
    evidence_ready = Signal(object)

    def __init__(self, document: Document, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._jobs = document, jobs
        self._sounds: OrderedDict[Source, Opened] = OrderedDict()
        self._evidence: OrderedDict[Source, Evidence] = OrderedDict()
        self._problems: dict[Source, str] = {}
        self._motions: OrderedDict[tuple[int, ...], tuple[object, Motion]] = OrderedDict()

    # ---- sound --------------------------------------------------------------------------------

    def path(self, line: Line) -> Path:
        return self._document.production.audio_path(line)

    def source(self, line: Line) -> Source:
        """What a line's recording is just now."""
        path = self.path(line)
        return str(path), line.channel, *file_state(path)

    def sound(self, line: Line) -> Opened | None:
        """The line's recording if it has been read; else it is read, and `sound_ready` tells."""
        source = self.source(line)
        if source in self._sounds:
            self._sounds.move_to_end(source)
            return self._sounds[source]
        if source not in self._problems:
            self._read(source)
        return None

    def problem(self, line: Line) -> str:
        """Why a recording cannot be read; "" if it can, or nobody knows yet."""
        return self._problems.get(self.source(line), "")

    def forget_problem(self, line: Line) -> None:
        """Try again to read a recording."""
        self._problems.pop(self.source(line), None)

    def take_sound(self, line: Line, opened: Opened) -> None:
        """Sound that was read already, by other work."""
        self._keep_sound(self.source(line), opened)

    def _read(self, source: Source) -> None:
        name = f"sound {source}"
        if self._jobs.find(name) is not None:
            return

        def ended(problem: str) -> None:
            if problem and problem != "Stopped.":
                self._problems[source] = problem
                self.sound_ready.emit(source)

        self._jobs.submit(
            "Reading the recording",
            lambda told: open_sound(Path(source[0]), channel=source[1], progress=told),
            lambda opened: self._keep_sound(source, opened), name=name, quiet=True, ended=ended,
        )  # fmt: skip

    def _keep_sound(self, source: Source, opened: Opened) -> None:
        self._sounds[source] = opened
        self._sounds.move_to_end(source)
        while len(self._sounds) > 1 and self._seconds > MOST_SECONDS:
            self._sounds.popitem(last=False)
        self.sound_ready.emit(source)

    @property
    def _seconds(self) -> float:
        last = next(reversed(self._sounds))
        return sum(o.recording.duration for s, o in self._sounds.items() if s != last)

    # ---- evidence -----------------------------------------------------------------------------

    def evidence(self, line: Line) -> Evidence | None:
        """The line's evidence if it has been computed; else it is, and `evidence_ready` tells."""
        source = self.source(line)
        ready = self._evidence.get(source)
        name = f"evidence {source}"
        if ready is None and source[3] and self._jobs.find(name) is None:
            opened = self._sounds.get(source)
            self._jobs.submit(
                "Hearing", lambda told: _heard(source, opened, told),
                lambda evidence: self.keep_evidence(source, evidence), name=name, quiet=True,
            )  # fmt: skip
        return ready

    def ready_evidence(self, line: Line) -> Evidence | None:
        """The line's evidence, only if it is there."""
        return self._evidence.get(self.source(line))

    def keep_evidence(self, source: Source, evidence: Evidence) -> None:
        """Evidence of a recording, whoever computed it."""
        self._evidence[source] = evidence
        self._evidence.move_to_end(source)
        while (
            len(self._evidence) > 1
            and sum(e.seconds for e in self._evidence.values()) > MOST_SECONDS
        ):
            self._evidence.popitem(last=False)
        self.evidence_ready.emit(source)

    # ---- motion -------------------------------------------------------------------------------

    def reading(self, line: Line) -> Reading:
        """The line's reading, or silence as long as its recording."""
        if line.reading is not None:
            return line.reading
        opened = self._sounds.get(self.source(line))
        duration = opened.recording.duration if opened else line.duration
        rate = opened.recording.source_rate if opened else 0
        return Reading(line.language, AudioInfo(line.file, duration, rate))

    def whole_motion(self, line: Line, fps: Fraction, loudness: Loudness | None) -> Motion | None:
        """The whole motion if it has been computed."""
        found = self._motions.get(self._motion_key(line, fps, loudness))
        return found[1] if found is not None else None

    def compute_motion(self, line: Line, fps: Fraction, loudness: Loudness | None) -> Motion:
        """The whole motion, here and now."""
        made = self.whole_motion(line, fps, loudness)
        if made is None:
            made = perform(self.reading(line), line.delivery, fps=fps, loudness=loudness)
            self._keep_motion(line, fps, loudness, made)
        return made

    def motion_later(
        self, line: Line, fps: Fraction, loudness: Loudness | None, then: Callable[[Motion], None],
        fresh: Callable[[], object],
    ) -> None:  # fmt: skip
        """The whole motion, in the background; `then` gets it if `fresh` gives the same by then."""
        reading = self.reading(line)

        def apply(motion: Motion) -> None:
            self._keep_motion(line, fps, loudness, motion)
            then(motion)

        self._jobs.submit(
            "Performing", lambda _: perform(reading, line.delivery, fps=fps, loudness=loudness),
            apply, name="motion", quiet=True, instead=True, inputs=fresh,
        )  # fmt: skip

    def _motion_key(self, line: Line, fps: Fraction, loudness: Loudness | None) -> tuple[int, ...]:
        return id(line.reading), id(line.delivery), hash(fps), id(loudness)

    def _keep_motion(
        self, line: Line, fps: Fraction, loudness: Loudness | None, motion: Motion
    ) -> None:
        if line.reading is None:
            return
        held = (line.reading, line.delivery, loudness)  # so that their identities stay theirs
        self._motions[self._motion_key(line, fps, loudness)] = (held, motion)
        while len(self._motions) > MOST_MOTIONS:
            self._motions.popitem(last=False)


def _heard(source: Source, opened: Opened | None, told: Told) -> Evidence:
    from ...speech.hearing import hear

    if opened is None:
        opened = open_sound(Path(source[0]), channel=source[1])
    return hear(opened.recording, progress=told)
