"""Characters of drawings: their pictures, and the shown line in their drawings.

Made in the background and kept by what they were made from; signals say what has come.
"""

from __future__ import annotations

from collections import OrderedDict
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from ...characters.drawings.documents import Drawings
from ...motion.curve import Motion
from ...production.documents import Character, Line
from ...production.kinds import Key, kinds_of
from ..drawing.pictures import Pictures
from .current import Current
from .document import Document
from .jobs import Jobs, same
from .living import Living

if TYPE_CHECKING:
    from ...characters.drawings.sheet import Sheet

KEPT = 6


class Exposing(QObject):
    """Looks at the shown line and its speaker."""

    pictures_ready = Signal(str)  # slug of a character
    sheet_ready = Signal()  # the shown line in the drawings of its speaker

    def __init__(self, document: Document, current: Current, living: Living, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._current, self._living, self._jobs = document, current, living, jobs
        self._pictures: OrderedDict[tuple[object, ...], Pictures] = OrderedDict()
        self._sheet: Sheet | None = None
        self._made_of: object = None  # of which the sheet was made
        document.opened.connect(self.forget)
        document.changed.connect(self._follow)
        current.motion_changed.connect(self.refresh)
        living.changed.connect(self.refresh)
        current.line_changed.connect(self.refresh)
        current.state_changed.connect(self.refresh)

    def forget(self) -> None:
        """Open and choose everything anew."""
        self._pictures.clear()
        self._sheet = self._made_of = None

    def _follow(self, keys: frozenset[Key]) -> None:
        if kinds_of(keys) & {"character", "line", "header"}:
            self.refresh()

    # ---- pictures -----------------------------------------------------------------------------

    def pictures(self, character: Character) -> Pictures | None:
        """A character's pictures if they were opened; else they are, and `pictures_ready` tells."""
        drawings = character.drawings
        if drawings is None:
            return None
        folder = self._document.production.drawings_folder(character)
        key = (str(folder), *(_files(drawings)))
        if key in self._pictures:
            self._pictures.move_to_end(key)
            return self._pictures[key]
        name = f"pictures {hash(key)}"
        if self._jobs.find(name) is None:

            def apply(made: Pictures) -> None:
                self._pictures[key] = made
                while len(self._pictures) > KEPT:
                    self._pictures.popitem(last=False)
                self.pictures_ready.emit(character.slug)

            self._jobs.submit(f"Opening the drawings of {character.name}",
                              lambda told: Pictures(folder).load(drawings, told), apply, name=name)  # fmt: skip
        return None

    # ---- the line -----------------------------------------------------------------------------

    @property
    def character(self) -> Character | None:
        """The speaker of the shown line, if they are drawn."""
        line = self._current.line
        if line is None:
            return None
        found = self._document.production.character_for(line.speaker)
        return found if found.drawings is not None else None

    @property
    def sheet(self) -> Sheet | None:
        """The shown line in drawings, perhaps as it was a moment ago; None where it has none."""
        return self._sheet

    @property
    def settled(self) -> bool:
        """Whether the sheet is made of what is there now."""
        return same(self._wanted(), self._made_of)

    def _wanted(self) -> object:
        line, character, motion = self._current.line, self.character, self._living.motion
        if line is None or character is None or motion is None or not self._current.heard:
            return None
        return (
            (str(self._document.folder), line.slug),
            motion,
            character.drawings,
            line.held,
            line.delivery,
            line.reading,
        )

    def refresh(self) -> None:
        """Make what is shown anew, if it is another."""
        wanted = self._wanted()
        if not isinstance(wanted, tuple):
            self._made_of = None
            if self._sheet is not None:
                self._sheet = None
                self.sheet_ready.emit()
            return
        if same(wanted, self._made_of) or self._jobs.find("exposing") is not None:
            return  # what is being chosen ends first, or nothing new would be seen under a slider
        line, character, motion = self._current.line, self.character, self._living.motion
        assert line is not None and character is not None and motion is not None
        drawings = character.drawings
        assert drawings is not None
        if (
            self._sheet is not None
            and isinstance(self._made_of, tuple)
            and self._made_of[0] != (str(self._document.folder), line.slug)
        ):
            self._sheet = None  # of another line

        def apply(made: Sheet) -> None:
            now = self._wanted()
            if not isinstance(now, tuple) or now[0] != wanted[0]:
                return  # another line is shown by now
            self._sheet, self._made_of = made, wanted
            self.sheet_ready.emit()

        def ended(problem: str) -> None:
            if problem:
                self._made_of = wanted  # it would fail again
            self.refresh()  # what has become of it meanwhile

        self._jobs.submit(
            "Choosing drawings", lambda _: _chosen(motion, drawings, line),
            apply, name="exposing", quiet=True, ended=ended,
        )  # fmt: skip


def _chosen(motion: Motion, drawings: Drawings, line: Line) -> Sheet:
    from ...characters.drawings.sheet import sheet_of

    made = sheet_of(motion, drawings, line.held, line.reading, line.delivery)
    _ = made.helping  # found here, not where it is shown
    return made


def _files(drawings: Drawings) -> list[object]:
    return [x for v in drawings.views for x in (v.head, *((d.file, d.cell) for d in v.drawings()))]
