"""The whole face of the shown line: its speech with life and moods laid on, as they are wanted.

Made in the background; until it is, the rest of the face stays as it was, over the speech as it is now.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from ...errors import EditError
from ...motion.curve import Motion
from ...motion.life.event import Event
from ...production.documents import Line
from ...production.kinds import Key
from .current import Current
from .document import Document
from .jobs import Jobs, same

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ...voice.voice import Voice

NAME = "living"
Made = tuple["Voice | None", tuple[Event, ...], Motion, list[str]]


@dataclass(frozen=True)
class Offer:
    """A mood that is suggested, with what spoke for it in words."""

    mood: str
    start: float
    end: float
    strength: float
    why: str


class Living(QObject):
    """Follows the line that is shown."""

    changed = Signal()  # the motion of the whole face, or what happens or is offered in it

    def __init__(self, document: Document, current: Current, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._current, self._jobs = document, current, jobs
        self._whole: Motion | None = None
        self._made_of: tuple[object, ...] | None = None
        self._voice: tuple[tuple[object, ...], Voice] | None = None  # what it is of
        self._hears = False  # whether the voice is wanted by itself
        self.events: tuple[Event, ...] = ()
        self.said: list[str] = []  # what of it cannot be used, in words
        self.offers: tuple[Offer, ...] = ()  # moods that voice and script suggest
        document.opened.connect(self._forget)
        document.changed.connect(self._follow)
        current.motion_changed.connect(self.refresh)
        current.line_changed.connect(self._withdraw)

    def _forget(self) -> None:
        self._drop()
        self._voice, self.offers = None, ()

    def _drop(self) -> None:
        """What was made, and what was said of it."""
        self._whole = self._made_of = None
        self.events, self.said = (), []

    def _withdraw(self) -> None:
        self.offers = ()

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
        return same(self._wanted(), self._made_of)

    @property
    def voice(self) -> Voice | None:
        """The voice of the shown line, if it was analysed."""
        key = self._key()
        return self._voice[1] if self._voice is not None and same(self._voice[0], key) else None

    def values(self, seconds: float) -> dict[str, float]:
        """All channels at a time: the rest of the face as it was made last, over the present speech."""
        speech, motion = self._current.motion, self.motion
        if speech is None or motion is None:
            return {}
        if motion is not speech or self._whole is None:
            return motion.at(seconds)
        return {**self._whole.at(seconds), **speech.at(seconds)}

    # ---- making -------------------------------------------------------------------------------

    def hear(self, wanted: bool) -> None:
        """Whether the voice is wanted, also without life."""
        if wanted != self._hears:
            self._hears = wanted
            self.refresh()

    def _key(self) -> tuple[object, ...] | None:
        """What a voice is of."""
        line, opened = self._current.line, self._current.opened
        if line is None or line.reading is None or opened is None:
            return None
        return (str(self._document.folder), line.slug), line.reading, opened

    def _wanted(self) -> tuple[object, ...] | None:
        line, speech, key = self._current.line, self._current.motion, self._key()
        if line is None or speech is None or line.reading is None:
            return None
        sounds = line.life is not None or self._hears
        if (sounds and key is None) or not (sounds or line.lives):
            return None  # its sound is still being read, or nothing is asked for
        place = (str(self._document.folder), line.slug)
        return (
            place,
            speech,
            line.life,
            line.moods,
            line.faces,
            line.happenings,
            line.recorded,
            line.reading,
            self._current.opened,
            self._hears,
        )

    def refresh(self) -> None:
        """Make it anew, if it is another."""
        wanted = self._wanted()
        if wanted is None:
            had = self._whole is not None
            self._drop()
            if had:
                self.changed.emit()
            return
        if same(wanted, self._made_of) or self._jobs.find(NAME) is not None:
            return  # what is being made ends first
        if self._made_of is not None and self._made_of[0] != wanted[0]:
            self._drop()  # of another line
        line, speech, opened = self._current.line, self._current.motion, self._current.opened
        assert line is not None and speech is not None
        samples = opened.recording.samples if opened is not None else np.zeros(0, np.float32)
        key, known, hears, folder = self._key(), self.voice, self._hears, self._document.folder

        def apply(made: Made) -> None:
            now = self._wanted()
            if now is None or now[0] != wanted[0]:
                return  # another line is shown by now
            voice, self.events, self._whole, self.said = made
            self._made_of = wanted
            if voice is not None and key is not None:
                self._voice = (key, voice)
            self.changed.emit()

        def ended(problem: str) -> None:
            if problem:
                self._made_of = wanted  # it would fail again
            self.refresh()  # what has become of it meanwhile

        self._jobs.submit("Giving life", lambda _: _made(line, speech, samples, known, hears, folder), apply, name=NAME,
                          quiet=True, ended=ended)  # fmt: skip

    # ---- offering -----------------------------------------------------------------------------

    def suggest(self) -> None:
        """Find what voice and script suggest; `changed` tells."""
        line, opened, voice = self._current.line, self._current.opened, self.voice
        if line is None or line.reading is None or opened is None:
            raise EditError("Listen to the line first; then its voice can suggest something.")

        def apply(found: tuple[Offer, ...]) -> None:
            now = self._current.line
            if now is not None:
                self.offers = tuple(o for o in found if not _is_felt(o, now))
                self.changed.emit()

        self._jobs.submit("Listening to the voice", lambda _: _offers(line, opened.recording.samples, voice), apply,
                          name="suggest", inputs=self._key)  # fmt: skip

    def drop(self, offer: Offer) -> None:
        """An offer that was taken, or is not wanted."""
        self.offers = tuple(o for o in self.offers if o != offer)
        self.changed.emit()


def _made(
    line: Line, speech: Motion, samples: np.ndarray, known: Voice | None, hears: bool, folder: Path
) -> Made:  # fmt: skip
    """Voice, events and the motion of the whole face."""
    from ...motion.life.living import live
    from ...motion.whole import whole
    from ...production.layers import layers_of
    from ...voice.voice import analyse

    assert line.reading is not None
    voice = life = None
    if line.life is not None or hears:
        voice = known or analyse(np.asarray(samples, np.float64), line.reading)
    if line.life is not None and voice is not None:
        life = live(voice, line.life, line.reading.text, line.happenings, line.reading)
    layers, said = layers_of(line, folder, float(speech.fps))
    made = whole(speech, line.reading, line.delivery, life, line.moods, line.faces, layers)
    return voice, life.events if life is not None else (), made, said


def _offers(line: Line, samples: np.ndarray, known: Voice | None) -> tuple[Offer, ...]:
    """What the script directs and the voice suggests."""
    from ...production.directions import directed
    from ...voice.suggest import suggest
    from ...voice.voice import analyse

    assert line.reading is not None
    voice = known or analyse(np.asarray(samples, np.float64), line.reading)
    made = [
        Offer(s.mood, s.start, s.end, s.strength, "the script says so")
        for s in directed(line.script, line.reading)
    ]
    made += [
        Offer(s.mood, s.start, s.end, s.strength, f"sounds {s.kind}: {', '.join(s.reasons)}")
        for s in suggest(voice) if s.mood
    ]  # fmt: skip
    return tuple(sorted(made, key=lambda o: o.start))


def _is_felt(offer: Offer, line: Line) -> bool:
    """Whether a line has that mood there already."""
    return any(
        m.mood == offer.mood and m.start < offer.end and m.end > offer.start for m in line.moods
    )
