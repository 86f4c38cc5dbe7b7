"""The line that is shown, as views need it: its script, reading, sound and motion.

The motion is computed at once where that is quick. On long lines what is in sight, or near what
changed, is computed first and the whole follows in the background: what stays is always the whole.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import QObject, QTimer, Signal

from ...motion.curve import Motion, differing
from ...motion.delivery import Delivery
from ...motion.perform import reperform
from ...production.documents import Line
from ...production.kinds import HEAD, Key, line_key
from ...rates import frame_rate
from ...speech.parts import Flat, Part
from ...speech.reading import Phone, Reading, Word
from .derived import Derived, Source
from .document import Document
from .opened import Opened
from .selection import Selection

QUICK = 900  # frames up to which the whole motion is computed at once
REST = 120  # milliseconds without a change until the whole of a long line is computed
PASSING = 40  # milliseconds after which a line that is shown is no longer taken to be passed by
READ = 150  # milliseconds that its motion waits for its sound, which it follows
PAUSE = 30  # milliseconds without a change until all that is in sight is computed
AROUND = 0.5  # seconds beside an edge that are computed while it is dragged


class Current(QObject):
    """Looks at document, selection and derived; tells what of the shown line is new."""

    line_changed = Signal()  # another line, or another recording of it
    script_changed = Signal()
    reading_changed = Signal()
    sound_changed = Signal()
    motion_changed = Signal()
    other_changed = Signal()  # the state that it is compared with
    state_changed = Signal()  # its speaker, its problem, the pins that are offered

    def __init__(self, document: Document, selection: Selection, derived: Derived) -> None:
        super().__init__()
        self._document, self._selection, self._derived = document, selection, derived
        self.line: Line | None = None
        self.opened: Opened | None = None
        self.motion: Motion | None = None
        self.other: Line | None = None
        self.motion_window: tuple[float, float] | None = None  # what differs; None: all of it
        self.view_span = (0.0, 0.0)  # what the score shows, computed first
        self.near_span = (0.0, 0.0)  # beside the playhead, computed before all else
        self.fps = Fraction(24)
        self._passing = self._timer(PASSING, self.compute)
        self._unread = self._timer(READ, self.compute)
        self._rest = self._timer(REST, self._compute_whole)
        self._pause = self._timer(PAUSE, self._compute_view)
        self._timers = self._passing, self._unread, self._rest, self._pause
        selection.line_changed.connect(self._show)
        document.opened.connect(self._take_rate)
        document.changed.connect(self._follow)
        derived.sound_ready.connect(self._take_sound)

    def _timer(self, milliseconds: int, then: Callable[[], None]) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.setInterval(milliseconds)
        timer.timeout.connect(then)
        return timer

    # ---- asking -----------------------------------------------------------------------------

    @property
    def settled(self) -> bool:
        """Whether the motion is the whole one, or nothing more is to come of it."""
        return not any(t.isActive() for t in self._timers)

    @property
    def reading(self) -> Reading | None:
        return self.line.reading if self.line else None

    @property
    def heard(self) -> bool:
        """Whether there is a reading with something in it."""
        return self.line is not None and self.line.heard

    @property
    def flat(self) -> Flat | None:
        return Flat.of(self.reading) if self.reading else None

    @property
    def duration(self) -> float:
        """Seconds of the recording, once it was read; what the line says until then."""
        if self.opened is not None:
            return self.opened.recording.duration
        return self.line.duration if self.line else 0.0

    @property
    def delivery(self) -> Delivery:
        return self.line.delivery if self.line else Delivery()

    @property
    def problem(self) -> str:
        """Why the recording cannot be heard; "" if it can."""
        return self._derived.problem(self.line) if self.line else ""

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

    # ---- following ----------------------------------------------------------------------------

    def _take_rate(self) -> None:
        self.fps = frame_rate(self._document.header.fps)

    def _show(self) -> None:
        """Another line; how it moves comes once it stays, so that many are quickly passed by."""
        before, self.line = self.line, self._document.line(self._selection.slug)
        self.opened = self._derived.sound(self.line) if self.line else None
        self.motion = None
        self.line_changed.emit()
        self.script_changed.emit()
        self.reading_changed.emit()
        self.sound_changed.emit()
        line, waits = self.line, self._waits
        if line is None or self._known(line) is not None or (before is None and not waits):
            self.compute()
        else:
            self.motion_changed.emit()
            (self._unread if waits else self._passing).start()

    @property
    def _waits(self) -> bool:
        """Whether the sound of the line is being read, and will come or be told to be missing."""
        return self.line is not None and self.opened is None and not self.problem

    def _known(self, line: Line) -> Motion | None:
        """Its whole motion, if it was computed."""
        loudness = self.opened.loudness if self.opened else None
        return self._derived.whole_motion(line, self.fps, loudness)

    def look_again(self) -> None:
        """Read the recording of the line again, if its file is another by now; what was read stays where it is away."""
        if self.line is not None:
            self._derived.forget_problem(self.line)
            if self.opened is None or self._derived.path(self.line).exists():
                self.opened = self._derived.sound(self.line)
            self.sound_changed.emit()
            self.compute()

    def _take_sound(self, source: Source) -> None:
        if self.line is not None and self._derived.source(self.line) == source:
            self.opened = self._derived.sound(self.line)
            self.sound_changed.emit()
            self.compute()

    def _follow(self, keys: frozenset[Key]) -> None:
        if HEAD in keys and self._document.header.fps != "" and self._rate_changed():
            self.compute()
        if self._selection.slug and line_key(self._selection.slug) in keys:
            self._update(self._document.line(self._selection.slug))

    def _rate_changed(self) -> bool:
        before = self.fps
        self._take_rate()
        return self.fps != before

    def _update(self, line: Line | None) -> None:
        old, self.line = self.line, line
        if line is None or old is None:
            return
        if (line.audio, line.channel) != (old.audio, old.channel):
            self._show()
            return
        if (line.script, line.language) != (old.script, old.language):
            self.script_changed.emit()
        if line.reading is not old.reading:
            self.reading_changed.emit()
        if line.reading is not old.reading or line.delivery != old.delivery:
            self.compute(changed_span(old, line))
        if (line.problem, line.offered, line.speaker) != (old.problem, old.offered, old.speaker):
            self.state_changed.emit()

    @property
    def _dragging(self) -> bool:
        return self._document.previewed == line_key(self._selection.slug)

    # ---- motion -------------------------------------------------------------------------------

    def compute(self, window: tuple[float, float] | None = None) -> None:
        """The motion of the line; only of a `window` (start, end) while dragging."""
        line = self.line
        self._passing.stop()
        self._unread.stop()
        self.motion_window = None
        if line is None:
            self.motion = None
            self.motion_changed.emit()
            return
        loudness = self.opened.loudness if self.opened else None
        whole = self._known(line)
        quick = self._derived.reading(line).audio.duration * float(self.fps) <= QUICK
        if whole is not None:
            self.motion = whole
        elif quick and (window is None or not self._dragging):
            self.motion = self._derived.compute_motion(line, self.fps, loudness)
        else:
            self._compute_part(line, window or self.near_span)
            if window is None:
                self._pause.start()
            if not self._dragging:
                self._rest.start()
        self.motion_changed.emit()

    def compare_with(self, other: Line | None) -> None:
        """Another state of the line, to compare how it moves; None for no more."""
        if other is not self.other:
            self.other = other
            self.other_changed.emit()

    def _compute_view(self) -> None:
        """Everything in sight, once the hand pauses."""
        if self.line is not None:
            self._compute_part(self.line, self.view_span)
            self.motion_changed.emit()

    def _compute_whole(self) -> None:
        """The whole of a long line, in the background."""
        if self.line is not None and not self._dragging:
            loudness = self.opened.loudness if self.opened else None
            self._derived.motion_later(
                self.line, self.fps, loudness, self._take_whole, self._made_of
            )

    def _compute_part(self, line: Line, window: tuple[float, float]) -> None:
        loudness = self.opened.loudness if self.opened else None
        if self.motion is None or self.motion.fps != self.fps:
            self.motion = None  # it comes from the background in a moment
            return
        if window[1] <= window[0]:
            return
        before = self.motion
        self.motion = reperform(
            before, self._derived.reading(line), line.delivery, start=window[0],
            end=window[1], loudness=loudness,
        )  # fmt: skip
        self.motion_window = differing(before, self.motion, *window)

    def _made_of(self) -> object:
        line = self.line
        return (line and line.reading, line and line.delivery, str(self.fps), self.opened)

    def _take_whole(self, motion: Motion) -> None:
        self.motion, self.motion_window = motion, None
        self.motion_changed.emit()


def changed_span(old: Line, new: Line) -> tuple[float, float] | None:
    """The stretch in which two readings of a line differ, with what is near; None: not known."""
    a, b = old.reading, new.reading
    if a is None or b is None or old.delivery != new.delivery or a.marks != b.marks:
        return None
    before, after = Flat.of(a), Flat.of(b)
    if len(before.phones) != len(after.phones) or len(a.phrases) != len(b.phrases):
        return None
    changed: list[Phone] = []
    for number, (x, y) in enumerate(zip(a.phrases, b.phrases, strict=True)):
        if x is not y:
            part = Part("phrase", number)
            first, last = before.sound_range(part)
            if (first, last) != after.sound_range(part):
                return None
            changed += [
                p for k in range(first, last) if before.phones[k] is not after.phones[k]
                for p in (before.phones[k], after.phones[k])
            ]  # fmt: skip
    if not changed:
        return (0.0, 0.1)
    return min(p.start for p in changed) - AROUND, max(p.end for p in changed) + AROUND
