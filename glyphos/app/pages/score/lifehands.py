"""The lane of life under the hand: what a drag or a menu in it means."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu

from ....motion.life.event import Event
from ...model.context import Context
from .feelings import Feelings
from .hands import ScorePaper
from .happening import Happenings

Popup = Callable[[QPoint, Callable[[QMenu], None]], None]


class LifeHands:
    """Takes what the paper tells to events and moods."""

    def __init__(self, context: Context, paper: ScorePaper, popup: Popup) -> None:
        self._c, self._popup = context, popup
        self.happenings, self.feelings = Happenings(context), Feelings(context)
        paper.event_dragged.connect(
            lambda e, to: context.talk.try_to(lambda: self.happenings.move(e, to))
        )
        paper.mood_dragged.connect(self._drag)
        paper.life_menu_wanted.connect(
            lambda at, under, s: self._popup(at, lambda menu: self.fill_menu(menu, *under, s))
        )

    def _drag(self, number: int, side: str, by: float, done: bool) -> None:
        act = self.feelings.move if done else self.feelings.drag
        self._c.talk.try_to(lambda: act(number, side, by))

    def fill_menu(
        self, menu: QMenu, event: Event | None, mood: tuple[int, str] | None, seconds: float
    ) -> None:
        """What can be done with an event, a mood, or at a time of the recording."""
        self.feelings.fill_menu(menu, mood[0] if mood is not None else None)
        line = self._c.current.line
        if mood is None or (line is not None and line.life is not None):
            self.happenings.fill_menu(menu, event, seconds)
