"""A window that shows a scene of two lines, for the tests of its page."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest

from glyphos.scene.documents import Scene
from glyphos.scene.editing import clip_at
from tests.app.harness import WindowCase

TWO = ("03-pip-wind", "05-mabel-hush")
NONE, SHIFT, ALT = (
    Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier,
)  # fmt: skip


class SceneCase(WindowCase):
    """A scene of two lines is shown."""

    def setUp(self) -> None:
        super().setUp()
        self.scenery = self.context.scenery
        self.window.show_page("scene")
        self.scene_page = self.window.pages["scene"]
        self.hands, self.score = self.scene_page.desk, self.scene_page.paper
        self.selection.choose(TWO)
        self.window.commands.do("scene-new")
        self.ready()

    def ready(self) -> None:
        self.idle()
        self.wait(lambda: self.scenery.settled)
        self.idle()

    @property
    def scene(self) -> Scene:
        found = self.scenery.scene
        assert found is not None
        return found

    def start(self, lane: int, clip: int = 0) -> float:
        return clip_at(self.scene, (lane, clip)).start

    def place(self, where: tuple[int, int], at: float = 0.5) -> QPoint:
        rect = self.score.rect_of(where)
        assert rect is not None
        return QPoint(round(rect.left() + at * rect.width()), round(rect.center().y()))

    def drag(
        self, start: QPoint, end: QPoint, mod: Qt.KeyboardModifier = NONE, *, drop: bool = True
    ) -> None:
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(self.score, left, NONE, start)
        for k in (1, 2, 3):
            point = start + (end - start) * k / 3
            event_at = self.score.mapToGlobal(point)
            self.application.sendEvent(
                self.score, QMouseEvent(QEvent.Type.MouseMove, QPointF(point), QPointF(event_at), left, left, mod)
            )  # fmt: skip
        if drop:
            QTest.mouseRelease(self.score, left, mod, end)
