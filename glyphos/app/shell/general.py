"""Commands that act on every page: play, undo, pages, looks, preferences, help."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Protocol

from ...rates import frame_rate
from ...speech.captioned import SCRIPTS
from ..dialogs.preferences import PreferencesDialog
from ..model.context import Context
from ..page import Command, Page
from ..sound.devices import best_device, device_names
from .menus import Menus
from .pages import Pages
from .productions import Productions


class Shell(Protocol):
    """What of the window these commands need."""

    page: Page
    pages: Pages
    menus: Menus
    productions: Productions

    def show_page(self, name: str) -> None: ...
    def show_whole(self, whole: bool) -> None: ...
    @property
    def whole(self) -> bool: ...


class General:
    """Works on the model and on the window's page switch."""

    def __init__(self, shell: Shell, context: Context) -> None:
        self._w, self._c = shell, context

    def first(self) -> Sequence[Command]:
        return [
            Command("play", "Play or stop", "Hear", self.play_or_stop, "Space"),
            Command("none", "Choose nothing, or cancel", "Choose", self.escape, "Esc"),
            Command("undo", "Undo", "Correct", self.undo, "Ctrl+Z"),
            Command("redo", "Redo", "Correct", self.redo, "Ctrl+Shift+Z Ctrl+Y"),
        ]

    def last(self) -> Sequence[Command]:
        pages = [
            Command(f"page-{p.name}", f"Page: {p.title}", "View", partial(self._w.show_page, p.name), f"Ctrl+{k}")
            for k, p in enumerate(self._w.pages.entries.values(), 1)
        ]  # fmt: skip
        return [
            *pages,
            Command("whole-page", "The page on the whole window", "View", self.whole_page, "F11"),
            Command("theme", "Paper or night", "View", self.change_theme, "Ctrl+T"),
            Command("preferences", "Preferences…", "View", self.preferences, "Ctrl+,"),
            Command("shortcuts", "Shortcuts", "Help", lambda: self._w.menus.find(sheet=True), "F1"),
            Command("palette", "Find a command", "Help", lambda: self._w.menus.find(sheet=False), "F2"),
        ]  # fmt: skip

    # ---- doing --------------------------------------------------------------------------------

    def play_or_stop(self) -> None:
        transport, current = self._c.transport, self._c.current
        if transport.playing:
            transport.stop()
        elif transport.duration > 0:
            transport.play()
        elif current.problem:
            self._c.talk.fail(current.problem)

    def undo(self) -> None:
        if (step := self._c.document.undo()) is not None:
            self._c.talk.say(f"Undone: {step.name}")

    def redo(self) -> None:
        if (step := self._c.document.redo()) is not None:
            self._c.talk.say(f"Done again: {step.name}")

    def escape(self) -> None:
        """Give up what is begun, one thing at a time: a drag, work, the whole page, a choice."""
        if self._c.document.previewed is not None and self._w.page.escape():
            return
        if self._c.jobs.shown:
            self._c.jobs.cancel_shown()
        elif self._w.whole:
            self._w.show_whole(False)
        else:
            self._w.page.escape()

    def whole_page(self) -> None:
        self._w.show_whole(not self._w.whole)
        self._w.page.enter()

    def change_theme(self) -> None:
        """Paper by day, night by night."""
        now = self._c.preferring.now.theme
        self._c.preferring.set(theme="night" if now == "paper" else "paper")

    def preferences(self) -> None:
        dialog = PreferencesDialog(self._c.preferring.now, device_names(), self._c.ask)
        dialog.accepted.connect(lambda: self._c.preferring.put(dialog.preferences()))
        self._c.ask.show(dialog)

    def use_device(self, name: str) -> None:
        """Play through another sound card."""
        self._c.transport.use(best_device(name))

    def set_rate(self, text: str) -> None:
        """Another frame rate for the production."""
        document = self._c.document
        if text == document.header.fps:
            return

        def change() -> None:
            frame_rate(text)
            document.change("Set frame rate", document.production.headed(fps=text))

        self._c.talk.try_to(change)
        document.changed.emit(frozenset())  # a rate that is none is written over again

    def drop(self, paths: Sequence[Path]) -> None:
        """Files dropped on the window: recordings, folders, tables, productions, a script."""
        for page in self._w.pages.values():
            if page.take_files(paths):
                return
        texts = [p for p in paths if p.suffix.lower() in SCRIPTS]
        # Those of a recording's name are found beside it
        others = [p for p in paths if p.suffix.lower() not in SCRIPTS]
        strange = [t for t in texts if t.with_suffix("") not in {p.with_suffix("") for p in others}]
        if texts and len(texts) == len(paths):
            self._w.page.drop_script(texts[0])
        elif len(others) == 1 and not (strange and others[0].is_file()):
            self._w.productions.open(others[0])
        elif others:
            self._w.productions.add(paths)
