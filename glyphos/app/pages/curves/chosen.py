"""The hand on a curve: what is chosen, and what is done to it. Every method is one named step of undo.

For mouse, keys, menus and panels alike; knows no widgets.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, Signal

from ....errors import EditError
from ....motion.regions import channel_words
from ....motion.touch.keys import Touch
from ....production.documents import Line
from ....production.kinds import Key, line_key
from ....speech.parts import LEVELS, Flat, Level
from ....speech.reading import Reading
from ...model.context import Context

if TYPE_CHECKING:  # it brings much of SciPy with it
    from ....motion.touch.shaping import Curve

FIRST = "lip_corner_up_left"


class Chosen(QObject):
    """Works on the chosen channel of the shown line. over: how far a pull reaches. chosen: a touch-up of the
    line and a key of it, by their numbers."""

    channel_changed = Signal()
    chosen_changed = Signal()

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.channel = FIRST
        self.over: Level = "word"
        self.chosen: tuple[int, int] | None = None
        self._base: Curve | None = None  # as it was when the dragging began
        context.current.line_changed.connect(lambda: self.choose(None))
        context.document.changed.connect(self._follow)

    # ---- what is meant ------------------------------------------------------------------------

    def take(self, channel: str) -> None:
        """Work on another channel."""
        if channel != self.channel:
            self.channel = channel
            self.choose(None)
            self.channel_changed.emit()

    def reach(self, level: Level) -> None:
        """How far a pull reaches from now on."""
        if level in LEVELS and level != self.over:
            self.over = level
            self.channel_changed.emit()

    def choose(self, chosen: tuple[int, int] | None) -> None:
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit()

    def _follow(self, keys: frozenset[Key]) -> None:
        if self._c.document.previewed is None:
            self._base = None  # nothing is dragged any more, whatever ended it
        if self.chosen is not None and line_key(self._c.selection.slug) in keys:
            line, (k, j) = self._c.document.line(self._c.selection.slug), self.chosen
            there = (
                line is not None
                and k < len(line.touches)
                and line.touches[k].channel == self.channel
            )
            if not there or line is None or j >= len(line.touches[k].keys):
                self.choose(None)

    def need(self) -> tuple[Line, Reading]:
        """The line as it is kept, and its reading; EditError where there is none."""
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None or line.reading is None or not line.reading.phrases:
            raise EditError("Listen to the line first; then its curves can be shaped.")
        return line, line.reading

    def film(self, heard: float) -> float:
        """The time of the face at which a time of the recording is seen."""
        return self._c.current.delivery.film(heard)

    def heard(self, seconds: float) -> float:
        """The time of the recording that is seen at a time of the face."""
        return self._c.current.delivery.heard(seconds)

    def on_frame(self, seconds: float) -> float:
        """The time of the recording of the nearest frame: what is highest there is seen."""
        fps = float(self._c.current.fps)
        return self.heard(round(self.film(seconds) * fps) / fps)

    def curve(self) -> Curve:
        """The chosen channel as it is now, at times of the recording."""
        from ....motion.touch.shaping import Curve

        motion = self._c.living.motion
        if motion is None:
            raise EditError("The line is still being performed; try again in a moment.")
        return Curve.of(motion, self.channel, self._c.current.delivery)

    @property
    def base(self) -> Curve | None:
        """The channel as it was when the dragging began; None while nothing is dragged."""
        return self._base

    def stretch(self) -> tuple[float, float]:
        """What is worked on, in seconds of the recording: what is chosen on top, else the sound, word or
        phrase at the playhead."""
        _, reading = self.need()
        flat, part = Flat.of(reading), self._c.selection.part
        if part is None or not flat.valid(part):
            part = flat.part_at(self.over, self.heard(self._c.transport.position()))
        if part is None:
            raise EditError("Choose a sound, word or phrase first.")
        return flat.span(part)

    def reach_at(self, seconds: float) -> tuple[float, float]:
        """The stretch that a pull at a time of the recording reaches over, that time within it."""
        _, reading = self.need()
        flat = Flat.of(reading)
        part = flat.part_at(self.over, seconds)
        start, end = flat.span(part) if part is not None else (seconds, seconds)
        if not start <= seconds <= end:  # in a pause: as far around
            half = max(0.12, min(0.4, (end - start) / 2))
            return seconds - half, seconds + half
        return start, end

    def word_at(self, seconds: float) -> str:
        """The word at a time in quotation marks, or nothing."""
        word, _ = self._c.current.moment(seconds)
        return f"“{word.text}”" if word is not None else ""

    def touches(self) -> list[tuple[int, Touch]]:
        """Touch-ups of the chosen channel, with their numbers on the line; as they are previewed."""
        line = self._c.current.line
        return [
            (k, t) for k, t in enumerate(line.touches if line else ()) if t.channel == self.channel
        ]

    def the_touch(self) -> tuple[Line, Reading, int, Touch, int]:
        """Line, reading, touch-up and key that are chosen; EditError for none."""
        line, reading = self.need()
        if self.chosen is None or self.chosen[0] >= len(line.touches):
            raise EditError("Choose a key on the curve first.")
        k, j = self.chosen
        return line, reading, k, line.touches[k], min(j, len(line.touches[k].keys) - 1)

    # ---- keeping ------------------------------------------------------------------------------

    def _kept(
        self, name: str, line: Line, touches: Sequence[Touch], *, merge: bool = False
    ) -> None:
        self._base = None
        made = msgspec.structs.replace(line, touches=tuple(touches))
        self._c.document.change(name, {line_key(line.slug): made}, merge=merge)

    def preview(self, touches: Sequence[Touch]) -> None:
        """Show other touch-ups while something is dragged."""
        line, _ = self.need()
        shown = msgspec.structs.replace(line, touches=tuple(touches))
        self._c.document.preview(line_key(line.slug), shown)

    def give_up(self) -> None:
        """Nothing of what is dragged is kept."""
        self._base = None
        self._c.document.drop_preview()

    def _name(self, what: str, seconds: float | None = None) -> str:
        word = self.word_at(seconds) if seconds is not None else ""
        return f"{what} {channel_words(self.channel)}{', ' + word if word else ''}"

    def choose_last(self, channel: str) -> None:
        """The middle key of what was last done to a channel, if that is the open one."""
        line, _ = self.need()
        own = [k for k, t in enumerate(line.touches) if t.channel == channel]
        if own and channel == self.channel:
            self.choose((own[-1], len(line.touches[own[-1]].keys) // 2))
