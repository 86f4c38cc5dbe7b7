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
from ...production.kinds import Key, kinds_of
from .current import Current
from .document import Document
from .jobs import Jobs, Told, same

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ...motion.layers import Composed, Layer
    from ...motion.life.living import Life
    from ...voice.voice import Voice

NAME, LATER = "living", "face"
LONG = 15_000  # frames up to which a face is put together at once


@dataclass(frozen=True)
class Ground:
    """What layers are put together of, besides what a hand drags: found in the background."""

    voice: Voice | None
    life: Life | None
    layers: tuple[Layer, ...]
    said: tuple[str, ...]

    @property
    def events(self) -> tuple[Event, ...]:
        return self.life.events if self.life is not None else ()


@dataclass(frozen=True)
class Offer:
    """A mood that is suggested, with what spoke for it in words."""

    mood: str
    start: float
    end: float
    strength: float
    why: str


NOTHING = Ground(None, None, (), ())


class Living(QObject):
    """Follows the line that is shown."""

    changed = Signal()  # the motion of the whole face, or what happens or is offered in it

    def __init__(self, document: Document, current: Current, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._current, self._jobs = document, current, jobs
        self.composed: Composed | None = None  # what is shown, with what each layer brings
        self._ground: Ground | None = None
        self._ground_of: tuple[object, ...] | None = None
        self._made_of: tuple[object, ...] | None = None
        self._voice: tuple[tuple[object, ...], Voice] | None = None  # what it is of
        self._hears = False  # whether the voice is wanted by itself
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
        self.composed = self._made_of = self._ground = self._ground_of = None

    def _withdraw(self) -> None:
        self.offers = ()

    def _follow(self, keys: frozenset[Key]) -> None:
        if "line" in kinds_of(keys):
            self.refresh()

    # ---- asking -------------------------------------------------------------------------------

    @property
    def events(self) -> tuple[Event, ...]:
        """What happens in the face."""
        return self._ground.events if self._ground is not None else ()

    @property
    def said(self) -> tuple[str, ...]:
        """What of it cannot be used, in words."""
        return self._ground.said if self._ground is not None else ()

    @property
    def motion(self) -> Motion | None:
        """The whole face where it is made of the present speech, else the speech."""
        speech = self._current.motion
        fresh = self._made_of is not None and self._made_of[1] is speech
        return self.composed.motion if fresh and self.composed is not None else speech

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
        if motion is not speech or self.composed is None:
            return motion.at(seconds)
        return {**self.composed.motion.at(seconds), **speech.at(seconds)}

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

    def _grounds(self) -> tuple[object, ...] | None:
        """What the ground is made of; the place first."""
        line, key = self._current.line, self._key()
        if line is None or line.reading is None:
            return None
        sounds = line.life is not None or self._hears
        if (sounds and key is None) or not (sounds or line.lives):
            return None  # its sound is still being read, or nothing is asked for
        place = (str(self._document.folder), line.slug)
        return (
            place, line.life, line.happenings, line.recorded, line.reading, self._current.opened, self._hears,
            self._current.fps,
        )  # fmt: skip

    def _wanted(self) -> tuple[object, ...] | None:
        """What the face is put together of: its ground, speech, and what a hand drags."""
        line, speech, ground = self._current.line, self._current.motion, self._grounds()
        if line is None or speech is None or ground is None:
            return None
        return (ground, speech, line.delivery, line.moods, line.faces, line.touches, line.mix)

    def refresh(self) -> None:
        """Make it anew, if it is another."""
        wanted = self._wanted()
        if wanted is None:
            had = self.composed is not None
            self._drop()
            if had:
                self.changed.emit()
            return
        if same(wanted, self._made_of):
            return
        ground = self._grounds()
        assert ground is not None
        if self._ground_of is not None and self._ground_of[0] != ground[0]:
            self._drop()  # of another line
            self.changed.emit()
        if same(ground, self._ground_of):
            if self._is_quick(wanted):
                self._put_together(wanted)
            elif self._jobs.find(LATER) is None:  # what is being put together ends first
                self._put_together_later(wanted)
        elif self._jobs.find(NAME) is None:  # what is being made ends first
            self._find_ground(ground)

    def _is_quick(self, wanted: tuple[object, ...]) -> bool:
        """Whether it costs no more than a step of dragging may: a touch-up, or a line that is not very long."""
        speech = self._current.motion
        return self._only_touched(wanted) or (speech is not None and speech.frames <= LONG)

    def _only_touched(self, now: tuple[object, ...]) -> bool:
        before = self._made_of
        touched = before is not None and same(before[:5], now[:5]) and same(before[6:], now[6:])
        return touched and self.composed is not None

    def _put_together_later(self, wanted: tuple[object, ...]) -> None:
        """Compose a very long line in the background."""
        line, speech, ground = self._current.line, self._current.motion, self._ground
        if line is None or speech is None or ground is None:
            return

        def apply(made: Composed) -> None:
            now = self._wanted()
            if now is not None and same(now[0], wanted[0]):
                self.composed, self._made_of = made, wanted
                self.changed.emit()

        def ended(problem: str) -> None:
            if problem:
                self._made_of = self._wanted()  # it would fail again
            self.refresh()

        self._jobs.submit("Putting the face together", lambda _: face_of(line, speech, ground), apply, name=LATER,
                          quiet=True, ended=ended)  # fmt: skip

    def _find_ground(self, wanted: tuple[object, ...]) -> None:
        line, opened = self._current.line, self._current.opened
        assert line is not None
        if line.life is None and not self._hears and not any(r.on for r in line.recorded):
            self._ground, self._ground_of = NOTHING, wanted
            self.refresh()
            return
        samples = opened.recording.samples if opened is not None else np.zeros(0, np.float32)
        key, known, hears, folder = self._key(), self.voice, self._hears, self._document.folder
        fps = float(self._current.fps)

        def apply(made: Ground) -> None:
            now = self._grounds()
            if now is None or now[0] != wanted[0]:
                return  # another line is shown by now
            self._ground, self._ground_of = made, wanted
            if made.voice is not None and key is not None:
                self._voice = (key, made.voice)
            whole = self._wanted()
            if whole is not None and self._is_quick(whole):
                self._put_together((wanted, *whole[1:]))  # with the hand as it is by now

        def ended(problem: str) -> None:
            if problem and self._grounds() is not None:
                self._made_of, self._ground_of = self._wanted(), wanted  # it would fail again
                self._ground = self.composed = None
            self.refresh()  # what has become of it meanwhile

        speech = self._current.motion

        def work(_: Told) -> Ground:
            made = ground_of(line, samples, known, hears, folder, fps)
            if speech is not None and made.life is not None:
                heard = line.delivery.heard(speech.seconds)
                made.life.curves(heard, float(speech.fps) / line.delivery.speed)  # it keeps them
            return made

        self._jobs.submit("Giving life", work, apply, name=NAME, quiet=True, ended=ended)

    def _put_together(self, wanted: tuple[object, ...]) -> None:
        """Compose at once, or only touch up what is composed."""
        line, speech, ground = self._current.line, self._current.motion, self._ground
        if ground is None:
            return
        assert line is not None and speech is not None and line.reading is not None
        if self._only_touched(wanted) and self.composed is not None:
            self.composed = self.composed.retouched(line.touches, line.reading, line.mix)
        else:
            self.composed = face_of(line, speech, ground)
        self._made_of = wanted
        self.changed.emit()

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


def ground_of(
    line: Line, samples: np.ndarray, known: Voice | None, hears: bool, folder: Path, fps: float
) -> Ground:  # fmt: skip
    """Voice and life of a line, and the curves that are laid on it."""
    from ...motion.life.living import live
    from ...production.layers import layers_of
    from ...voice.voice import analyse

    assert line.reading is not None
    voice = life = None
    if line.life is not None or hears:
        voice = known or analyse(np.asarray(samples, np.float64), line.reading)
    if line.life is not None and voice is not None:
        life = live(voice, line.life, line.reading.text, line.happenings, line.reading)
    layers, said = layers_of(line, folder, fps)
    return Ground(voice, life, tuple(layers), tuple(said))


def face_of(line: Line, speech: Motion, ground: Ground) -> Composed:
    """A line's face put together."""
    from ...motion.whole import whole

    assert line.reading is not None
    return whole(
        speech, line.reading, line.delivery, ground.life, line.moods, line.faces, ground.layers,
        line.touches, line.mix,
    )  # fmt: skip


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
