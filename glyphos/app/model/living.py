"""The whole face of the shown line: its speech with life and moods laid on, as they are wanted.

Made in the background; until it is, the rest of the face stays as it was, over the speech as it is now.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...motion.curve import Motion
from ...motion.life.event import Event
from ...production.documents import Line
from ...production.kinds import Key
from .current import Current
from .document import Document
from .jobs import Jobs

NAME = "living"


class Living(QObject):
    """Follows the line that is shown."""

    changed = Signal()  # the motion of the whole face, or what happens in it

    def __init__(self, document: Document, current: Current, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._current, self._jobs = document, current, jobs
        self._whole: Motion | None = None
        self._made_of: tuple[object, ...] | None = None
        self._voice: tuple[tuple[object, ...], object] | None = None  # what it is of, and a Voice
        self.events: tuple[Event, ...] = ()
        document.opened.connect(self._forget)
        document.changed.connect(self._follow)
        current.motion_changed.connect(self.refresh)

    def _forget(self) -> None:
        self._whole = self._made_of = self._voice = None
        self.events = ()

    def _follow(self, keys: frozenset[Key]) -> None:
        if any(kind == "line" for kind, _ in keys):
            self.refresh()

    # ---- asking -------------------------------------------------------------------------------

    @property
    def motion(self) -> Motion | None:
        """The whole face where it is made of the present speech, else the speech."""
        speech = self._current.motion
        fresh = self._made_of is not None and self._made_of[1] is speech
        return self._whole if fresh and self._whole is not None else speech

    @property
    def settled(self) -> bool:
        """Whether nothing is to come."""
        return _same(self._wanted(), self._made_of)

    def values(self, seconds: float) -> dict[str, float]:
        """All channels at a time: the rest of the face as it was made last, over the present speech."""
        speech, motion = self._current.motion, self.motion
        if speech is None or motion is None:
            return {}
        if motion is not speech or self._whole is None:
            return motion.at(seconds)
        return {**self._whole.at(seconds), **speech.at(seconds)}

    # ---- making -------------------------------------------------------------------------------

    def _wanted(self) -> tuple[object, ...] | None:
        line, speech, opened = self._current.line, self._current.motion, self._current.opened
        if (
            line is None
            or speech is None
            or line.reading is None
            or (line.life is None and not line.moods)
        ):
            return None
        if line.life is not None and opened is None:
            return None  # its sound is still being read
        return (
            (self._document.folder, line.slug),
            speech,
            line.life,
            line.moods,
            line.faces,
            line.reading,
            opened,
        )

    def refresh(self) -> None:
        """Make it anew, if it is another."""
        wanted = self._wanted()
        if wanted is None:
            had = self._whole is not None
            self._whole, self._made_of, self.events = None, None, ()
            if had:
                self.changed.emit()
            return
        if _same(wanted, self._made_of) or self._jobs.find(NAME) is not None:
            return  # what is being made ends first
        if self._made_of is not None and self._made_of[0] != wanted[0]:
            self._whole, self.events = None, ()  # of another line
        line, speech, opened = self._current.line, self._current.motion, self._current.opened
        assert line is not None and speech is not None
        samples = opened.recording.samples if opened is not None else np.zeros(0, np.float32)
        key = (wanted[0], line.reading, opened)
        known = self._voice[1] if self._voice is not None and _same(self._voice[0], key) else None

        def apply(made: tuple[object, tuple[Event, ...], Motion]) -> None:
            now = self._wanted()
            if now is None or now[0] != wanted[0]:
                return  # another line is shown by now
            voice, self.events, self._whole = made
            self._voice, self._made_of = (key, voice), wanted
            self.changed.emit()

        def ended(problem: str) -> None:
            if problem:
                self._made_of = wanted  # it would fail again
            self.refresh()  # what has become of it meanwhile

        self._jobs.submit("Giving life", lambda _: _made(line, speech, samples, known), apply, name=NAME,
                          quiet=True, ended=ended)  # fmt: skip


def _made(
    line: Line, speech: Motion, samples: np.ndarray, known: object
) -> tuple[object, tuple[Event, ...], Motion]:  # fmt: skip
    """Voice, events and the motion of the whole face."""
    from ...motion.life.living import live
    from ...motion.whole import whole
    from ...voice.voice import analyse

    assert line.reading is not None
    voice = life = None
    if line.life is not None:
        voice = known or analyse(np.asarray(samples, np.float64), line.reading)
        life = live(voice, line.life, line.reading.text)
    made = whole(speech, line.reading, line.delivery, life, line.moods, line.faces)
    return voice, life.events if life is not None else (), made


def _same(a: tuple[object, ...] | None, b: tuple[object, ...] | None) -> bool:
    """Whether two wishes are made of the same things, by identity where comparing takes long."""
    if a is None or b is None:
        return a is b
    return len(a) == len(b) and all(
        x is y or (not hasattr(x, "phrases") and not hasattr(x, "values") and x == y)
        for x, y in zip(a, b, strict=True)
    )
