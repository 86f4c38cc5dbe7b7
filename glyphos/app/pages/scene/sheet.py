"""The score of a scene as it is seen: rows of staves, what is chosen, the playhead."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent

from ....scene.editing import Where, clip_at, there
from ...drawing.theme import Theme, scale
from ...drawing.themed import Themed
from .layout import Known, Plan, System, lay_out
from .paint import ScenePainter, Shown, sizes


class SceneSheet(Themed):
    """Shows what it is told."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.shown: Shown | None = None
        self.plan: Plan | None = None
        self.playhead = 0.0
        self.span: tuple[float, float] | None = None
        self.zoom = 1.0
        self.long: float | None = None
        self._painter = ScenePainter(theme)
        self._staves: Known = {}
        self._looks: object = None  # of lanes and clips, as they were shown last
        self._chosen: tuple[Where, ...] = ()
        self._shot: int | None = None
        self._fps = 24.0
        self._length = 0.0

    def sizeHint(self) -> QSize:
        return QSize(700, int(self.plan.height) if self.plan else 300)

    def _forget(self) -> None:
        self._painter.theme = self.theme
        self._painter.forget()
        self.update()

    # ---- what is shown ------------------------------------------------------------------------

    def show_scene(self, shown: Shown | None, length: float, fps: float) -> None:
        """Show a scene, or none."""
        self.shown, self._length, self._fps = shown, length, fps
        before, self._looks = self._looks, self._lanes(shown) if shown is not None else None
        self.reflow()
        if before != self._looks:
            self.update()

    @staticmethod
    def _lanes(shown: Shown) -> object:
        """What of lanes and clips is seen beside where they stand."""
        return [
            (x.name, x.mute, x.solo, x.lock, x.moves, [(id(shown.line(c)), id(shown.sound(c)), shown.problem(c)) for c in x.clips])
            for x in shown.scene.lanes
        ]  # fmt: skip

    def reflow(self) -> None:
        """Lay everything out again; what stands where it was is not painted anew."""
        before = self.plan
        if self.shown is None:
            self.plan = None
        else:
            size = sizes(scale())
            self.plan = lay_out(self.shown.scene, self.shown.whole, self._length, self.width(), size, zoom=self.zoom, long=self.long, known=self._staves)  # fmt: skip
            height = int(self.plan.height)
            if self.minimumHeight() != height:
                self.setMinimumHeight(height)
        self._describe()
        stale = self._stale(before, self.plan)
        if stale is None:
            self.update()
        else:
            for rect in stale:
                self.update(rect)

    def _stale(self, before: Plan | None, now: Plan | None) -> list[QRect] | None:
        """Rows that are others now; None for all of the page."""
        if before is None or now is None or before.width != now.width or len(before.systems) != len(now.systems):  # fmt: skip
            return None
        if any((a.top, a.height) != (b.top, b.height) for a, b in zip(before.systems, now.systems, strict=True)):  # fmt: skip
            return None
        return [
            QRectF(0, b.top - 6, now.width, b.height + 12).toAlignedRect()
            for a, b in zip(before.systems, now.systems, strict=True) if a != b
        ]  # fmt: skip

    def show_chosen(self, chosen: Collection[Where], shot: int | None) -> None:
        if (tuple(chosen), shot) != (self._chosen, self._shot):
            self._chosen, self._shot = tuple(chosen), shot
            self._describe()
            self.update()

    def show_span(self, span: tuple[float, float] | None) -> None:
        self.span = span
        self.update()

    def set_playhead(self, seconds: float) -> None:
        if seconds != self.playhead:
            before = self._playhead_rect()
            self.playhead = seconds
            self.update(before)
            self.update(self._playhead_rect())

    def _playhead_rect(self) -> QRect:
        if self.plan is None:
            return QRect()
        system = self.plan.systems[self.plan.system_at(self.playhead)]
        x = system.x_at(self.playhead)
        return QRectF(x - 5, system.top - 4, 10, system.height + 8).toAlignedRect()

    def rect_of(self, where: Where) -> QRectF | None:
        """Where a clip begins on the page."""
        for system in self.plan.systems if self.plan else ():
            for stave in system.staves:
                for spot in stave.spots:
                    if spot.where == where:
                        return QRectF(spot.left, stave.top, spot.right - spot.left, stave.height)
        return None

    def _describe(self) -> None:
        if self.shown is None:
            self.setAccessibleDescription("There is no scene yet")
            return
        scene = self.shown.scene  # what is chosen may be of the one that is shown next
        words = [
            f"{scene.lanes[w[0]].name} at {clip_at(scene, w).start:.2f} s"
            for w in self._chosen if there(scene, w)
        ]  # fmt: skip
        self.setAccessibleDescription(
            "Chosen: " + ", ".join(words) if words else "Nothing is chosen"
        )

    # ---- painting -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        try:
            self._paint(painter, event.rect())
        finally:  # a painter that is left open takes the window with it
            painter.end()

    def _paint(self, painter: QPainter, part: QRect) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(part, self.theme.color("page"))
        if self.plan is not None and self.shown is not None:
            size = sizes(scale())
            for system in self.plan.systems:
                if system.top - 20 < part.bottom() and system.top + system.height + 20 > part.top():  # fmt: skip
                    self._paint_span(painter, system)
                    self._painter.system(
                        painter, self.shown, self.plan, system, size, self._chosen, self._shot, self._fps, QRectF(part)
                    )  # fmt: skip
            self._paint_playhead(painter)
        if self.hasFocus():
            painter.setPen(QPen(self.theme.color("chosen"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.visibleRegion().boundingRect().adjusted(0, 0, -1, -1))

    def _paint_span(self, painter: QPainter, system: System) -> None:
        if self.span is None:
            return
        a, b = max(self.span[0], system.start), min(self.span[1], system.end)
        if b > a:
            color = self.theme.faded("doubt", 40)
            left, right = system.x_at(a), system.x_at(b)
            painter.fillRect(QRectF(left, system.top, right - left, system.height), color)

    def _paint_playhead(self, painter: QPainter) -> None:
        assert self.plan is not None
        system = self.plan.systems[self.plan.system_at(self.playhead)]
        x = system.x_at(self.playhead)
        if system.left - 1 <= x <= system.left + system.width + 1:
            painter.setPen(QPen(self.theme.color("playhead"), 1.6))
            painter.drawLine(QPointF(x, system.top), QPointF(x, system.top + system.height))

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.size().width() != event.oldSize().width():
            self.reflow()
