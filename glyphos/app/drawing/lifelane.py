"""The lane of life in the score: what happens in the face and what it feels, where it does."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen, QPolygonF

from ...motion.life.event import Event
from ...motion.mood import MoodSpan
from .exposed import Timed
from .theme import Theme

# Strokes of each part, in a box of 1 by 1 from its middle; y points down
SIGNS = {
    "blinks": ((-0.5, 0.1), (0.0, 0.3), (0.5, 0.1)), "gaze": ((-0.5, 0.0), (0.5, 0.0), (0.2, -0.3), (0.5, 0.0), (0.2, 0.3)),
    "brows": ((-0.5, 0.2), (0.0, -0.3), (0.5, 0.2)), "head": ((0.0, -0.5), (0.0, 0.4), (-0.3, 0.1), (0.0, 0.4), (0.3, 0.1)),
    "face": ((-0.5, 0.1), (-0.2, -0.2), (0.2, 0.2), (0.5, -0.1)),
}  # fmt: skip
SIZE = 9.0  # pixels of a sign
NEAR = 6.0  # pixels within which an event is meant


class Suggested(Protocol):
    """A mood that is offered."""

    @property
    def mood(self) -> str: ...

    @property
    def start(self) -> float: ...

    @property
    def end(self) -> float: ...


class LifeLane:
    """Events and moods of a line; `offset` and `speed` take them from the recording to the face."""

    def __init__(
        self, events: Sequence[Event], moods: Sequence[MoodSpan], offset: float = 0.0, speed: float = 1.0,
        offers: Sequence[Suggested] = (),
    ) -> None:  # fmt: skip
        self.events = [e for e in events if e.kind != "with gaze"]
        self.moods = list(moods)
        self.offers = list(offers)
        self._offset, self._speed = offset, speed

    def __bool__(self) -> bool:
        return bool(self.events or self.moods or self.offers)

    def time(self, heard: float) -> float:
        return self._offset + heard / self._speed

    def heard(self, seconds: float) -> float:
        """The time of the recording that is seen at a time of the face."""
        return (seconds - self._offset) * self._speed

    def near(self, row: Timed, x: float) -> Event | None:
        """The event at a place of a row, the nearest of several."""
        there = [
            (abs(row.x_at(self.time(e.peak)) - x), k) for k, e in enumerate(self.events)
            if row.start <= self.time(e.peak) <= row.end
        ]  # fmt: skip
        found = min(there, default=None)
        return self.events[found[1]] if found is not None and found[0] <= NEAR else None

    def mood_at(self, row: Timed, x: float) -> tuple[int, str] | None:
        """The mood at a place of a row, and what of it: its "start", its "end" or "all"."""
        found = None
        for k, span in enumerate(self.moods):
            start, end = self.time(span.start), self.time(span.end)
            for side, at in (("start", start), ("end", end)):
                if row.start <= at <= row.end and abs(row.x_at(at) - x) <= NEAR:
                    return k, side
            if end > row.start and start < row.end:
                if row.x_at(max(start, row.start)) <= x <= row.x_at(min(end, row.end)):
                    found = k, "all"
        return found

    def paint(
        self, painter: QPainter, row: Timed, height: float, font: QFont, theme: Theme, dirty: QRect
    ) -> None:  # fmt: skip
        """The lane of a row from its own left and top."""
        painter.setFont(font)
        peaks = ((self.time(e.peak), e.part) for e in self.events)
        shown = [(row.x_at(at), part) for at, part in peaks if row.start <= at <= row.end]
        signs = [x for x, _ in shown]
        for span in self.moods:
            start, end = self.time(span.start), self.time(span.end)
            if end <= row.start or start >= row.end:
                continue
            left, right = row.x_at(max(start, row.start)), row.x_at(min(end, row.end))
            box = QRectF(left, 1, max(4.0, right - left), height - 2)
            painter.fillRect(box, theme.faded("chosen", round(30 + 60 * span.strength)))
            painter.setPen(theme.color("ink"))
            free = free_place(
                left + 4, right, painter.fontMetrics().horizontalAdvance(span.mood), signs
            )
            painter.drawText(
                box.adjusted(free - left, 0, 0, 0),
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
                span.mood,
            )
        for offer in self.offers:  # dashed until it is taken
            start, end = self.time(offer.start), self.time(offer.end)
            if end > row.start and start < row.end:
                left, right = row.x_at(max(start, row.start)), row.x_at(min(end, row.end))
                box = QRectF(left, 1, max(4.0, right - left), height - 2)
                painter.setPen(QPen(theme.color("chosen"), 1, Qt.PenStyle.DashLine))
                painter.drawRect(box)
                painter.drawText(
                    box.adjusted(0, 0, -4, 0),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    f"{offer.mood}?",
                )
        painter.setPen(QPen(theme.color("ink"), 1.3))
        for x, part in shown:
            if dirty.left() - 10 <= x <= dirty.right() + 10:
                points = [QPointF(x + SIZE * a, height / 2 + SIZE * b) for a, b in SIGNS[part]]
                painter.drawPolyline(QPolygonF(points))


def free_place(left: float, right: float, width: float, signs: Sequence[float]) -> float:
    """Where a name may begin so that no sign stands on it; at the left where there is no such place."""
    x = left
    for sign in sorted(signs):
        if sign - SIZE < x + width and sign + SIZE > x:
            x = sign + SIZE
    return x if x + width <= right else left
