"""The score desk: what a hand can do to a reading, for mouse, keyboard, menus and palette alike.

Works on the session's chosen part, edge and playhead; knows no widgets.
"""

from __future__ import annotations

from dataclasses import replace

import msgspec
from PySide6.QtCore import QObject, Signal

from ..errors import GlyphosError
from ..production.production import write_lexicon
from ..speech import edits
from ..speech.parts import LEVELS, Edge, Flat, Part
from ..speech.phones import Unit
from ..speech.reading import Reading
from .player import Player
from .session import Session

BEFORE, AFTER = 0.08, 0.12  # seconds heard around what is looped
WIDE_BEFORE, WIDE_AFTER = 0.3, 0.3
SMALL_STEP = 0.005


class Desk(QObject):
    """Corrections and listening by part; every method is one command."""

    scrub_wanted = Signal(float)

    def __init__(self, session: Session, player: Player) -> None:
        super().__init__()
        self.session = session
        self.player = player
        self.edge: Edge | None = None  # the one chosen in the Loupe
        self.scrub_while_dragging = False
        self._base: Reading | None = None  # the reading as it was when a drag began
        self._dragged: tuple[Edge, float] | None = None
        self._given_up = False
        session.selection_changed.connect(self._forget_edge)

    def _forget_edge(self) -> None:
        self.edge = None

    # ---- what is meant ----------------------------------------------------------------------

    @property
    def reading(self) -> Reading | None:
        return self.session.reading

    def part(self) -> Part | None:
        """The chosen part, else the word at the playhead."""
        flat = self.session.flat
        if flat is None or not flat.phones:
            return None
        part = self.session.part
        if part is not None and flat.valid(part):
            return part
        return flat.part_at("word", self.player.position())

    def _need(self) -> tuple[Reading, Flat, Part]:
        reading, part = self.reading, self.part()
        if reading is None or part is None:
            raise GlyphosError("Listen to the line first; there is nothing to correct yet.")
        return reading, Flat.of(reading), part

    def _edges(self, flat: Flat, part: Part) -> tuple[Edge, Edge]:
        a, b = flat.sound_range(part)
        return Edge(a), flat.end_edge(b - 1)

    # ---- choosing ---------------------------------------------------------------------------

    def wider(self) -> None:
        self._to_level(-1)

    def narrower(self) -> None:
        self._to_level(1)

    def _to_level(self, by: int) -> None:
        _, flat, part = self._need()
        if self.session.part is None:
            self.session.select(part)
            return
        level = LEVELS[min(max(LEVELS.index(part.level) + by, 0), len(LEVELS) - 1)]
        self.session.select(flat.at_level(part, level))

    def next_part(self) -> None:
        self._walk(1)

    def previous_part(self) -> None:
        self._walk(-1)

    def _walk(self, by: int) -> None:
        _, flat, part = self._need()
        self.session.select(flat.step(part, by) if self.session.part else part)

    def clear(self) -> None:
        self.session.select(None)

    def next_doubtful(self) -> None:
        """Choose and play the next doubtful word."""
        reading, flat, _ = self._need()
        part = self.session.part
        after = flat.word_range(part)[0] if part else -1
        number = edits.next_doubtful(reading, after)
        if number is None:
            self.session.said.emit("No doubtful words are left in this line.")
            return
        self.session.select(Part("word", number))
        self.play_part(Part("word", number))

    # ---- hearing ----------------------------------------------------------------------------

    def play_part(self, part: Part | None = None) -> None:
        """Play the chosen part, and only it."""
        _, flat, chosen = self._need()
        self.player.play(*flat.span(part or chosen))

    def play_around(self) -> None:
        """Play the chosen part with a little before and after."""
        _, flat, part = self._need()
        start, end = flat.span(part)
        self.player.play(max(0.0, start - WIDE_BEFORE), min(self.player.duration, end + WIDE_AFTER))

    def loop(self) -> None:
        """Loop the chosen part with a little before and after."""
        _, flat, part = self._need()
        self._loop(*flat.span(part))

    def loop_word(self) -> None:
        self._loop_level("word")

    def loop_phrase(self) -> None:
        self._loop_level("phrase")

    def _loop_level(self, level: str) -> None:
        _, flat, part = self._need()
        wanted = flat.at_level(part, "word" if level == "word" else "phrase")
        if self.session.part is None:
            self.session.select(wanted)
        self._loop(*flat.span(wanted))

    def _loop(self, start: float, end: float) -> None:
        self.player.play(
            max(0.0, start - BEFORE), min(self.player.duration, end + AFTER), loop=True
        )

    # ---- edges ------------------------------------------------------------------------------

    def nudge(self, *, frames: int = 0, seconds: float = 0.0, end: bool = False) -> None:
        """Move the chosen edge (else the start or end of the chosen part) and pin it."""
        _, flat, part = self._need()
        edge = self.edge or self._edges(flat, part)[1 if end else 0]
        self.nudge_edge(edge, frames, seconds)

    def nudge_edge(self, edge: Edge, frames: int, seconds: float) -> None:
        reading, flat, _ = self._need()
        time = flat.edge_time(edge)
        target = time + seconds + frames / float(self.session.fps)
        moved = edits.move_edge(reading, edge, target)
        self.session.edit("Nudge edge", moved, find=[(min(time, target), max(time, target))])

    def drag_edge(self, edge: Edge, seconds: float) -> None:
        """Show an edge at another time while it is dragged."""
        if self._base is None and not self._given_up:
            self._base = self.reading
        if self._base is None:
            return
        self._dragged = (edge, seconds)
        self.session.preview(edits.move_edge(self._base, edge, seconds), seconds)
        if self.scrub_while_dragging:
            self.player.scrub(seconds)

    def drag_part(self, part: Part, by: float) -> None:
        """Show a phrase, word or sound moved while it is dragged."""
        if self._base is None and not self._given_up:
            self._base = self.reading
        if self._base is None:
            return
        self._dragged = None
        start, end = Flat.of(self._base).span(part)
        moved = edits.move_part(self._base, part, by)
        self.session.preview(moved, (start + end) / 2 + by)
        self.session.compute()

    @property
    def dragging(self) -> bool:
        return self._base is not None

    def give_up(self) -> None:
        """Leave everything as it was before the drag; the rest of the drag does nothing."""
        self._given_up = True
        self._base = self._dragged = None
        self.session.drop_preview()

    def drop(self) -> None:
        """Keep what was dragged, as one step; the edges beside it are found again."""
        base, self._base, self._given_up = self._base, None, False
        reading = self.session.reading
        if base is None or reading is None or reading is base:
            return
        if self._dragged is None:
            self.session.edit("Move", reading)
            return
        edge, seconds = self._dragged
        self._dragged = None
        time = Flat.of(base).edge_time(edge)
        self.session.edit("Move edge", reading, find=[(min(time, seconds), max(time, seconds))])

    def shift(self, frames: int) -> None:
        """Move the chosen part with all in it by frames."""
        reading, _, part = self._need()
        moved = edits.move_part(reading, part, frames / float(self.session.fps))
        self.session.edit(f"Move {part.level}", moved, select=part)

    # ---- pins -------------------------------------------------------------------------------

    def toggle_pin(self, edge: Edge | None = None) -> None:
        """Pin the chosen edge (else the start of the chosen part), or lift its pin."""
        reading, flat, part = self._need()
        edge = edge or self.edge or self._edges(flat, part)[0]
        edge = edits.canonical(flat, edge)
        time = flat.edge_time(edge)
        if flat.pinned(edge):
            lifted = edits.set_pin(reading, edge, False)
            self.session.edit("Lift pin", lifted, find=[(time, time)])
        else:
            self.session.edit("Pin edge", edits.set_pin(reading, edge, True))

    def pin_part(self) -> None:
        reading, _, part = self._need()
        self.session.edit(f"Pin {part.level}", edits.pin_part(reading, part))

    def lift_pins(self) -> None:
        """Lift every pin of the chosen part; its edges are found again."""
        reading, flat, part = self._need()
        count = edits.pin_count(reading, part)
        lifted = edits.lift_pins(reading, part)
        self.session.edit(f"Lift {count} pins", lifted, find=[flat.span(part)])

    def lift_all_pins(self) -> None:
        reading, _, _ = self._need()
        count = edits.pin_count(reading)
        for number in range(len(reading.phrases)):
            reading = edits.lift_pins(reading, Part("phrase", number))
        self.session.edit(f"Lift all {count} pins", reading, find=[(0.0, reading.audio.duration)])

    def set_offered_pins(self) -> None:
        """Pin the edges that the earlier take had pinned, where they are found in this one."""
        reading, flat, _ = self._need()
        line = self.session.line
        if line is None or not line.offered:
            raise GlyphosError("No pins are offered; they are after a retake of a pinned line.")
        for sound, end in line.offered:
            if sound < len(flat.phones):
                reading = edits.set_pin(reading, Edge(sound, end), True)
        self.session.change_line("Set offered pins", reading=reading, offered=())

    # ---- words, phrases, sounds -------------------------------------------------------------

    def _writing(self, name: str, made: Reading, select: Part | None) -> None:
        before, line = self.reading, self.session.line
        assert before is not None and line is not None
        script = edits.script_with(line.script, before, made)
        self.session.edit(name, made, script=script, select=select)

    def split(self) -> None:
        """Split at the playhead: a phrase before its word, a word before its sound."""
        reading, flat, part = self._need()
        sound = flat.part_at("sound", self.player.position())
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
        reading, flat, part = self._need()
        if part.level == "phrase":
            self._writing("Join phrases", edits.join_phrases(reading, part.number), part)
            return
        word = flat.at_level(part, "word")
        self._writing("Join words", edits.join_words(reading, word.number), word)

    def begin_phrase(self) -> None:
        """Let a phrase begin with the chosen word."""
        reading, flat, part = self._need()
        word = flat.word_range(part)[0]
        self._writing("Begin phrase", edits.split_phrase(reading, word), Part("word", word))

    def open_pause(self) -> None:
        """Make a pause before the chosen part."""
        reading, flat, part = self._need()
        a, _ = flat.sound_range(part)
        self.session.edit("Open pause", edits.open_pause(reading, a))

    def confirm(self) -> None:
        """Say that the chosen words are right, or take that back."""
        reading, flat, part = self._need()
        a, b = flat.word_range(part)
        settled = all(w.confirmed for w in flat.words[a:b])
        name = "Doubt again" if settled else "Confirm"
        self.session.edit(f"{name} {part.level}", edits.confirm(reading, part, not settled))

    def confirm_line(self) -> None:
        """Say that the whole line is right, or take that back."""
        line = self.session.line
        if line is None or line.reading is None:
            raise GlyphosError("Listen to the line first; then it can be confirmed.")
        name = "Reopen line" if line.confirmed else "Confirm line"
        self.session.change_line(name, confirmed=not line.confirmed)

    def change_sound(self, text: str) -> None:
        reading, flat, part = self._need()
        sound = flat.at_level(part, "sound")
        made = edits.change_sound(reading, sound.number, text)
        self.session.edit("Change sound", made, find=[flat.span(sound)], select=sound)

    def insert_sound(self, text: str) -> None:
        """A new sound after the chosen one."""
        reading, flat, part = self._need()
        sound = flat.at_level(part, "sound")
        made = edits.insert_sound(reading, sound.number, text)
        self.session.edit("Insert sound", made, find=[flat.span(sound)],
                          select=Part("sound", sound.number + 1))  # fmt: skip

    def delete_sound(self) -> None:
        reading, flat, part = self._need()
        if part.level != "sound":
            raise GlyphosError("Choose a sound first (Down goes from a word to its sounds).")
        made = edits.delete_sound(reading, part.number)
        new = Part("sound", min(part.number, len(flat.phones) - 2))
        self.session.edit("Delete sound", made, find=[flat.span(part)], select=new)

    def set_pronunciation(self, number: int, units: tuple[Unit, ...], scope: str) -> None:
        """Say a word with other sounds: `here` (it stays), `production` (in the lexicon, too), or
        `once` (until the line is listened to again)."""
        reading, flat, _ = self._need()
        word = flat.words[number]
        made = edits.set_pronunciation(reading, number, units)
        if scope != "here":
            source = "lexicon" if scope == "production" else "once"
            made = _with_source(made, number, source)
        if scope == "production":
            self.keep_in_lexicon(word.text, units)
        self.session.edit("Choose pronunciation", made, find=[(word.start, word.end)],
                          select=Part("word", number))  # fmt: skip

    def keep_in_lexicon(self, text: str, units: tuple[Unit, ...]) -> None:
        session = self.session
        session.lexicon = session.lexicon.with_entry(text, units)
        if session.store is not None:
            write_lexicon(session.store.folder, session.lexicon)

    # ---- marks ------------------------------------------------------------------------------

    def mark(self, kind: str, at: float | None = None) -> None:
        """Mark the pause at a time (else at the playhead, else the chosen part)."""
        reading, flat, part = self._need()
        seconds = self.player.position() if at is None else at
        start, end = edits.pause_at(reading, seconds)
        if end - start < edits.SHORTEST or (self.session.part is not None and at is None):
            start, end = flat.span(part)
        self.session.edit(f"Mark {kind}", edits.add_mark(reading, kind, start, end))

    def unmark(self, at: float | None = None) -> None:
        """Take away the mark at a time, or in the chosen part."""
        reading, flat, part = self._need()
        seconds = self.player.position() if at is None else at
        start, end = edits.pause_at(reading, seconds)
        if end - start < edits.SHORTEST:
            start, end = flat.span(part)
        self.session.edit("Take marks away", edits.remove_marks(reading, start, end))

    # ---- lines ------------------------------------------------------------------------------

    def duplicate_line(self) -> None:
        from ..production.production import slugify

        line = self.session.line
        if line is None:
            return
        lines = list(self.session.production.lines)
        slug = slugify(line.slug, {x.slug for x in lines})
        at = next(k for k, x in enumerate(lines) if x.slug == line.slug)
        lines.insert(at + 1, msgspec.structs.replace(line, slug=slug))
        production = replace(self.session.production, lines=tuple(lines))
        self.session.do("Duplicate line", production, slug=slug)

    def delete_lines(self, slugs: list[str]) -> None:
        """Take lines out of the production; undo brings them back. Recordings stay on disk."""
        if not slugs:
            return
        production = self.session.production.without(set(slugs))
        name = "Delete line" if len(slugs) == 1 else f"Delete {len(slugs)} lines"
        self.session.do(name, production)

    def move_line(self, by: int) -> None:
        """Move the current line up or down in the production's own order."""
        lines = list(self.session.production.lines)
        at = next((k for k, x in enumerate(lines) if x.slug == self.session.slug), -1)
        to = at + by
        if at >= 0 and 0 <= to < len(lines):
            lines.insert(to, lines.pop(at))
            production = replace(self.session.production, lines=tuple(lines))
            self.session.do("Reorder lines", production)


def _with_source(reading: Reading, number: int, source: str) -> Reading:
    words = iter(range(10**9))
    phrases = tuple(
        msgspec.structs.replace(
            p,
            words=tuple(
                msgspec.structs.replace(w, source=source) if next(words) == number else w
                for w in p.words
            ),
        )
        for p in reading.phrases
    )
    return msgspec.structs.replace(reading, phrases=phrases)
