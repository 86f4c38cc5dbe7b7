"""Bringing characters in: models, drawings, a folder of them, a sheet; dropped or chosen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from ....characters.builtin import set_path
from ....characters.drawings.cutting import grid_of
from ....characters.drawings.opening import ENDINGS as PICTURES
from ....characters.drawings.opening import of_drawings
from ....characters.models.opening import ENDINGS
from ...model.context import Context
from .edits import CharacterEdits

KINDS = "Models and drawings (" + " ".join(f"*{e}" for e in (*ENDINGS, *PICTURES)) + ")"


class Adding:
    """Asks for files; `then` gets the slug of what has become a character."""

    def __init__(
        self, context: Context, edits: CharacterEdits, then: Callable[[str], None]
    ) -> None:
        self._c, self._edits, self._then = context, edits, then

    def take(self, paths: Sequence[Path]) -> bool:
        """What of these are characters; whether any is."""
        models = [p for p in paths if p.suffix.lower() in ENDINGS]
        for path in models:
            self._edits.add(path, self._then)
        drawings = [p for p in paths if of_drawings(p)]
        if drawings:
            self._edits.add_drawings(drawings, self._then)
        return bool(models or drawings)

    def files(self) -> None:
        """Choose models or drawings."""
        self.take(self._c.ask.open_files("Add a character", KINDS, several=True))

    def drawings(self) -> None:
        """Choose a folder of drawings."""
        folder = self._c.ask.folder("Add drawings")
        if folder is not None:
            self._edits.add_drawings([folder], self._then)

    def ours(self, name: str) -> None:
        """One of our own sets of drawings."""
        self._edits.add_drawings([set_path(name)], self._then)

    def sheet(self) -> None:
        """Choose one picture with many drawings, and say how it is cut."""
        paths = self._c.ask.open_files("A sheet of drawings", KINDS)
        question = "Columns and rows, as in 4x3:"
        typed = self._c.ask.text("A sheet of drawings", question, now="4x3") if paths else None
        if typed is not None:
            self._edits.add_drawings(paths[:1], self._then, grid_of(typed))
