"""Listening to many lines in the background while one goes on working."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from ....errors import ScriptError
from ....production.documents import Line
from ....production.kinds import line_key
from ...drawing.words import counted
from ...model.context import Context
from ...model.jobs import Told

if TYPE_CHECKING:
    from ....batch.listening import Heard

NAME = "listen to lines"


class Batch(QObject):
    """One run over lines at a time; each result is taken over as it comes, all in one step."""

    busy_changed = Signal(object)  # slugs that are being listened to

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self._began: dict[str, Line] = {}  # lines as they were when they were given away
        self._step: int | None = None
        self._done = self._problems = self._overtaken = 0

    @property
    def running(self) -> bool:
        return self._c.jobs.find(NAME) is not None

    def start(self, slugs: Sequence[str] | None = None) -> None:
        """Listen to lines; without `slugs` to all that have no reading.

        What is heard on a line without a script becomes its draft."""
        from ....batch.listening import work_for

        production = self._c.document.production
        wanted = [
            x for x in production.lines
            if x.slug in (slugs or ()) or (slugs is None and x.reading is None)
        ]  # fmt: skip
        if not wanted:
            raise ScriptError("Every line has been listened to already.")
        works = [work_for(production, x) for x in wanted]

        def work(told: Told) -> None:
            from ....batch.listening import listen_many

            for heard in listen_many(works, progress=told):
                told.each(heard)

        name = f"Listening to {counted(len(works), 'line')}"
        self._c.jobs.submit(name, work, lambda _: None, name=NAME, each=self._take, ended=self._end)
        self._began = {x.slug: x for x in wanted}
        self._step, self._done, self._problems, self._overtaken = None, 0, 0, 0
        self.busy_changed.emit(frozenset(self._began))

    def _take(self, heard: Heard) -> None:
        began = self._began.pop(heard.slug, None)
        now = self._c.document.kept_line(heard.slug)
        self.busy_changed.emit(frozenset(self._began))
        if began is None or now is None:
            return
        if _made_of(now) != _made_of(began) or now.reading is not began.reading:
            self._overtaken += 1  # a person's work since then comes first
            return
        self._done += 1
        self._problems += bool(heard.problem)

        def patch(line: Line | None) -> Line | None:
            from ....batch.listening import with_heard

            if (
                line is None
                or line.reading is not began.reading
                or _made_of(line) != _made_of(began)
            ):
                return line
            return with_heard(line, heard)

        key = line_key(heard.slug)
        if not self._c.document.amend(self._step, {key: patch}):
            self._step = self._c.document.change("Listen to lines", {key: patch(now)})

    def _end(self, problem: str) -> None:
        self._began = {}
        self.busy_changed.emit(frozenset())
        if problem:
            return
        said = f"{counted(self._done, 'line')} listened to"
        if self._problems:
            said += f"; {self._problems} with a problem"
        if self._overtaken:
            said += f"; {counted(self._overtaken, 'line')} changed meanwhile and left as they are"
        self._c.talk.say(said)


def _made_of(line: Line) -> tuple[object, ...]:
    return line.script, line.language, line.audio, line.channel, line.condition
