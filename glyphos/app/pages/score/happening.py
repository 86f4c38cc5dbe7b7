"""Correcting life by hand: an event is taken away, moved, added where the playhead stands. Every method
is one named step."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from PySide6.QtWidgets import QMenu

from ....errors import EditError
from ....motion.life.event import Event
from ....motion.life.hands import USUAL, Happening, placed, taken
from ....production.documents import Line
from ....production.kinds import line_key
from ....speech.anchors import time_of
from ...model.context import Context
from ...page import Command

PAGE = "score"
REACH = 0.5  # seconds from the playhead within which an event is meant
SAME = 0.02  # seconds within which an event by hand is the one that is shown


class Happenings:
    """Changes what happens in the face of the shown line."""

    def __init__(self, context: Context) -> None:
        self._c = context

    def need(self) -> Line:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None or line.reading is None or line.life is None:
            raise EditError("The face of this line has no life yet; switch it on first (U).")
        return line

    def heard(self) -> float:
        """Where the playhead is, in the recording."""
        return self._c.current.delivery.heard(self._c.transport.position())

    def _take(self, name: str, line: Line, happenings: tuple[Happening, ...]) -> None:
        made = msgspec.structs.replace(line, happenings=happenings)
        self._c.document.change(name, {line_key(line.slug): made})

    def add(self, kind: str, seconds: float | None = None) -> None:
        """Another event, at the playhead or a time of the recording."""
        line = self.need()
        assert line.reading is not None
        event, at = USUAL[kind], self.heard() if seconds is None else seconds
        self._take(f"Add {kind}", line, (*line.happenings, placed(line.reading, event, at)))

    def nearest(self) -> Event:
        """The event at the playhead."""
        at = self.heard()
        near = [
            e
            for e in self._c.living.events
            if abs(e.peak - at) < REACH and e.kind not in ("with gaze", "back")
        ]
        if not near:
            raise EditError("Nothing happens in the face where the playhead is.")
        return min(near, key=lambda e: abs(e.peak - at))

    def take_away(self, event: Event | None = None) -> None:
        """No such event here."""
        line = self.need()
        event = event or self.nearest()
        self._take("Take an event away", line, self._without(line, event))

    def move(self, event: Event, to: float) -> None:
        """The event at another time of the recording."""
        line = self.need()
        assert line.reading is not None
        if event.part == "gaze":  # a glance goes with its way back
            back = next(
                (e for e in self._c.living.events if e.kind == "back" and e.peak > event.peak), None
            )
            end = back.start if back is not None else event.peak + 0.8
            event = Event(
                "gaze", "away", event.start, event.start, end, event.size, event.reason, event.more
            )
        own = placed(line.reading, event, to)
        self._take("Move an event", line, (*self._without(line, event), own))

    def _without(self, line: Line, event: Event) -> tuple[Happening, ...]:
        """What was done by hand so far, and that this event is not to be."""
        assert line.reading is not None
        reading = line.reading
        own = [
            h for h in line.happenings
            if not h.taken and h.part == event.part and abs(time_of(h.at, reading) - event.peak) < SAME
        ]  # fmt: skip
        if own:
            return tuple(h for h in line.happenings if h not in own)
        return (*line.happenings, taken(reading, event))

    def let_all_go(self) -> None:
        """Life as it is drawn, with nothing by hand."""
        line = self.need()
        if not line.happenings:
            raise EditError("Nothing of this life was changed by hand.")
        self._take("Life as it is drawn", line, ())

    # ---- hands --------------------------------------------------------------------------------

    def commands(self) -> list[Command]:
        def command(name: str, text: str, run: Callable[[], object]) -> Command:
            return Command(name, text, "Life", run, "", PAGE)

        return [
            *(command(f"add-{k.replace(' ', '-')}", f"Add a {k}" if k not in ("brows up", "brows down") else f"Add {k}", partial(self.add, k)) for k in USUAL),
            command("event-away", "Take the event at the playhead away", self.take_away),
            command("life-as-drawn", "Life as it is drawn, nothing by hand", self.let_all_go),
        ]  # fmt: skip

    def fill_menu(self, menu: QMenu, event: Event | None, seconds: float) -> None:
        """What can be done with an event, or at a time of the recording."""
        try_to = self._c.talk.try_to
        if event is not None:
            menu.addAction(
                f"Take away ({event.reason})", partial(try_to, partial(self.take_away, event))
            )
            menu.addSeparator()
        for kind in USUAL:
            menu.addAction(f"Add: {kind}", partial(try_to, partial(self.add, kind, seconds)))
        menu.addSeparator()
        menu.addAction("As it is drawn", partial(try_to, self.let_all_go))
