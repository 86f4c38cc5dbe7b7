"""What can be done with lines of the list."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec

from ....errors import ScriptError
from ....production.documents import Line, slugify
from ...drawing.words import counted
from ...model.context import Context
from ...model.jobs import Told
from ...page import Command
from .batch import Batch
from .filming import film

WAYS = ("at the script's paragraphs and speakers", "at long pauses")


class LineCommands:
    """Works on the shown line, or on all that are selected."""

    def __init__(self, context: Context, batch: Batch) -> None:
        self._c, self._batch = context, batch

    def commands(self, search: Callable[[], object]) -> Sequence[Command]:
        add = Command
        return [
            add("listen-all", "Listen to every line that needs it", "Lines", self.listen_all, "F7"),
            add("cut", "Cut into lines at pauses or paragraphs…", "Lines", self.cut),
            add("rename", "Name the speaker…", "Lines", self.name_speaker, "F4"),
            add("movie", "Movie of the selected lines…", "Lines", self.film, "Ctrl+Shift+M"),
            add("duplicate", "Duplicate line", "Lines", self.duplicate, "Ctrl+D"),
            add("delete-line", "Delete lines", "Lines", self.delete, "Ctrl+Del"),
            add("line-up", "Move line up", "Lines", lambda: self.move(-1), "Ctrl+Up"),
            add("line-down", "Move line down", "Lines", lambda: self.move(1), "Ctrl+Down"),
            add("search-lines", "Search in all scripts", "Lines", search, "Ctrl+F", "score handoff"),
            add("line-next", "Show the next line", "Lines", lambda: self.step(1), "Ctrl+PgDown"),
            add("line-before", "Show the line before", "Lines", lambda: self.step(-1), "Ctrl+PgUp"),
        ]  # fmt: skip

    def _line(self) -> Line:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None:
            raise ScriptError("Open a line first.")
        return line

    def _chosen(self) -> tuple[str, ...]:
        self._line()
        return self._c.selection.chosen

    def step(self, by: int) -> None:
        """The next line of the production, or the one before; on pages without their list too."""
        slugs = self._c.document.production.slugs
        place = slugs.index(self._line().slug) + by
        if not 0 <= place < len(slugs):
            self._c.talk.say(
                "There is no line further on." if by > 0 else "This is the first line."
            )
            return
        self._c.selection.show(slugs[place])

    def listen_all(self) -> None:
        """Listen to the selected lines, or to all that need it."""
        chosen = self._c.selection.slugs
        self._batch.start(chosen if len(chosen) > 1 else None)

    def name_speaker(self) -> None:
        """Who speaks the selected lines."""
        line, production = self._line(), self._c.document.production
        known = sorted({x.speaker for x in production.lines if x.speaker} | {line.speaker})
        name = self._c.ask.choose(
            "Speaker", "Who speaks:", known, now=known.index(line.speaker), own=True
        )
        if name is None:
            return
        now = self._c.document.production
        lines = [now.line(s) for s in self._chosen() if now.has(s)]
        changed = [msgspec.structs.replace(x, speaker=name.strip()) for x in lines]
        self._c.document.change("Name speaker", now.put(*changed))

    def film(self) -> None:
        """A movie of the selected lines, one after the other."""
        now = self._c.document.production
        chosen = self._chosen()
        film(self._c, [x for x in now.lines if x.slug in chosen])

    def duplicate(self) -> None:
        line, production = self._line(), self._c.document.production
        copy = msgspec.structs.replace(line, slug=slugify(line.slug, production.slugs))
        self._c.document.change("Duplicate line", production.added([copy], after=line.slug))
        self._c.selection.show(copy.slug)

    def delete(self) -> None:
        """Take lines out of the production; undo brings them back. Recordings stay on disk."""
        slugs = self._chosen()
        name = "Delete line" if len(slugs) == 1 else f"Delete {len(slugs)} lines"
        self._c.document.change(name, self._c.document.production.without(slugs))

    def move(self, by: int) -> None:
        """Move the shown line up or down in the production's own order."""
        order = list(self._c.document.production.slugs)
        at = order.index(self._line().slug)
        if 0 <= at + by < len(order):
            order.insert(at + by, order.pop(at))
            self._c.document.change("Reorder lines", self._c.document.production.ordered(order))

    def cut(self) -> None:
        """Cut the shown line into several."""
        slug = self._line().slug
        way = self._c.ask.choose("Cut into lines", "Where:", WAYS)
        if way is not None and (line := self._c.document.kept_line(slug)) is not None:
            self._cut(line, way == WAYS[1])

    def _cut(self, line: Line, by_pauses: bool) -> None:
        document, slug = self._c.document, line.slug
        production = document.production

        def work(told: Told) -> tuple[Line, ...]:
            from ....production.cutting import cut_line

            return cut_line(production, line, pauses=by_pauses, progress=told)

        def forget(pieces: tuple[Line, ...]) -> None:
            from ....production.cutting import forget_pieces

            forget_pieces(production, pieces)

        def apply(pieces: tuple[Line, ...]) -> None:
            now = document.kept_line(slug)
            if now is None or any(document.production.has(p.slug) for p in pieces):
                forget(pieces)
                self._c.talk.say("The line was changed meanwhile, so it was not cut.")
                return
            count = counted(len(pieces), "line")
            document.change(f"Cut into {count}", document.production.replaced(slug, pieces))
            self._c.selection.show(pieces[0].slug)
            self._c.talk.say(f"{count} made")

        def again() -> None:
            now = document.kept_line(slug)
            if now is not None:
                self._cut(now, by_pauses)

        self._c.jobs.submit("Cutting", work, apply, name=f"cut {slug}",
                            inputs=lambda: document.kept_line(slug), again=again, unused=forget)  # fmt: skip
