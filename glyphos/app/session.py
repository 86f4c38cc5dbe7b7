"""The session: what is open now. It holds values, tells its listeners, and knows no window.

Everything a person does makes another Production; `do` keeps it on disk, remembers it for undo and
tells who listens. While something is dragged a preview stands in for the line and is not kept.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import msgspec
from PySide6.QtCore import QObject, QTimer, Signal

from ..errors import GlyphosError, ScriptError
from ..handoff import curves
from ..motion.delivery import Delivery
from ..motion.perform import Motion, frame_rate, perform, reperform
from ..production.adding import Wanted, add_lines, wanted_from
from ..production.history import History, Step
from ..production.production import Header, Line, Production, read_lexicon
from ..production.store import Store
from ..speech.lexicon import Lexicon
from ..speech.parts import Flat, Part
from ..speech.reading import AudioInfo, Phone, Reading, Word
from .edge_finder import EdgeFinder
from .hearing import Hearing
from .opened import Opened, open_sound
from .work import Task

SETTLE_MS = 1500  # after the last change until documents are written
LONG = 240.0  # seconds of recording above which a line is opened in the background
WHOLE = 60.0  # seconds of recording below which the motion is always computed as a whole
DRAGGED = 0.75  # seconds beside an edge computed while it is dragged; the rest once it is let go
AROUND = 1.6  # seconds beside a change in which the motion may differ


@dataclass(frozen=True)
class State:
    """What undo goes back to: the production and the line that was shown."""

    production: Production
    slug: str


class Session(QObject):
    """Current production, line, reading, delivery and motion, with a signal for each change."""

    production_changed = Signal()
    line_changed = Signal()  # another line is shown
    script_changed = Signal()
    reading_changed = Signal()
    motion_changed = Signal()
    selection_changed = Signal()
    history_changed = Signal()
    busy_changed = Signal(str, float)  # what is being done ("" for nothing) and how far
    failed = Signal(str)
    said = Signal(str)

    def __init__(self, unsaved: Path | None = None) -> None:
        super().__init__()
        self.unsaved = unsaved  # where productions without a name of their own are kept
        self.store: Store | None = None
        self.production = Production(Path("/"), Header("Untitled"))
        self.slug = ""
        self.opened: Opened | None = None
        self.motion: Motion | None = None
        self.motion_window: tuple[float, float] | None = None  # what differs from before; None: all
        self.part: Part | None = None
        self.kept: Delivery | None = None  # the other side of A/B
        self.history: History[State] = History()
        self.lexicon = Lexicon()
        self.view_span = (0.0, 0.0)  # what the score shows, computed first while dragging
        self.fps = Fraction(24)
        self._preview: Line | None = None
        self.edges = EdgeFinder(self)
        self.hearing = Hearing(self)
        self._opening: Task | None = None
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self.settle)

    # ---- asking -----------------------------------------------------------------------------

    @property
    def line(self) -> Line | None:
        if self._preview is not None:
            return self._preview
        return next((x for x in self.production.lines if x.slug == self.slug), None)

    @property
    def reading(self) -> Reading | None:
        return self.line.reading if self.line else None

    @property
    def delivery(self) -> Delivery:
        return self.line.delivery if self.line else Delivery()

    @property
    def flat(self) -> Flat | None:
        return Flat.of(self.reading) if self.reading else None

    def moment(self, seconds: float) -> tuple[Word | None, Phone | None]:
        """The word and the sound at a time."""
        flat = self.flat
        part = flat.part_at("sound", seconds) if flat is not None else None
        if flat is None or part is None:
            return None, None
        phone = flat.phones[part.number]
        if phone.start <= seconds < phone.end:
            return flat.words[flat.word_of[part.number]], phone
        return None, None

    # ---- opening ----------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Open a production folder, or bring in a recording, a table or a folder of recordings.

        Failures are told, the state is kept.
        """
        try:
            if path.is_dir() and ((path / "production.json").exists() or (path / "lines").is_dir()):
                self.open_production(path)
            else:
                self.add([path])
        except GlyphosError as error:
            self.failed.emit(str(error))

    def open_production(self, folder: Path) -> None:
        """Open a production and show its first line; GlyphosError keeps what is open."""
        if self.store is not None and self.store.folder.resolve() == folder.resolve():
            return
        store = Store.open(folder)
        try:
            fps = frame_rate(store.production.header.fps)
            lexicon = read_lexicon(folder)
        except GlyphosError:
            store.close()
            raise
        self._leave()
        self.store, self.production, self.fps = store, store.production, fps
        self.lexicon = lexicon
        self.production_changed.emit()
        if self.production.lines:
            self.show_line(self.production.lines[0].slug)
        if self.line is None:
            self.line_changed.emit()
        for problem in store.problems:
            self.failed.emit(problem)
        if store.read_only:
            self.failed.emit(
                f"{folder.name} cannot be written: look as you like, but save a copy to keep changes."
            )

    def new_production(self, folder: Path, name: str, fps: str = "24") -> None:
        """Make a production and open it; GlyphosError keeps what is open."""
        frame_rate(fps)
        Store.create(folder, name=name, fps=fps).close()
        self.open_production(folder)

    def _leave(self) -> None:
        self.close()
        self.slug, self.opened, self.motion, self.part = "", None, None, None
        self._preview, self.kept = None, None
        self.history = History()
        self.history_changed.emit()

    def close(self) -> None:
        """Write what is left and let the production go."""
        self.cancel()
        self._settle.stop()
        if self.store is not None:
            try:
                self.store.close()
            except (GlyphosError, OSError) as error:
                self.failed.emit(str(error))
            self.store = None

    def add(self, paths: Sequence[Path]) -> None:
        """Bring in recordings; without a production they go into an unsaved one."""
        try:
            self.add_wanted(wanted_from(paths))
        except GlyphosError as error:
            self.failed.emit(str(error))

    def add_wanted(self, wanted: Sequence[Wanted]) -> tuple[str, ...]:
        """Bring in recordings and show the first of them; returns the slugs of the new lines."""
        if not wanted:
            raise ScriptError("There are no recordings in there; choose sound or video files.")
        if self.store is None:
            self._begin_unsaved(wanted[0].path)
        added = add_lines(self.production, wanted, copy=self.copies)
        for refusal in added.refused:
            self.failed.emit(refusal)
        if added.slugs:
            count = len(added.slugs)
            name = "Add a line" if count == 1 else f"Add {count} lines"
            self.do(name, added.production, slug=self.slug)
            if count > 1:
                self.said.emit(f"{count} lines added")
            self.show_line(added.slugs[0])
        return added.slugs

    @property
    def copies(self) -> bool:
        """Whether recordings are copied in: not into a production that was never saved."""
        return self.store is not None and self.store.folder.parent != self.unsaved

    def _begin_unsaved(self, first: Path) -> None:
        """Keep lines without a production in a folder of our own, so that nothing is lost."""
        from ..speech.recording import probe

        if self.unsaved is None:
            return
        probe(first)  # a file that cannot be read makes no production
        number = 1
        while (folder := self.unsaved / f"untitled-{number}.glyphos").exists():
            number += 1
        self.new_production(folder, "Untitled")

    def show_line(self, slug: str) -> None:
        """Show a line; if its recording cannot be read, say so and keep what is shown."""
        line = self.production.line(slug)
        path, channel = self.production.audio_path(line), line.channel
        if line.duration > LONG and path.exists():
            self.cancel()
            self._open_later(slug, path, channel)
            return
        try:
            opened = open_sound(path, channel=channel)
        except GlyphosError as error:
            self.failed.emit(str(error))
            return
        self.cancel()
        self._show_opened(slug, opened)

    def _open_later(self, slug: str, path: Path, channel: int) -> None:
        """Read a long recording in the background, then show its line."""
        task = Task(lambda _: open_sound(path, channel=channel))
        self._opening = task

        def done(opened: Opened) -> None:
            self.busy_changed.emit("", 1.0)
            if self._opening is task and any(x.slug == slug for x in self.production.lines):
                self._opening = None
                self._show_opened(slug, opened)

        def failed(message: str) -> None:
            self.busy_changed.emit("", 1.0)
            self.failed.emit(message)

        task.signals.done.connect(done)
        task.signals.failed.connect(failed)
        self.busy_changed.emit("Opening", 0.0)
        task.start()

    def _show_opened(self, slug: str, opened: Opened) -> None:
        self._opening = None
        self.slug, self.opened, self._preview, self.part = slug, opened, None, None
        self.edges.forget()
        self.line_changed.emit()
        self.reading_changed.emit()
        self.compute()
        if self.reading is not None:
            self.edges.with_evidence(lambda _: None)

    # ---- changing ---------------------------------------------------------------------------

    def do(
        self, name: str, production: Production, *, slug: str | None = None, merge: bool = False
    ) -> None:
        """Take over a changed production as one named step. `merge`: into the last one of that
        name, as when typing goes on."""
        before = State(self.production, self.slug)
        after = State(production, self.slug if slug is None else slug)
        if merge and self.history.undo_name == name and not self.history.undone:
            self.history.amend(after)
        else:
            self.history.add(name, before, after)
        self._take(after)
        self.history_changed.emit()

    def _take(self, state: State) -> None:
        """Make a state the present one, keep it, and tell what differs from before."""
        old_line, old_production = self.line, self.production
        self._preview = None
        self.production = state.production
        if self.store is not None:
            try:
                self.store.keep(state.production)
            except GlyphosError as error:
                self.failed.emit(str(error))
            self._settle.start()
        if state.production.header.fps != old_production.header.fps:
            self.fps = frame_rate(state.production.header.fps)
        slugs = {x.slug for x in state.production.lines}
        self.production_changed.emit()
        if state.slug != self.slug and state.slug in slugs:
            self.show_line(state.slug)
            return
        if self.slug not in slugs:
            self._show_another()
            return
        self._tell_line(old_line)

    def _show_another(self) -> None:
        self.slug, self.opened, self.motion, self.part = "", None, None, None
        if self.production.lines:
            self.show_line(self.production.lines[0].slug)
        if not self.slug:
            self.line_changed.emit()
            self.reading_changed.emit()

    def _tell_line(self, old: Line | None) -> None:
        line = self.line
        if line is None or old is None:
            return
        if line.audio != old.audio or line.channel != old.channel:
            self.show_line(line.slug)
            return
        if line.script != old.script or line.language != old.language:
            self.script_changed.emit()
        if line.reading is not old.reading:
            if self.part is not None and not (
                line.reading and Flat.of(line.reading).valid(self.part)
            ):
                self.part = None
            self.reading_changed.emit()
        self.compute(_changed(old, line))

    def change_line(self, name: str, *, merge: bool = False, **changes: object) -> None:
        """Change fields of the current line as one step."""
        base = next((x for x in self.production.lines if x.slug == self.slug), None)
        if base is not None:
            line = msgspec.structs.replace(base, **changes)
            self.do(name, self.production.with_line(line), merge=merge)

    def undo(self) -> None:
        self._step_back(self.history.undo(), "Undone", lambda s: s.before)

    def redo(self) -> None:
        self._step_back(self.history.redo(), "Done again", lambda s: s.after)

    def _step_back(
        self, step: Step[State] | None, word: str, side: Callable[[Step[State]], State]
    ) -> None:
        if step is None:
            return
        self.edges.forget()
        self._take(side(step))
        self.history_changed.emit()
        self.said.emit(f"{word}: {step.name}")

    def cancel(self) -> None:
        """Stop what runs in the background."""
        self.hearing.cancel()
        self.edges.cancel()

    def settle(self) -> None:
        """Write the documents of what changed."""
        if self.store is not None:
            try:
                self.store.settle()
            except (GlyphosError, OSError) as error:
                self.failed.emit(str(error))

    def set_script(self, text: str) -> None:
        """Keep the script as typed; the reading stays until it is listened to again."""
        if self.line is not None and text != self.line.script:
            self.change_line("Edit script", merge=True, script=text)

    def set_language(self, code: str) -> None:
        if self.line is not None and code != self.line.language:
            self.change_line("Choose language", language=code)

    def change_header(self, step: str, **changes: object) -> None:
        """Change fields of the production itself as one step."""
        header = msgspec.structs.replace(self.production.header, **changes)
        self.do(step, replace(self.production, header=header))

    def set_fps(self, text: str) -> None:
        """Another frame rate for the production."""
        try:
            frame_rate(text)
        except GlyphosError as error:
            self.failed.emit(str(error))
            return
        self.fps = frame_rate(text)
        self.change_header("Set frame rate", fps=text)
        self.compute()

    # ---- delivery ---------------------------------------------------------------------------

    def set_delivery(self, *, save: bool = True, **changes: float) -> None:
        """Change settings of the delivery and compute the motion anew at once."""
        if self.line is None:
            return
        delivery = msgspec.structs.replace(self.delivery, **changes)
        if save:
            self.change_line("Adjust delivery", delivery=delivery)
        else:
            self._preview = msgspec.structs.replace(self.line, delivery=delivery)
            self.compute(self.view_span)

    def keep_delivery(self) -> None:
        """Keep the current setting as the other side of A/B."""
        self.kept = self.delivery

    def flip_delivery(self) -> None:
        """Change over between the current setting and the kept one."""
        if self.kept is not None and self.line is not None:
            other, self.kept = self.kept, self.delivery
            self.change_line("Flip A/B", delivery=other)

    # ---- motion -----------------------------------------------------------------------------

    def compute(self, window: tuple[float, float] | None = None) -> None:
        """Motion of the current line; only of a `window` (start, end) while dragging."""
        if self.line is None or self.opened is None:
            self.motion = None
            self.motion_changed.emit()
            return
        reading = self.line.reading or self._silence()
        loudness = self.opened.loudness
        self.motion_window = None
        usable = self.motion is not None and self.motion.fps == self.fps
        if window is not None and window[1] > window[0] and usable and self.motion is not None:
            self.motion = reperform(
                self.motion, reading, self.line.delivery, start=window[0], end=window[1],
                loudness=loudness,
            )  # fmt: skip
            self.motion_window = window
        else:
            self.motion = perform(reading, self.line.delivery, fps=self.fps, loudness=loudness)
        self.motion_changed.emit()

    def _silence(self) -> Reading:
        assert self.opened is not None and self.line is not None
        recording = self.opened.recording
        audio = AudioInfo(recording.path.name, recording.duration, recording.source_rate)
        return Reading(self.line.language, audio)

    # ---- correcting -------------------------------------------------------------------------

    def select(self, part: Part | None) -> None:
        """Choose a phrase, word or sound."""
        if part != self.part:
            self.part = part
            self.selection_changed.emit()

    def preview(self, reading: Reading, around: float) -> None:
        """Show a reading while something is dragged near a time; nothing is kept yet."""
        if self.line is None:
            return
        self._preview = msgspec.structs.replace(self.line, reading=reading)
        self.reading_changed.emit()
        self.compute((around - DRAGGED, around + DRAGGED))

    @property
    def dragging(self) -> bool:
        """Whether a preview stands in for the line."""
        return self._preview is not None

    def amend(self, line: Line) -> None:
        """Let the last step have led to this line after all."""
        state = State(self.production.with_line(line), line.slug)
        self.history.amend(state)
        self._take(state)

    def drop_preview(self) -> None:
        """Go back to what was before the drag."""
        if self._preview is not None:
            self._preview = None
            self.reading_changed.emit()
            self.compute()

    def edit(
        self, name: str, reading: Reading, *, find: Sequence[tuple[float, float]] = (),
        script: str | None = None, select: Part | None = None,
    ) -> None:  # fmt: skip
        """A corrected reading as one step; the unpinned edges of the stretches `find` are then
        found again from the sound, as part of the same step."""
        changes: dict[str, object] = {"reading": reading}
        if script is not None:
            changes["script"] = script
        self.change_line(name, **changes)
        if select is not None:
            self.select(select)
        self.edges.find(find)

    @property
    def finding(self) -> bool:
        """Whether edges are being found again just now."""
        return self.edges.busy

    # ---- handing off ------------------------------------------------------------------------

    def save_curves(self, path: Path, fps: str) -> None:
        """Write the motion at a frame rate; raises GlyphosError."""
        if self.line is None or self.line.reading is None or self.opened is None:
            raise ScriptError("Listen to the line first; there is no motion to save yet.")
        motion = perform(
            self.line.reading, self.delivery, fps=frame_rate(fps), loudness=self.opened.loudness
        )
        curves.save(motion, path)


def _changed(old: Line, new: Line) -> tuple[float, float] | None:
    """The stretch of a long line in which its motion differs; None if it is all of it."""
    a, b = old.reading, new.reading
    if a is None or b is None or old.delivery != new.delivery or new.duration < WHOLE:
        return None
    if a.marks != b.marks or a.audio != b.audio:
        return None
    before, after = Flat.of(a).phones, Flat.of(b).phones
    shorter = min(len(before), len(after))
    head = next((k for k in range(shorter) if before[k] != after[k]), shorter)
    tail = next(
        (k for k in range(shorter - head) if before[-1 - k] != after[-1 - k]), shorter - head
    )
    changed = [*before[head : len(before) - tail], *after[head : len(after) - tail]]
    if not changed:
        return (0.0, 0.1)
    return min(p.start for p in changed) - AROUND, max(p.end for p in changed) + AROUND
