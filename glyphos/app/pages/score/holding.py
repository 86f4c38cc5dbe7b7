"""Correcting exposures: the one at the playhead is changed, held longer or shorter, pinned, let go.

What a person placed is kept as a pin on the line; all else is chosen again around it. Every method is
one named step.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtWidgets import QMenu

from ....characters.drawings.exposures import Exposure
from ....characters.drawings.pins import Pin, frames_of, with_pin, without_pins
from ....errors import DocumentError, EditError
from ....production.documents import Line
from ....production.kinds import line_key
from ....speech.anchors import anchored
from ...drawing.words import counted
from ...model.context import Context
from ...page import Command

if TYPE_CHECKING:
    from ....characters.drawings.sheet import Sheet

PAGE = "score"


class Holding:
    """Changes the exposures of the shown line."""

    def __init__(self, context: Context) -> None:
        self._c = context

    def need(self) -> tuple[Line, Sheet]:
        """The line and its drawings; EditError where there are none."""
        line, sheet = self._c.document.kept_line(self._c.selection.slug), self._c.exposing.sheet
        if line is None or line.reading is None or sheet is None:
            raise EditError(
                "Whoever speaks this line is not made of drawings; give them some on the Characters page."
            )
        return line, sheet

    def at_playhead(self) -> tuple[Line, Sheet, Exposure]:
        line, sheet = self.need()
        return line, sheet, sheet.at(sheet.frame_at(self._c.transport.position()))

    def _take(self, name: str, line: Line, held: tuple[Pin, ...], *, merge: bool = False) -> None:
        made = msgspec.structs.replace(line, held=held)
        self._c.document.change(name, {line_key(line.slug): made}, merge=merge)

    def pin(self, name: str, mouth: str, first: int, after: int, *, merge: bool = False) -> None:
        """A drawing held on the frames [first, after)."""
        line, sheet = self.need()
        assert line.reading is not None
        first, after = max(0, first), min(sheet.frames, after)
        held = with_pin(line.held, mouth, first, after, line.reading, line.delivery, sheet.fps)
        self._take(name, line, held, merge=merge)

    def change(self, mouth: str, exposure: Exposure | None = None) -> None:
        """Another drawing for an exposure."""
        _, _, at = self.at_playhead()
        e = exposure or at
        self.pin("Change drawing", mouth, e.first, e.after)

    def step(self, by: int) -> None:
        """The next drawing of the set in place of this one."""
        _, sheet, e = self.at_playhead()
        mouths = sheet.drawings.mouths
        self.change(mouths[(e.drawing + by) % len(mouths)].name, e)

    def longer(self, by: int) -> None:
        """Held on by so many frames; shorter, if less than 0, when the next begins sooner."""
        _, _, e = self.at_playhead()
        self.move_change(e.after, e.after + by)

    def sooner(self, by: int) -> None:
        """Begun so many frames later, or sooner if less than 0."""
        _, _, e = self.at_playhead()
        self.move_change(e.first, e.first + by)

    def move_change(self, edge: int, to: int, *, merge: bool = False) -> None:
        """The change from one drawing to the next at a frame comes at another."""
        _, sheet = self.need()
        if not 0 < edge < sheet.frames:
            raise EditError("This is where the line begins or ends; there is nothing to change to.")
        before, following = sheet.at(edge - 1), sheet.at(edge)
        to = min(max(to, before.first + 1), following.after - 1)
        if to == edge:
            raise EditError("The drawing beside it would not be left a frame.")
        if to > edge:
            self.pin("Hold longer", sheet.mouth(before).name, before.first, to, merge=merge)
        else:
            self.pin("Hold shorter", sheet.mouth(following).name, to, following.after, merge=merge)

    def toggle_pin(self) -> None:
        """Keep the exposure as it is, or let it be chosen again."""
        line, sheet, e = self.at_playhead()
        if not e.pinned:
            self.pin("Pin drawing", sheet.mouth(e).name, e.first, e.after)
            return
        assert line.reading is not None
        held = without_pins(line.held, e.first, e.after, line.reading, line.delivery, sheet.fps)
        self._take("Let drawing go", line, held)

    def let_all_go(self) -> None:
        line, _ = self.need()
        if not line.held:
            raise EditError("No drawing of this line is pinned.")
        self._take(f"Let {counted(len(line.held), 'drawing')} go", line, ())

    def go(self, by: int) -> None:
        """Put the playhead on the next exposure, or the one before."""
        _, sheet, e = self.at_playhead()
        number = min(max(sheet.number_at(e.first) + by, 0), len(sheet.mouths) - 1)
        self._c.transport.seek((sheet.mouths[number].first + 0.5) / sheet.fps)

    def pin_range(self, mouth: str) -> None:
        """One drawing for all that is chosen."""
        line, sheet = self.need()
        flat, part = self._c.current.flat, self._c.selection.part
        if flat is None or part is None:
            raise EditError("Choose a sound, word or phrase first.")
        start, end = flat.span(part)
        assert line.reading is not None
        pin = Pin(mouth, anchored(line.reading, start), anchored(line.reading, end))
        first, after = frames_of(pin, line.reading, line.delivery, sheet.fps)
        self.pin("Pin drawing over a range", mouth, first, after)

    def take_in(self) -> None:
        """A list of changes made elsewhere becomes pins."""
        from ....handoff.exposure import read_changes

        self.need()
        paths: Sequence[Path] = self._c.ask.open_files(
            "A list of changes", "Lists (*.txt *.csv);;All files (*)"
        )
        for path in paths:
            line, sheet = self.need()  # as they are by now
            assert line.reading is not None
            try:
                data = path.read_bytes()
            except OSError:
                raise DocumentError(
                    f"{path.name} cannot be read; check that it is there."
                ) from None
            held: tuple[Pin, ...] = line.held
            changes = read_changes(data, path.name, sheet.drawings, sheet.frames, sheet.fps)
            for first, after, mouth in changes:
                held = with_pin(held, mouth, first, after, line.reading, line.delivery, sheet.fps)
            self._take(f"Take in {path.name}", line, held)
            self._c.talk.say(f"{counted(len(changes), 'drawing')} of {path.name} pinned")

    # ---- hands --------------------------------------------------------------------------------

    def commands(self) -> list[Command]:
        """All of it, with its keys."""

        def command(name: str, text: str, run: Callable[[], object], keys: str = "") -> Command:
            return Command(name, text, "Drawings", run, keys, PAGE)

        return [
            command("drawing-next", "Next drawing in place of this one", partial(self.step, 1), "."),
            command("drawing-previous", "The drawing before it in place of this one", partial(self.step, -1), ","),
            command("drawing-longer", "Hold the drawing a frame longer", partial(self.longer, 1), "G"),
            command("drawing-shorter", "Hold the drawing a frame shorter", partial(self.longer, -1), "Shift+G"),
            command("drawing-later", "Begin the drawing a frame later", partial(self.sooner, 1), "T"),
            command("drawing-sooner", "Begin the drawing a frame sooner", partial(self.sooner, -1), "Shift+T"),
            command("drawing-pin", "Pin the drawing, or let it go", self.toggle_pin, "H"),
            command("drawings-free", "Let all pinned drawings go", self.let_all_go),
            command("exposure-next", "Go to the next exposure", partial(self.go, 1), "M"),
            command("exposure-previous", "Go to the exposure before", partial(self.go, -1), "Shift+M"),
            command("drawings-in", "Pins from a list of changes…", self.take_in),
        ]  # fmt: skip

    def fill_menu(self, menu: QMenu) -> None:
        """What can be done with the exposure at the playhead."""
        from ....characters.drawings.naming import short_names

        _, sheet, e = self.at_playhead()
        names = short_names([m.name for m in sheet.drawings.mouths])
        try_to = self._c.talk.try_to
        show, over = QMenu("Show here", menu), QMenu("Hold over what is chosen", menu)
        menu.addMenu(show)
        menu.addMenu(over)
        for k, mouth in enumerate(sheet.drawings.mouths):
            action = show.addAction(
                names[mouth.name], partial(try_to, partial(self.change, mouth.name, e))
            )
            action.setCheckable(True)
            action.setChecked(k == e.drawing)
            over.addAction(names[mouth.name], partial(try_to, partial(self.pin_range, mouth.name)))
        over.setEnabled(self._c.selection.part is not None)
        menu.addSeparator()
        for command in self.commands()[2:8]:
            menu.addAction(command.text, partial(try_to, command.run))
