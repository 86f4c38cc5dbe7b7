"""Choosing and hearing: what a hand can do with the parts of a reading, before it corrects them.

For mouse, keyboard, menus and palette alike; knows no widgets.
"""

from __future__ import annotations

from PySide6.QtCore import QObject

from ....errors import GlyphosError, RecordingError
from ....speech import edits
from ....speech.parts import LEVELS, Edge, Flat, Part
from ....speech.reading import Reading
from ...model.context import Context

BEFORE, AFTER = 0.08, 0.12  # seconds heard around what is looped
WIDE_BEFORE, WIDE_AFTER = 0.3, 0.3


class Desk(QObject):
    """Works on the chosen part, edge and playhead; every method is one command."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self.context = context
        self.selection, self.transport = context.selection, context.transport

    # ---- what is meant ----------------------------------------------------------------------

    def part(self) -> Part | None:
        """The chosen part, else the word at the playhead."""
        flat = self.context.current.flat
        if flat is None or not flat.phones:
            return None
        part = self.selection.part
        if part is not None and flat.valid(part):
            return part
        return flat.part_at("word", self.transport.position())

    def need(self) -> tuple[Reading, Flat, Part]:
        """Reading and part to work on; GlyphosError where there is none."""
        reading, part = self.context.current.reading, self.part()
        if reading is None or part is None:
            raise GlyphosError("Listen to the line first; there is nothing to correct yet.")
        return reading, Flat.of(reading), part

    def edges_of(self, flat: Flat, part: Part) -> tuple[Edge, Edge]:
        """The two outer edges of a part."""
        a, b = flat.sound_range(part)
        return Edge(a), flat.end_edge(b - 1)

    # ---- choosing ---------------------------------------------------------------------------

    def wider(self) -> None:
        self._to_level(-1)

    def narrower(self) -> None:
        self._to_level(1)

    def _to_level(self, by: int) -> None:
        _, flat, part = self.need()
        if self.selection.part is None:
            self.selection.select(part)
            return
        level = LEVELS[min(max(LEVELS.index(part.level) + by, 0), len(LEVELS) - 1)]
        self.selection.select(flat.at_level(part, level))

    def next_part(self) -> None:
        self._walk(1)

    def previous_part(self) -> None:
        self._walk(-1)

    def _walk(self, by: int) -> None:
        _, flat, part = self.need()
        self.selection.select(flat.step(part, by) if self.selection.part else part)

    def clear(self) -> None:
        self.selection.select(None)

    def next_doubtful(self) -> None:
        """Choose and play the next doubtful word."""
        reading, flat, _ = self.need()
        part = self.selection.part
        after = flat.word_range(part)[0] if part else -1
        number = edits.next_doubtful(reading, after)
        if number is None:
            self.context.talk.say("No doubtful words are left in this line.")
            return
        self.selection.select(Part("word", number))
        self.play_part(Part("word", number))

    # ---- hearing ----------------------------------------------------------------------------

    def need_sound(self) -> None:
        """RecordingError where there is nothing to be heard."""
        current = self.context.current
        if current.line is None:
            raise RecordingError("Bring in a recording first; there is nothing to play yet.")
        if current.problem:
            raise RecordingError(current.problem)

    def play_or_stop(self) -> None:
        if self.transport.playing:
            self.transport.stop()
        else:
            self.need_sound()
            self.transport.play()

    def play_part(self, part: Part | None = None) -> None:
        """Play the chosen part, and only it."""
        _, flat, chosen = self.need()
        start, end = flat.span(part or chosen)
        if self.context.current.opened is None:
            self.transport.seek(start)
            return
        self.transport.play(start, end)

    def play_around(self) -> None:
        """Play the chosen part with a little before and after."""
        _, flat, part = self.need()
        self.need_sound()
        start, end = flat.span(part)
        last = min(self.transport.duration, end + WIDE_AFTER)
        self.transport.play(max(0.0, start - WIDE_BEFORE), last)

    def loop(self) -> None:
        """Loop the chosen part with a little before and after."""
        _, flat, part = self.need()
        self._loop(*flat.span(part))

    def loop_word(self) -> None:
        self._loop_level("word")

    def loop_phrase(self) -> None:
        self._loop_level("phrase")

    def _loop_level(self, level: str) -> None:
        _, flat, part = self.need()
        wanted = flat.at_level(part, "word" if level == "word" else "phrase")
        if self.selection.part is None:
            self.selection.select(wanted)
        self._loop(*flat.span(wanted))

    def _loop(self, start: float, end: float) -> None:
        self.need_sound()
        last = min(self.transport.duration, end + AFTER)
        self.transport.play(max(0.0, start - BEFORE), last, loop=True)

    def go_to_start(self) -> None:
        self.transport.seek(0.0)
