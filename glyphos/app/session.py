"""The session: what is open now. It holds values, tells its listeners, and knows no window."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from ..errors import GlyphosError, ScriptError
from ..handoff import curves
from ..motion.delivery import Delivery
from ..motion.loudness import Loudness, measure
from ..motion.perform import Motion, frame_rate, perform
from ..production.production import Header, Line, Production, slugify
from ..speech.reading import AudioInfo, Phone, Reading, Word
from ..speech.recording import Recording, open_recording, read_for_playing
from ..speech.script import read_script_file
from .work import Progress, Task


@dataclass(frozen=True)
class Opened:
    """A line's recording, read for listening and for playing, with its loudness."""

    recording: Recording
    sound: NDArray[np.float32]
    loudness: Loudness


def open_sound(path: Path) -> Opened:
    """Read a recording for the window."""
    recording = open_recording(path)
    return Opened(recording, read_for_playing(path), measure(recording.samples, 16_000))


def untitled() -> Production:
    """A production that is not on disk yet; its lines name their recordings in full."""
    return Production(Path("/"), Header("Untitled"))


class Session(QObject):
    """Current production, line, reading, delivery and motion, with a signal for each change."""

    production_changed = Signal()
    line_changed = Signal()
    reading_changed = Signal()
    motion_changed = Signal()
    busy_changed = Signal(str, float)  # what is being done ("" for nothing) and how far
    failed = Signal(str)
    said = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.production = untitled()
        self.line: Line | None = None
        self.opened: Opened | None = None
        self.motion: Motion | None = None
        self.kept: Delivery | None = None  # the other side of A/B
        self.task: Task | None = None
        self.fps = Fraction(24)

    @property
    def reading(self) -> Reading | None:
        return self.line.reading if self.line else None

    @property
    def delivery(self) -> Delivery:
        return self.line.delivery if self.line else Delivery()

    # ---- opening ----------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Open a production folder or a recording; failures are told, the state is kept."""
        try:
            if path.is_dir() and (path / "production.json").exists():
                self.open_production(path)
            else:
                self.add_recording(path)
        except GlyphosError as error:
            self.failed.emit(str(error))

    def open_production(self, folder: Path) -> None:
        """Read a production and show its first line."""
        production = Production.open(folder)
        fps = frame_rate(production.header.fps)
        self.production, self.fps = production, fps
        self.line, self.opened, self.motion = None, None, None
        self.production_changed.emit()
        if production.lines:
            self.show_line(production.lines[0].slug)
        else:
            self.line_changed.emit()

    def add_recording(self, path: Path) -> None:
        """Open a recording as a new line, with the .txt of the same name as its script."""
        opened = open_sound(path)
        beside = path.with_suffix(".txt")
        script = ""
        if beside.exists():
            try:
                script = read_script_file(beside).strip()
            except GlyphosError as error:
                self.failed.emit(str(error))
        slug = slugify(path.stem, {x.slug for x in self.production.lines})
        line = Line(slug, str(path.resolve()), script=script, duration=opened.recording.duration)
        self.production = self.production.with_line(line)
        self.production_changed.emit()
        self._show(line, opened)

    def show_line(self, slug: str) -> None:
        """Show a line; if its recording cannot be read, say so and keep what is shown."""
        line = self.production.line(slug)
        try:
            opened = open_sound(self.production.audio_path(line))
        except GlyphosError as error:
            self.failed.emit(str(error))
            return
        self._show(line, opened)

    def _show(self, line: Line, opened: Opened) -> None:
        self.cancel()
        self.line, self.opened = line, opened
        self.line_changed.emit()
        self.reading_changed.emit()
        self.compute()

    # ---- changing ---------------------------------------------------------------------------

    def _replace(self, **changes: object) -> None:
        assert self.line is not None
        self.line = msgspec.structs.replace(self.line, **changes)
        self.production = self.production.with_line(self.line)
        if self.production.folder != Path("/"):
            try:
                self.production.save()
            except GlyphosError as error:
                self.failed.emit(str(error))

    def set_script(self, text: str) -> None:
        """Keep the script as typed; the reading stays until it is listened to again."""
        if self.line is not None and text != self.line.script:
            self._replace(script=text)
            self.production_changed.emit()

    def set_language(self, code: str) -> None:
        if self.line is not None and code != self.line.language:
            self._replace(language=code)

    def set_delivery(self, *, save: bool = True, **changes: float) -> None:
        """Change settings of the delivery and compute the motion anew at once."""
        if self.line is None:
            return
        delivery = msgspec.structs.replace(self.delivery, **changes)
        if save:
            self._replace(delivery=delivery)
        else:
            self.line = msgspec.structs.replace(self.line, delivery=delivery)
        self.compute()

    def keep_delivery(self) -> None:
        """Keep the current setting as the other side of A/B."""
        self.kept = self.delivery

    def flip_delivery(self) -> None:
        """Change over between the current setting and the kept one."""
        if self.kept is not None and self.line is not None:
            other, self.kept = self.kept, self.delivery
            self._replace(delivery=other)
            self.compute()

    def set_fps(self, text: str) -> None:
        """Another frame rate for the production."""
        try:
            self.fps = frame_rate(text)
        except GlyphosError as error:
            self.failed.emit(str(error))
            return
        header = msgspec.structs.replace(self.production.header, fps=text)
        self.production = replace(self.production, header=header)
        if self.line is not None:
            self._replace()
        self.compute()

    def compute(self) -> None:
        """Motion of the current line, from its reading and delivery."""
        self.motion = None
        if self.line is not None and self.opened is not None:
            reading = self.line.reading or self._silence()
            self.motion = perform(
                reading, self.line.delivery, fps=self.fps, loudness=self.opened.loudness
            )
        self.motion_changed.emit()

    def _silence(self) -> Reading:
        assert self.opened is not None and self.line is not None
        recording = self.opened.recording
        audio = AudioInfo(recording.path.name, recording.duration, recording.source_rate)
        return Reading(self.line.language, audio)

    # ---- listening --------------------------------------------------------------------------

    def listen(self) -> None:
        """Listen to the current line in the background."""
        if self.line is None or self.opened is None or self.task is not None:
            return
        line, recording = self.line, self.opened.recording
        if not line.script.strip():
            self.failed.emit("There is no script yet; type what is said and listen again.")
            return
        from ..speech.listen import listen

        def work(progress: Progress) -> Reading:
            return listen(recording, line.script, language=line.language, progress=progress)

        self.task = Task(work)
        self.task.signals.progress.connect(lambda f: self.busy_changed.emit("Listening", f))
        self.task.signals.done.connect(lambda reading: self._listened(line.slug, reading))
        self.task.signals.failed.connect(self._stopped)
        self.task.signals.cancelled.connect(lambda: self._stopped(""))
        self.busy_changed.emit("Listening", 0.0)
        self.task.start()

    def cancel(self) -> None:
        """Stop what runs in the background."""
        if self.task is not None:
            self.task.cancel()

    def _listened(self, slug: str, reading: Reading) -> None:
        self.task = None
        self.busy_changed.emit("", 1.0)
        if self.line is None or self.line.slug != slug:
            return
        self._replace(reading=reading)
        doubtful = sum(w.doubtful for w in reading.words())
        count = sum(1 for _ in reading.words())
        self.said.emit(
            f"{count} words found" + (f", {doubtful} of them doubtful" if doubtful else "")
        )
        self.production_changed.emit()
        self.reading_changed.emit()
        self.compute()

    def _stopped(self, message: str) -> None:
        self.task = None
        self.busy_changed.emit("", 1.0)
        if message:
            self.failed.emit(message)
        else:
            self.said.emit("Stopped; nothing was changed.")

    # ---- asking -----------------------------------------------------------------------------

    def moment(self, seconds: float) -> tuple[Word | None, Phone | None]:
        """The word and the sound at a time."""
        for word in self.reading.words() if self.reading else ():
            if word.start <= seconds < word.end:
                phone = next((p for p in word.phones if p.start <= seconds < p.end), None)
                return word, phone
        return None, None

    def save_curves(self, path: Path, fps: str) -> None:
        """Write the motion at a frame rate; raises GlyphosError."""
        if self.line is None or self.line.reading is None or self.opened is None:
            raise ScriptError("Listen to the line first; there is no motion to save yet.")
        motion = perform(
            self.line.reading, self.delivery, fps=frame_rate(fps), loudness=self.opened.loudness
        )
        curves.save(motion, path)
