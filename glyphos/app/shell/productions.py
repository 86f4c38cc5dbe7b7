"""Productions and what comes into them: opening, making, adding, copying, finding what is lost.

Everything that touches files happens in the background; what is open stays until the other is
ready.
"""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject

from ...errors import GlyphosError, RecordingError, ScriptError
from ...files import kept_path, reason
from ...production.kinds import is_production
from ...production.store import Store
from ...production.unnamed import begin, discard, unnamed
from ...progress import Progress
from ...rates import frame_rate
from ..drawing.words import counted
from ..model import settings
from ..model.context import Context
from ..model.files import LINES
from ..model.jobs import Told
from ..page import Command

if TYPE_CHECKING:
    from ...production.adding import Added, Found

APPLICATION = "application"  # scope of work that outlives the production that is open
OPENING = "opening"
MISSING, LEFT_OUT, UNNAMED = "missing", "left out", "unnamed"


class Productions(QObject):
    """Commands about whole productions. `unsaved`: where those are kept that have no name yet."""

    def __init__(self, context: Context, unsaved: Path | None) -> None:
        super().__init__()
        self._c, self.unsaved = context, unsaved
        context.current.sound_changed.connect(self._offer_to_find)
        context.current.line_changed.connect(self._offer_to_find)
        context.document.opened.connect(lambda: context.talk.withdraw(LEFT_OUT))
        context.document.needed.connect(self._begin)

    def commands(self) -> Sequence[Command]:
        add = Command
        return [
            add("new", "New production…", "Production", self.new, "Ctrl+N"),
            add("open", "Open…", "Production", self.ask_open, "Ctrl+O"),
            add("open-production", "Open a production…", "Production", self.ask_production, "Ctrl+Shift+O"),
            add("add", "Add lines…", "Production", self.ask_add, "Ctrl+L"),
            add("add-folder", "Add a folder of lines…", "Production", self.ask_folder),
            add("save-copy", "Save a copy of the production…", "Production", self.save_copy, "Ctrl+Shift+S"),
            add("find-recording", "Find missing recordings…", "Production", self.ask_find),
            add("name-production", "Name the production…", "Production", self.name_production),
        ]  # fmt: skip

    # ---- opening ----------------------------------------------------------------------------

    def open(self, path: Path, line: str = "") -> None:
        """Open a production folder at one of its lines, or bring in a recording, a table or a folder of recordings."""
        if is_production(path):
            self.open_production(path, line)
        else:
            self.add([path])

    def open_production(self, folder: Path, line: str = "") -> None:
        """Open a production; what is open stays until the other has been read. line: to be shown then."""

        def take(store: Store) -> None:
            if self._take(store) and line:
                self._show(line)

        if self._c.document.is_open and self._c.document.folder.resolve() == folder.resolve():
            if line:
                self._show(line)
            return
        self._c.jobs.submit(f"Opening {folder.stem}", lambda _: Store.open(folder), take,
                            scope=APPLICATION, name=OPENING, instead=True, unused=Store.let_go)  # fmt: skip

    def _show(self, line: str) -> None:
        if self._c.document.production.has(line):
            self._c.selection.show(line)
        else:
            self._c.talk.fail(f"There is no line “{line}” in it; choose one in the list.")

    def _take(self, store: Store) -> bool:
        """Let the open production go and take over another."""
        try:
            frame_rate(store.production.header.fps)
        except GlyphosError:
            store.let_go()
            raise
        if not self.let_go():
            store.let_go()
            return False
        self._c.document.open(store)
        settings.remember(str(store.folder))
        if store.problems:
            self._say_left_out(store.problems)
            self._c.talk.fail(store.problems[0])
        if store.read_only:
            self._c.talk.fail(
                f"{store.folder.name} cannot be written: look as you like, but save a copy to keep changes."
            )
        return True

    def let_go(self) -> bool:
        """Write what is left and close; asks where that cannot be done. Whether it is closed."""
        problem = self._c.document.close()
        if not problem:
            return True
        answer = self._c.ask.decide(
            "Not everything could be written", f"{problem} What was changed since would be lost.",
            ["Stay here", "Close all the same"],
        )  # fmt: skip
        if answer != 1:
            return False
        self._c.document.give_up()
        return True

    def new(self) -> None:
        from ...production.copying import named

        answer = self._c.ask.save_file("New production", "my-show.glyphos")
        if answer is not None:
            self.make(named(answer[0]))

    def make(self, folder: Path, *, name: str = "", fps: str = "") -> None:
        """Make a production and open it."""
        rate = fps or self._c.document.header.fps
        frame_rate(rate)

        def work(_: Told) -> Store:
            return Store.create(folder, name=name or folder.stem, fps=rate)

        self._c.jobs.submit(f"Making {folder.stem}", work, self._take, scope=APPLICATION,
                            name=OPENING, instead=True, unused=discard)  # fmt: skip

    def ask_production(self) -> None:
        if (folder := self._c.ask.folder("Open a production")) is not None:
            self.open_production(folder)

    def ask_open(self) -> None:
        for path in self._c.ask.open_files("Open a recording or a table", LINES):
            self.open(path)

    def recent(self) -> list[tuple[str, Path]]:
        """Productions opened last, and those without a name: what they are called, where they lie."""
        found = [Path(n) for n in settings.recent()]
        found += [p for p in self.unnamed() if p not in found]
        return [
            (f"{p.stem} (never named)" if p.parent == self.unsaved else str(p), p) for p in found
        ]

    def unnamed(self) -> list[Path]:
        """Productions that were never named and have lines."""
        return unnamed(self.unsaved) if self.unsaved is not None else []

    def start(self) -> None:
        """Begin with what was open last; offer what was never named."""
        last = next((Path(n) for n in settings.recent() if is_production(Path(n))), None)
        if last is not None:
            self.open_production(last)
        others = [p for p in self.unnamed() if p != last]
        if others:
            latest = max(others, key=lambda p: p.stat().st_mtime)
            text = "There is a production that was never named." if len(others) == 1 else (
                f"There are {len(others)} productions that were never named.")  # fmt: skip
            self._c.talk.offer(UNNAMED, f"{text} “Open recent” in the menu keeps them.",
                               f"Open {latest.stem}", lambda: self.open_production(latest))  # fmt: skip

    # ---- bringing in ------------------------------------------------------------------------

    def ask_add(self) -> None:
        if paths := self._c.ask.open_files("Add lines", LINES, several=True):
            self.add(paths)

    def ask_folder(self) -> None:
        if (folder := self._c.ask.folder("Add a folder of lines")) is not None:
            self.add([folder])

    def add(self, paths: Sequence[Path]) -> None:
        """Bring in recordings; without a production they go into one that has no name yet."""
        document = self._c.document
        production = document.production if document.is_open else None
        copy = not document.read_only

        def work(told: Told) -> tuple[Store | None, Found, Added]:
            from ...production.adding import add_lines, wanted_from

            found = wanted_from(paths)
            if not found.wanted and not found.refused:
                raise ScriptError("There are no recordings in there; choose sound or video files.")
            if production is not None:
                return None, found, add_lines(production, found.wanted, copy=copy, progress=told)
            return self._begin_unsaved(found, told)

        def apply(result: tuple[Store | None, Found, Added]) -> None:
            store, found, added = result
            if store is not None and document.is_open:
                discard(store)
                self._add_later(paths)
            elif store is None or self._take(store):
                self._added(found, added)

        def unused(result: tuple[Store | None, Found, Added]) -> None:
            store, _, added = result
            added.take_back()
            if store is not None:
                discard(store)

        scope = APPLICATION if production is None else None
        self._c.jobs.submit("Adding", work, apply, scope=scope, unused=unused)

    def _add_later(self, paths: Sequence[Path]) -> None:
        """Where nothing was open when lines were brought in, something is by now."""
        if self._c.document.folder.parent == self.unsaved:  # begun by others that came as these did
            self.add(paths)
            return
        names = paths[0].name if len(paths) == 1 else f"these {len(paths)} files"
        self._c.talk.fail(
            f"{self._c.document.header.name} was opened meanwhile; bring {names} in again to add to it."
        )

    def _begin(self) -> None:
        """Something is to be kept and nothing is open: a production without a name, so that nothing is lost."""
        if self.unsaved is not None:
            self._take(self._unsaved_store())

    def _unsaved_store(self) -> Store:
        """A new production in a folder of our own."""
        if self.unsaved is None:
            raise ScriptError("Make a production first; then lines can be added to it.")
        return begin(self.unsaved)

    def _begin_unsaved(self, found: Found, told: Progress) -> tuple[Store | None, Found, Added]:
        """Keep lines without a production in a folder of our own, so that nothing is lost."""
        from ...production.adding import add_lines

        store = self._unsaved_store()
        try:
            added = add_lines(store.production, found.wanted, progress=told)
        except BaseException:
            discard(store)
            raise
        if not added.lines:
            discard(store)
            raise RecordingError((*found.refused, *added.refused)[0])
        return store, found, added

    def _added(self, found: Found, added: Added) -> None:
        from ...production.adding import languages_told, there_already, unlike

        refused = [*found.refused, *added.refused]
        production = self._c.document.production
        if added.lines:
            lines = unlike(added.lines, production.slugs)
            count = counted(len(lines), "line")
            name = "Add a line" if len(lines) == 1 else f"Add {count}"
            self._c.document.change(name, production.added(lines))
            self._c.selection.show(lines[0].slug)
            told = languages_told(added.told, production.header.language)
            self._c.talk.say(f"{count} added{told}{there_already(production, lines)}")
        elif len(refused) == 1:  # nothing else is to be told, so it is told below
            self._c.talk.fail(refused.pop())
        self._say_left_out(refused)

    def _say_left_out(self, refused: Sequence[str]) -> None:
        if not refused:
            self._c.talk.withdraw(LEFT_OUT)  # of an earlier time
            return
        if len(refused) == 1:
            self._c.talk.offer(LEFT_OUT, refused[0])
            return
        text = f"{len(refused)} things were left out or set aside. {refused[0]}"
        self._c.talk.offer(LEFT_OUT, text, "Show all of them", lambda: self._c.ask.decide(
            "Left out or set aside", "\n\n".join(refused), ["Close"]))  # fmt: skip

    # ---- copies and names -------------------------------------------------------------------

    def save_copy(self) -> None:
        header = self._c.document.header
        answer = self._c.ask.save_file("Save a copy of the production", f"{header.name}.glyphos")
        if answer is not None:
            self.copy_to(answer[0])

    def copy_to(self, target: Path, *, forget: Path | None = None) -> None:
        """Save a copy and open it. forget: what it takes the place of."""
        production = self._c.document.production

        def work(told: Told) -> Store:
            from ...production.copying import save_copy

            return Store.open(
                save_copy(production, target, whole=forget is not None, progress=told)
            )

        def apply(store: Store) -> None:
            if self._take(store):
                self._c.talk.say(f"Saved as {store.folder.name}, which is open now")
                if forget is not None:
                    self._forget(forget, store.folder)

        self._c.jobs.submit("Saving a copy", work, apply, name="copy", inputs=lambda: (self._c.document.production,),
                            again=lambda: self.copy_to(target, forget=forget), unused=discard)  # fmt: skip

    def _forget(self, folder: Path, whole: Path) -> None:
        """Take a production away in whose place another stands now."""
        from ...production.copying import bring_takes

        settings.forget(str(folder))
        try:
            bring_takes(folder, whole)  # what was recorded until it was closed
        except OSError as error:
            self._c.talk.say(
                f"Takes in {folder} could not be moved ({reason(error)}); they stay there"
            )
            return
        shutil.rmtree(folder, ignore_errors=True)

    def name_production(self) -> None:
        """Another name; a production that has none yet gets a place of its own with it."""
        document = self._c.document
        if self.unsaved is not None and document.folder.parent == self.unsaved:
            answer = self._c.ask.save_file("Where the production is kept", "my-show.glyphos")
            if answer is not None:
                self.copy_to(answer[0], forget=document.folder)
            return
        name = self._c.ask.text("Production", "Its name:", now=document.header.name)
        if name and name.strip():
            document.change("Name production", document.production.headed(name=name.strip()))

    # ---- what is lost -----------------------------------------------------------------------

    def _offer_to_find(self) -> None:
        line = self._c.current.line
        if line is None or self._c.derived.path(line).exists():
            self._c.talk.withdraw(MISSING)
            return
        self._c.talk.offer(MISSING, f"The recording {line.file} is not where it was; what is known of the "
                           "line is shown without it.", "Find it…", self.ask_find)  # fmt: skip

    def ask_find(self) -> None:
        """Look for the recordings that are not where they were, under a folder."""
        production = self._c.document.production
        missing = [x for x in production.lines if not production.has_audio(x)]
        if not missing:
            self._c.talk.say("Every recording is where it should be.")
            return
        count = counted(len(missing), "recording")
        if (folder := self._c.ask.folder(f"Look for {count} in")) is not None:
            self.find_in(folder)

    def find_in(self, folder: Path) -> None:
        """Take up every missing recording that lies somewhere under a folder."""
        production = self._c.document.production
        missing = [x for x in production.lines if not production.has_audio(x)]

        def work(told: Told) -> dict[str, Path]:
            from ...production.adding import find_recordings

            return find_recordings(missing, folder, progress=told)

        def apply(found: dict[str, Path]) -> None:
            now = self._c.document.production
            was = {x.slug: x.audio for x in missing}
            lines = [msgspec.structs.replace(now.line(s), audio=kept_path(path, now.folder), problem="")
                     for s, path in found.items() if now.has(s) and now.line(s).audio == was[s]]  # fmt: skip
            if lines:
                self._c.document.change("Find recordings", now.put(*lines))
            self._c.talk.say(f"{counted(len(lines), 'recording')} found in {folder.name}")

        self._c.jobs.submit("Looking for recordings", work, apply, name="find")
