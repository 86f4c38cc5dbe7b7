"""Moods under the hand: a span is moved or stretched in its lane, or taken away. Every method is one named
step."""

from __future__ import annotations

from functools import partial

import msgspec
from PySide6.QtWidgets import QMenu

from ....errors import EditError
from ....motion.mood import MoodSpan, moods
from ....production.documents import Line
from ....production.kinds import line_key
from ...model.context import Context

SHORTEST = 0.1  # seconds of a mood


class Feelings:
    """Changes the moods of the shown line."""

    def __init__(self, context: Context) -> None:
        self._c = context

    def need(self, number: int) -> tuple[Line, MoodSpan]:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None or not 0 <= number < len(line.moods):
            raise EditError("Choose a mood in its lane first.")
        return line, line.moods[number]

    def _moved(self, number: int, side: str, by: float) -> Line:
        line, span = self.need(number)
        start, end = span.start, span.end
        if side == "start":
            start = min(max(start + by, 0.0), end - SHORTEST)
        elif side == "end":
            end = max(end + by, start + SHORTEST)
        else:
            by = max(by, -start)
            start, end = start + by, end + by
        made = msgspec.structs.replace(span, start=round(start, 3), end=round(end, 3))
        return _with(line, number, made)

    def drag(self, number: int, side: str, by: float) -> None:
        """Show a mood with its start, its end or all of it elsewhere while it is dragged."""
        made = self._moved(number, side, by)
        self._c.document.preview(line_key(made.slug), made)

    def move(self, number: int, side: str, by: float) -> None:
        """A mood begins, ends or lies elsewhere."""
        made = self._moved(number, side, by)
        verb = {"start": "Begin", "end": "End"}.get(side, "Move")
        self._c.document.change(f"{verb} {made.moods[number].mood}", {line_key(made.slug): made})

    def take_away(self, number: int) -> None:
        line, span = self.need(number)
        made = msgspec.structs.replace(
            line, moods=(*line.moods[:number], *line.moods[number + 1 :])
        )
        self._c.document.change(f"No {span.mood}", {line_key(line.slug): made})

    def another(self, number: int, mood: str) -> None:
        """Another mood in its place."""
        line, span = self.need(number)
        made = _with(line, number, msgspec.structs.replace(span, mood=mood))
        self._c.document.change(f"Feel {mood}", {line_key(line.slug): made})

    def fill_menu(self, menu: QMenu, number: int | None) -> None:
        """What can be done with a mood."""
        if number is None:
            return
        _, span = self.need(number)
        try_to = self._c.talk.try_to
        menu.addAction(f"No {span.mood} here", partial(try_to, partial(self.take_away, number)))
        others = QMenu(f"Instead of {span.mood}", menu)
        menu.addMenu(others)
        for mood in moods():
            if mood != span.mood:
                others.addAction(mood, partial(try_to, partial(self.another, number, mood)))
        menu.addSeparator()


def _with(line: Line, number: int, span: MoodSpan) -> Line:
    return msgspec.structs.replace(
        line, moods=(*line.moods[:number], span, *line.moods[number + 1 :])
    )
