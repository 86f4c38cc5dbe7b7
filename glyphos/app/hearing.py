"""Long work on the current line: listening in its several ways, and swapping the recording."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..errors import GlyphosError
from ..production.adding import bring_in, digest
from ..speech.reading import Reading
from .opened import open_sound
from .work import Progress, Task

if TYPE_CHECKING:
    from .session import Session


class Hearing:
    """One piece of work at a time, with progress and cancel; results go to the session."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.task: Task | None = None

    def run(self, what: str, work: Callable[[Progress], Any], done: Callable[[Any], None]) -> None:
        """Do long work in the background, with progress and cancel; `done` is called here with
        the result unless another line was chosen meanwhile."""
        if self.task is not None:
            self.session.failed.emit(
                "Something is being done already; wait for it or cancel it first."
            )
            return
        slug = self.session.slug

        def finish(result: Any) -> None:
            self.task = None
            self.session.busy_changed.emit("", 1.0)
            if self.session.slug == slug:
                done(result)

        self.task = Task(work)
        self.task.signals.progress.connect(lambda f: self.session.busy_changed.emit(what, f))
        self.task.signals.done.connect(finish)
        self.task.signals.failed.connect(self._stopped)
        self.task.signals.cancelled.connect(lambda: self._stopped(""))
        self.session.busy_changed.emit(what, 0.0)
        self.task.start()

    def cancel(self) -> None:
        """Stop what runs in the background."""
        if self.task is not None:
            self.task.cancel()

    def _stopped(self, message: str) -> None:
        self.task = None
        self.session.busy_changed.emit("", 1.0)
        if message:
            self.session.failed.emit(message)
        else:
            self.session.said.emit("Stopped; nothing was changed.")

    def listen(self) -> None:
        """Listen to the current line: to what changed in its script, else all of it anew."""
        if self.session.line is None or self.session.opened is None:
            return
        line, recording, lexicon = (
            self.session.line,
            self.session.opened.recording,
            self.session.lexicon,
        )
        if not line.script.strip():
            self.session.failed.emit(
                "There is no script yet; type what is said, or choose “Listen without a script”."
            )
            return
        ready = self.session.edges.ready()

        def work(progress: Progress) -> Reading:
            from ..speech.listening import listen_line

            return listen_line(recording, line.script, language=line.language, lexicon=lexicon,
                               earlier=line.reading, evidence=ready, condition=line.condition,
                               progress=progress)  # fmt: skip

        self.run("Listening", work, self.listened)

    def listen_unscripted(self, *, sounds: bool = False) -> None:
        """Put in what is heard as a draft script, or sounds only."""
        if self.session.line is None or self.session.opened is None:
            return
        line, recording = self.session.line, self.session.opened.recording

        def work(progress: Progress) -> Reading:
            from ..speech.recognise import listen_for_sounds, listen_without_script

            make = listen_for_sounds if sounds else listen_without_script
            return make(recording, language=line.language, progress=progress)

        def done(reading: Reading) -> None:
            self.listened(reading, script=reading.text)

        self.run("Listening without a script", work, done)

    def listened(self, reading: Reading, *, script: str | None = None) -> None:
        """Take over what listening found."""
        changes: dict[str, object] = {"reading": reading, "problem": ""}
        if script is not None:
            changes["script"] = script
        self.session.change_line("Listen", **changes)
        self.session.edges.with_evidence(lambda _: None)
        doubtful = sum(w.doubtful for w in reading.words())
        count = sum(1 for _ in reading.words())
        self.session.said.emit(
            f"{count} words found" + (f", {doubtful} of them doubtful" if doubtful else "")
        )

    def retake(self, path: Path) -> None:
        """Swap the recording of the current line and find the same sounds in it."""
        line = self.session.line
        if line is None:
            return

        def work(progress: Progress) -> Any:
            from ..speech.hearing import hear
            from ..speech.realign import retake

            opened = open_sound(path)
            if line.reading is None:
                return opened, None
            evidence = hear(opened.recording, progress=lambda f: progress(0.6 * f))
            return opened, retake(opened.recording, evidence, line.reading,
                                  progress=lambda f: progress(0.6 + 0.4 * f))  # fmt: skip

        def done(result: Any) -> None:
            opened, taken = result
            self._retaken(path, opened.recording.duration, taken)

        self.run("Listening to the new take", work, done)

    def _retaken(self, path: Path, duration: float, taken: Any) -> None:

        audio = str(path.resolve())
        if self.session.copies:
            names = {Path(x.audio).name for x in self.session.production.lines}
            try:
                audio = f"audio/{bring_in(path, self.session.production.folder, names)}"
            except GlyphosError as error:
                self.session.failed.emit(str(error))
                return
        changes: dict[str, object] = {
            "audio": audio,
            "duration": duration,
            "digest": digest(path),
            "problem": "",
        }
        message = "The recording was swapped"
        if taken is not None:
            changes |= {"reading": taken.reading, "offered": taken.offered}
            if taken.offered:
                message += f"; {len(taken.offered)} pins of the earlier take can be set again"
        self.session.change_line("Retake", **changes)
        self.session.said.emit(message)
