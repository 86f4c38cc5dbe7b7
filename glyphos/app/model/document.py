"""The open production: everything kept, under keys; the only place where it is altered.

A change is a named step that undo takes back exactly. Work in the background amends the step that
asked for it. While something is dragged a preview stands in for one value and is not kept.
"""

from __future__ import annotations

import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from ...errors import EditError
from ...production.documents import Header, Line
from ...production.history import History, Patch, Step
from ...production.kinds import Changes, Key, line_key, scene_key
from ...production.production import Production
from ...production.store import Store
from ...production.writer import Writer
from ...scene.documents import Scene
from ...speech.lexicon import Lexicon
from .jobs import Jobs

NOWHERE = Production.of(Path("/"), Header("Untitled"))


class Document(QObject):
    """Values under `(kind, slug)` with their history, and the writer that keeps them."""

    opened = Signal()  # another production
    needed = Signal()  # one that has no name yet, since something is to be kept and none is open
    changed = Signal(object)  # the keys whose values differ now
    stepped = Signal(object)  # the Step that was done, undone or done again
    went_back = Signal(object)  # the Step that was undone or done again
    history_changed = Signal()
    trouble_changed = Signal(str)  # why something cannot be written; "" once it can
    _told = Signal(str)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self.production = NOWHERE
        self.history = History()
        self.trouble = ""
        self.previewed: Key | None = None
        self._preview: Any = None
        self._jobs = jobs
        self._writer: Writer | None = None
        self._told.connect(self._show_trouble)

    # ---- asking -----------------------------------------------------------------------------

    @property
    def is_open(self) -> bool:
        return self._writer is not None

    @property
    def folder(self) -> Path:
        return self.production.folder

    @property
    def read_only(self) -> bool:
        return self._writer is not None and self._writer.store.read_only

    @property
    def header(self) -> Header:
        return self.production.header

    @property
    def lexicon(self) -> Lexicon:
        return self.production.lexicon

    def line(self, slug: str) -> Line | None:
        """A line as it is, or as it is previewed."""
        if self.previewed == line_key(slug):
            line: Line = self._preview
            return line
        return self.kept_line(slug)

    def kept_line(self, slug: str) -> Line | None:
        """A line as it is kept, whatever is being dragged."""
        return self.production.line(slug) if self.production.has(slug) else None

    def scene(self, slug: str) -> Scene | None:
        """A scene as it is, or as it is previewed."""
        key = scene_key(slug)
        found: Scene | None = self._preview if self.previewed == key else self.production.values.get(key)  # fmt: skip
        return found

    # ---- opening and closing ------------------------------------------------------------------

    def open(self, store: Store) -> None:
        """Take over an open store; the present production must be closed."""
        assert self._writer is None
        self._writer = Writer(store, self._told.emit)
        self._take_scope(store.production)

    def need(self) -> None:
        """Have a production open, before something is kept in it; EditError where there can be none."""
        if not self.is_open:
            self.needed.emit()
        if not self.is_open:
            raise EditError("Make a production first (Ctrl+N); then this can be kept in it.")

    def close(self) -> str:
        """Write what is left and let the production go; "" or why not: then all stays as it is."""
        if self._writer is None:
            return ""
        problem = self._writer.close()
        if not problem:
            self._forget()
        return problem

    def give_up(self) -> None:
        """Let the production go, whatever could not be written."""
        if self._writer is not None:
            self._writer.give_up()
            self._forget()

    def flush(self) -> str:
        """Wait until everything is on disk; "" or why it is not."""
        return self._writer.flush() if self._writer is not None else ""

    def _forget(self) -> None:
        self._writer = None
        self._show_trouble("")
        self._take_scope(NOWHERE)

    def _take_scope(self, production: Production) -> None:
        self._jobs.cancel(self._jobs.scope)
        self._jobs.scope = object()
        self.previewed = self._preview = None
        self.production = production
        self.history = History()
        self.opened.emit()
        self.history_changed.emit()

    def _show_trouble(self, message: str) -> None:
        if message != self.trouble:
            self.trouble = message
            self.trouble_changed.emit(message)

    # ---- changing ---------------------------------------------------------------------------

    def change(
        self, name: str, changes: Changes, *, merge: bool = False, typing: bool = False
    ) -> int | None:
        """Give keys other values (None takes one away) as one named step; its number.

        What is as it was makes no step. merge: with a step of the same name on the same keys of a
        moment ago. typing: written once the fingers rest.
        """
        values = self.production.values
        changes = {k: v for k, v in changes.items() if not _equal(values.get(k), v)}
        self.drop_preview()
        if not changes:
            return None
        self.need()
        values = self.production.values
        before = {k: values.get(k) for k in changes}
        step = self.history.add(name, before, changes, at=time.monotonic(), merge=merge or typing)
        self._take(changes, typing=typing)
        self.stepped.emit(step)
        self.history_changed.emit()
        return step.number

    def amend(self, number: int | None, patches: Mapping[Key, Patch]) -> bool:
        """Let a step have done more, wherever it stands by now; whether it is still done."""
        if number is None:
            return False
        current = {k: self.production.values.get(k) for k in patches}
        made = self.history.amend(number, patches, current)
        if made is None:
            return False
        self._take({k: v for k, v in made.items() if not _equal(current[k], v)})
        self.history_changed.emit()
        return True

    def undo(self) -> Step | None:
        """Take the last step back, and only it."""
        step = self.history.undo()
        if step is not None:
            self._step(step, step.before)
        return step

    def redo(self) -> Step | None:
        step = self.history.redo()
        if step is not None:
            self._step(step, step.after)
        return step

    def _step(self, step: Step, changes: Changes) -> None:
        self.drop_preview()
        self._take(changes)
        self.stepped.emit(step)
        self.went_back.emit(step)
        self.history_changed.emit()

    def _take(self, changes: Changes, *, typing: bool = False) -> None:
        if not changes:
            return
        self.production = self.production.changed(changes)
        if self._writer is not None:
            self._writer.put(changes, typing=typing)
        self.changed.emit(frozenset(changes))

    # ---- while something is dragged -----------------------------------------------------------

    def preview(self, key: Key, value: Any) -> None:
        """Show another value under a key; nothing is kept."""
        self.previewed, self._preview = key, value
        self.changed.emit(frozenset([key]))

    def drop_preview(self) -> None:
        """Show what is kept again."""
        if self.previewed is not None:
            key, self.previewed, self._preview = self.previewed, None, None
            self.changed.emit(frozenset([key]))


def _equal(a: Any, b: Any) -> bool:
    return a is b or (a is not None and b is not None and a == b)
