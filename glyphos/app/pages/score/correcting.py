"""Correcting a reading: edges, pins, words, sounds, marks. Every method is one named step."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec

from ....errors import EditError, GlyphosError
from ....production.carrying import reread
from ....production.documents import Line
from ....production.kinds import LEX, Key, line_key
from ....speech import edits
from ....speech.parts import Edge, Flat, Part
from ....speech.phones import Unit
from ....speech.reading import Reading
from ...drawing.words import counted
from ...model.context import Context
from .desk import Desk
from .edges import EdgeFinder, Window

Move = Callable[[Reading], Reading]


class Correcting(Desk):
    """The desk with a pencil: what it changes goes to the document, and edges are found again."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.finder = EdgeFinder(context)
        self._base: Reading | None = None  # the reading as it was when a drag began
        self._move: Move | None = None  # what the drag does to a reading
        self._stirred: Window | None = None  # between the old and the new place of an edge
        self._given_up = False

    def edit(
        self, name: str, reading: Reading, *, find: Sequence[Window] = (),
        script: str | None = None, select: Part | None = None,
        with_keys: dict[Key, object] | None = None,
    ) -> None:  # fmt: skip
        """A corrected reading of the shown line as one step; the unpinned edges of the stretches
        `find` are then found again from the sound, as part of the same step."""
        document = self.context.document
        line = document.kept_line(self.selection.slug)
        if line is None:
            return
        new = reread(line, reading, script=line.script if script is None else script)
        step = document.change(name, {line_key(line.slug): new, **(with_keys or {})})
        if select is not None:
            self.selection.select(select)
        self.finder.find(line.slug, step, find)

    # ---- edges ------------------------------------------------------------------------------

    def nudge(self, *, frames: int = 0, seconds: float = 0.0, end: bool = False) -> None:
        """Move the chosen edge (else the start or end of the chosen part) and pin it."""
        _, flat, part = self.need()
        edge = self.selection.edge or self.edges_of(flat, part)[1 if end else 0]
        self.nudge_edge(edge, frames, seconds)

    def nudge_edge(self, edge: Edge, frames: int, seconds: float) -> None:
        reading, flat, _ = self.need()
        time = flat.edge_time(edge)
        target = time + seconds + frames / float(self.context.current.fps)
        moved = edits.move_edge(reading, edge, target)
        self.edit("Nudge edge", moved, find=[(min(time, target), max(time, target))])

    def drag_edge(self, edge: Edge, seconds: float) -> None:
        """Show an edge at another time while it is dragged."""
        if not self._begin_drag():
            return
        assert self._base is not None
        time = Flat.of(self._base).edge_time(edge)
        self._stirred = (min(time, seconds), max(time, seconds))
        self._show_drag(lambda reading: edits.move_edge(reading, edge, seconds))
        if self.context.preferring.now.scrub:
            self.transport.scrub(seconds)

    def drag_part(self, part: Part, by: float) -> None:
        """Show a phrase, word or sound moved while it is dragged."""
        if self._begin_drag():
            self._stirred = None
            self._show_drag(lambda reading: edits.move_part(reading, part, by))

    def _begin_drag(self) -> bool:
        if self._base is None and not self._given_up:
            self._base = self.context.current.reading
        return self._base is not None

    def _show_drag(self, move: Move) -> None:
        line = self.context.document.kept_line(self.selection.slug)
        if line is not None and self._base is not None:
            self._move = move
            shown = reread(line, move(self._base))
            self.context.document.preview(line_key(line.slug), shown)

    @property
    def dragging(self) -> bool:
        return self._base is not None

    def give_up(self) -> None:
        """Leave everything as it was before the drag; the rest of the drag does nothing."""
        self._given_up = True
        self._base = self._move = self._stirred = None
        self.context.document.drop_preview()

    def drop(self) -> None:
        """Keep what was dragged, as one step; the edges beside it are found again.

        It is done to the reading as it is by now, should something have come between.
        """
        base, move, stirred = self._base, self._move, self._stirred
        self._base = self._move = self._stirred = None
        self._given_up = False
        line = self.context.document.kept_line(self.selection.slug)
        self.context.document.drop_preview()
        if base is None or move is None or line is None or line.reading is None:
            return
        if line.reading is not base and not _alike(line.reading, base):
            self.context.talk.say("The line was changed meanwhile, so nothing was moved.")
            return
        if stirred is None:
            self.edit("Move", move(line.reading))
        else:
            self.edit("Move edge", move(line.reading), find=[stirred])

    def shift(self, frames: int) -> None:
        """Move the chosen part with all in it by frames."""
        reading, _, part = self.need()
        moved = edits.move_part(reading, part, frames / float(self.context.current.fps))
        self.edit(f"Move {part.level}", moved, select=part)

    # ---- pins -------------------------------------------------------------------------------

    def toggle_pin(self, edge: Edge | None = None) -> None:
        """Pin the chosen edge (else the start of the chosen part), or lift its pin."""
        reading, flat, part = self.need()
        edge = edge or self.selection.edge or self.edges_of(flat, part)[0]
        edge = edits.canonical(flat, edge)
        time = flat.edge_time(edge)
        if flat.pinned(edge):
            self.edit("Lift pin", edits.set_pin(reading, edge, False), find=[(time, time)])
        else:
            self.edit("Pin edge", edits.set_pin(reading, edge, True))

    def pin_part(self) -> None:
        reading, _, part = self.need()
        self.edit(f"Pin {part.level}", edits.pin_part(reading, part))

    def lift_pins(self) -> None:
        """Lift every pin of the chosen part; its edges are found again."""
        reading, flat, part = self.need()
        count = edits.pin_count(reading, part)
        lifted = edits.lift_pins(reading, part)
        self.edit(f"Lift {counted(count, 'pin')}", lifted, find=[flat.span(part)])

    def lift_all_pins(self) -> None:
        reading, _, _ = self.need()
        count = edits.pin_count(reading)
        for number in range(len(reading.phrases)):
            reading = edits.lift_pins(reading, Part("phrase", number))
        name = f"Lift all {counted(count, 'pin')}"
        self.edit(name, reading, find=[(0.0, reading.audio.duration)])

    def set_offered_pins(self) -> None:
        """Pin the edges that the earlier take had pinned, where they are found in this one."""
        reading, flat, _ = self.need()
        line = self._line()
        if not line.offered:
            raise GlyphosError("No pins are offered; they are after a retake of a pinned line.")
        for sound, end in line.offered:
            if sound < len(flat.phones):
                reading = edits.set_pin(reading, Edge(sound, end), True)
        new = reread(line, reading, offered=())
        self.context.document.change("Set offered pins", {line_key(line.slug): new})

    def _line(self) -> Line:
        line = self.context.document.kept_line(self.selection.slug)
        if line is None:
            raise GlyphosError("Open a line first.")
        return line

    # ---- words, phrases ---------------------------------------------------------------------

    def _writing(self, name: str, made: Reading, select: Part | None) -> None:
        before, _, _ = self.need()
        script = edits.script_with(self._line().script, before, made)
        self.edit(name, made, script=script, select=select)

    def split(self) -> None:
        """Split at the playhead: a phrase before its word, a word before its sound."""
        reading, flat, part = self.need()
        sound = flat.part_at("sound", self.transport.position())
        a, b = flat.sound_range(part)
        at = sound.number if sound is not None and a < sound.number < b else None
        if part.level == "phrase":
            word = flat.word_of[at] if at is not None else part.number
            self._writing("Split phrase", edits.split_phrase(reading, word), Part("word", word))
            return
        if part.level == "sound":
            at, part = part.number, flat.at_level(part, "word")
        if at is None:
            raise GlyphosError("Put the playhead on the sound that the second word begins with.")
        self._writing("Split word", edits.split_word(reading, at), Part("word", part.number))

    def join(self) -> None:
        """Join the chosen phrase or word with the next one."""
        reading, flat, part = self.need()
        if part.level == "phrase":
            self._writing("Join phrases", edits.join_phrases(reading, part.number), part)
            return
        word = flat.at_level(part, "word")
        self._writing("Join words", edits.join_words(reading, word.number), word)

    def begin_phrase(self) -> None:
        """Let a phrase begin with the chosen word."""
        reading, flat, part = self.need()
        word = flat.word_range(part)[0]
        self._writing("Begin phrase", edits.split_phrase(reading, word), Part("word", word))

    def open_pause(self) -> None:
        """Make a pause before the chosen part."""
        reading, flat, part = self.need()
        a, _ = flat.sound_range(part)
        self.edit("Open pause", edits.open_pause(reading, a))

    def confirm(self) -> None:
        """Say that the chosen words are right, or take that back."""
        reading, flat, part = self.need()
        a, b = flat.word_range(part)
        settled = all(w.confirmed for w in flat.words[a:b])
        name = "Doubt again" if settled else "Confirm"
        self.edit(f"{name} {part.level}", edits.confirm(reading, part, not settled))

    def confirm_line(self) -> None:
        """Say that the whole line is right, or take that back."""
        line = self._line()
        if line.reading is None:
            raise GlyphosError("Listen to the line first; then it can be confirmed.")
        name = "Reopen line" if line.confirmed else "Confirm line"
        new = msgspec.structs.replace(line, confirmed=not line.confirmed)
        self.context.document.change(name, {line_key(line.slug): new})

    # ---- sounds -----------------------------------------------------------------------------

    def change_sound(self, text: str) -> None:
        reading, flat, part = self.need()
        sound = flat.at_level(part, "sound")
        made = edits.change_sound(reading, sound.number, text)
        self.edit("Change sound", made, find=[flat.span(sound)], select=sound)

    def insert_sound(self, text: str) -> None:
        """A new sound after the chosen one."""
        reading, flat, part = self.need()
        sound = flat.at_level(part, "sound")
        made = edits.insert_sound(reading, sound.number, text)
        self.edit("Insert sound", made, find=[flat.span(sound)],
                  select=Part("sound", sound.number + 1))  # fmt: skip

    def delete_sound(self) -> None:
        reading, flat, part = self.need()
        if part.level != "sound":
            raise EditError("Choose a sound first (Down goes from a word to its sounds).")
        made = edits.delete_sound(reading, part.number)
        new = Part("sound", min(part.number, len(flat.phones) - 2))
        self.edit("Delete sound", made, find=[flat.span(part)], select=new)

    def set_pronunciation(self, number: int, units: tuple[Unit, ...], scope: str) -> None:
        """Say a word with other sounds: `here` (it stays), `production` (in the lexicon, too), or
        `once` (until the line is listened to again)."""
        reading, flat, _ = self.need()
        word = flat.words[number]
        made = edits.set_pronunciation(reading, number, units)
        keys: dict[Key, object] = {}
        if scope != "here":
            made = edits.with_source(made, number, "lexicon" if scope == "production" else "once")
        if scope == "production":
            keys[LEX] = self.context.document.lexicon.with_entry(word.text, units)
        self.edit("Choose pronunciation", made, find=[(word.start, word.end)],
                  select=Part("word", number), with_keys=keys)  # fmt: skip

    # ---- marks ------------------------------------------------------------------------------

    def mark(self, kind: str, at: float | None = None) -> None:
        """Mark the pause at a time (else at the playhead, else the chosen part)."""
        reading, flat, part = self.need()
        start, end = self._to_mark(reading, at)
        if end - start < edits.SHORTEST or (self.selection.part is not None and at is None):
            start, end = flat.span(part)
        self.edit(f"Mark {kind}", edits.add_mark(reading, kind, start, end))

    def unmark(self, at: float | None = None) -> None:
        """Take away the mark at a time, or in the chosen part."""
        reading, flat, part = self.need()
        start, end = self._to_mark(reading, at)
        if end - start < edits.SHORTEST:
            start, end = flat.span(part)
        made = edits.remove_marks(reading, start, end)
        if made.marks == reading.marks:
            raise EditError("There is no mark here; put the playhead on one.")
        self.edit("Take marks away", made)

    def _to_mark(self, reading: Reading, at: float | None) -> Window:
        return edits.pause_at(reading, self.transport.position() if at is None else at)


def _alike(a: Reading, b: Reading) -> bool:
    """Whether two readings have the same sounds, perhaps at other times."""
    return [p.ipa for p in a.phones()] == [p.ipa for p in b.phones()]
