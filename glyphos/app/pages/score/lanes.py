"""Lanes of the score under the lips: what is held by drawings, what happens in the rest of the face."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF

from ....characters.drawings.exposures import Exposure
from ....motion.life.event import Event
from ....proof.finding import Finding
from ...drawing.exposed import Exposed
from ...drawing.lifelane import LifeLane
from .bands import MARGIN
from .sheet import NEAR, Sheet

if TYPE_CHECKING:
    from ....voice.voice import Voice


class Lanes(Sheet):
    """A sheet with lanes; knows what stands in them."""

    def show_exposed(self, exposed: Exposed | None) -> None:
        """The line in drawings, under its lips; None: the speaker is not drawn."""
        other = (exposed is None) != (self.exposed is None)
        self.exposed = exposed
        if other:
            self.reflow()
        elif exposed is not None and self.page is not None:
            for r in range(len(self.page.rows)):
                top = int(self.row_top(r) + self.bands.exposures_top)
                self.update(0, top, self.width(), int(self.bands.exposures) + 1)

    def show_voice(self, voice: Voice | None) -> None:
        """The pitch of the voice over the words, with its accents; None: not wanted."""
        if voice is self.voice:
            return
        other = (voice is None) != (self.voice is None)
        self.voice = voice
        if other:
            self.reflow()
        else:
            self.update()

    def show_life(self, life: LifeLane | None) -> None:
        """What happens in the face, under the lips; None: nothing does."""
        other = (life is None) != (self.life is None)
        self.life = life
        if other:
            self.reflow()
        else:
            self.update()

    def show_marks(self, findings: Sequence[Finding]) -> None:
        """Proof marks: signs in the margin and waves under the words."""
        if list(findings) != list(self.marks):
            self.marks = tuple(findings)
            self.update()

    def in_life(self, point: QPointF) -> bool:
        """Whether a point lies in the lane of life."""
        inside = (point.y() - MARGIN / 2) % self.bands.height
        return (
            self.life is not None
            and self.page is not None
            and 0 <= inside - self.bands.life_top < self.bands.life
        )

    def event_at(self, point: QPointF) -> Event | None:
        """What happens under a point of the lane."""
        if not self.in_life(point) or self.life is None or self.page is None:
            return None
        return self.life.near(self.page.rows[self.row_under(point)], point.x() - MARGIN)

    def mood_at(self, point: QPointF) -> tuple[int, str] | None:
        """The mood under a point of the lane, and what of it."""
        if not self.in_life(point) or self.life is None or self.page is None:
            return None
        return self.life.mood_at(self.page.rows[self.row_under(point)], point.x() - MARGIN)

    def exposure_at(self, point: QPointF) -> Exposure | None:
        """The exposure under a point of the strip."""
        if self.exposed is None or self.page is None:
            return None
        inside = (point.y() - MARGIN / 2) % self.bands.height
        if not self.bands.exposures_top <= inside < self.bands.exposures_top + self.bands.exposures:
            return None
        return self.exposed.sheet.at(self.exposed.sheet.frame_at(self.time_at(point)))

    def change_at(self, point: QPointF) -> Exposure | None:
        """The exposure that begins at the edge under a point of the strip."""
        under = self.exposure_at(point)
        if under is None or self.exposed is None or self.page is None:
            return None
        row = self.page.rows[self.row_under(point)]
        sheet = self.exposed.sheet
        number = sheet.number_at(under.first)
        for e in sheet.mouths[max(1, number) : number + 2]:
            x = MARGIN + row.x_at(e.first / sheet.fps)
            if abs(x - point.x()) <= NEAR:
                return e
        return None
