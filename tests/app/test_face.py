"""The face beside the page as a head: turned, looked at, drawn by a driver that may die."""

from __future__ import annotations

import unittest
from unittest import mock

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest

from glyphos.production.store import Store
from glyphos.stage.client import StageClient
from glyphos.stage.views import VIEWS
from tests.app.headed import Heads


class AtFirst(Heads):
    """Until a head was drawn for the first time."""

    own_window = True

    def test_a_head_takes_the_place_of_the_drawing_and_follows_the_speaker(self) -> None:
        self.assertTrue(self.face.drawn)
        self.wait(lambda: not self.face.drawn)
        self.assertGreater(self.face.head.image.width(), 200)
        self.assertEqual(self.face.head._asks[0].model, "mabel")
        self.show("03-pip-wind")
        self.wait(lambda: self.face.head._asks[0].model == "pip")

    def test_without_a_line_the_drawing_speaks_only_while_somebody_does(self) -> None:
        self.assertNotEqual(self.face.face.pose, {})  # the drawing stood in and has a pose
        self.wait(lambda: not self.face.drawn)
        Store.create(self.folder / "other.glyphos", name="Other").close()
        self.open(self.folder / "other.glyphos")
        self.assertIsNone(self.current.motion)
        self.window.show_moment()
        self.assertFalse(self.face.drawn)
        with mock.patch.object(self.context.tracking, "values", lambda: {"jaw_open": 0.5}):
            self.window.show_moment()  # somebody speaks now: their drawing does
            self.assertTrue(self.face.drawn)
        self.window.show_moment()
        self.assertFalse(self.face.drawn)


class TheFace(Heads):
    def test_it_moves_with_the_playhead(self) -> None:
        self.wait(lambda: not self.face.drawn)
        motion = self.current.motion
        frame = int(motion.channel("lips_round").argmax())
        self.transport.seek(frame / float(motion.fps))
        self.window.show_moment()
        self.assertGreater(self.face.head._asks[0].values["lips_round"], 0.5)

    def test_keys_mouse_and_wheel_turn_it_and_come_nearer(self) -> None:
        self.wait(lambda: not self.face.drawn)
        head = self.face.head
        before = head.look.camera
        QTest.keyClick(head, Qt.Key.Key_Right)
        self.assertGreater(head.look.camera.azimuth, before.azimuth)
        QTest.keyClick(head, Qt.Key.Key_Plus)
        self.assertLess(head.look.camera.near, before.near)
        self.assertIn("Turned", self.face.button.text())
        QTest.mousePress(head, Qt.MouseButton.LeftButton, pos=QPoint(100, 100))
        QTest.mouseMove(head, QPoint(160, 100))
        QTest.mouseRelease(head, Qt.MouseButton.LeftButton, pos=QPoint(160, 100))
        wheel = QWheelEvent(QPointF(50, 50), QPointF(50, 50), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        nearer = head.look.camera.near
        self.application.sendEvent(head, wheel)
        self.assertLess(head.look.camera.near, nearer)
        QTest.keyClick(head, Qt.Key.Key_0)
        self.assertEqual(head.look.camera, VIEWS["front"])

    def test_views_and_looks_are_in_the_menu_and_the_drawing_is_a_choice(self) -> None:
        self.wait(lambda: not self.face.drawn)
        self.do("face-side")
        self.assertEqual(self.face.head.look.camera, VIEWS["side"])
        self.face.actions_by_name["through"].trigger()
        self.assertTrue(self.face.head.look.through)
        self.do("face")
        self.assertTrue(self.face.drawn)
        self.assertEqual(self.context.preferring.now.face, "drawn")
        self.do("face")
        self.assertFalse(self.face.drawn)

    def test_a_finer_picture_comes_once_it_stays(self) -> None:
        self.wait(lambda: not self.face.drawn)
        self.wait(lambda: self.face.head.fine)

    def test_two_settings_stand_side_by_side(self) -> None:
        self.wait(lambda: not self.face.drawn)
        both = self.face.actions_by_name["both"]
        both.trigger()
        self.assertIn("Keep a setting as B", self.status)
        self.delivery.keep_as_b()
        self.delivery.sliders["articulation"].setValue(30)
        self.idle()
        self.transport.seek(float(self.current.motion.channel("jaw_open").argmax()) / 24)
        self.window.show_moment()
        self.wait(lambda: len(self.face.head._asks) == 2)
        mine, other = (a.values["jaw_open"] for a in self.face.head._asks)
        self.assertLess(mine, 0.6 * other)
        both.trigger()
        self.window.show_moment()
        self.assertEqual(len(self.face.head._asks), 1)
        self.show("03-pip-wind")
        self.assertIsNone(self.current.other)

    def test_without_opengl_the_drawing_stands_in_and_says_why(self) -> None:
        with mock.patch.object(StageClient, "_begun", autospec=True, side_effect=no_opengl):
            self.window.face_panel.head.refresh()
            self.show("03-pip-wind")
            self.wait(lambda: bool(self.context.staging.trouble))
        self.assertTrue(self.face.drawn)
        self.assertIn("Mesa", self.status + self.face.button.toolTip())

    def test_a_driver_that_dies_is_begun_again(self) -> None:
        self.wait(lambda: not self.face.drawn)
        client = self.context.staging._clients[0]
        client._process.kill()
        self.do("face-mouth")
        self.face.head.image = None
        self.face.head.refresh()
        self.face.head.refresh()
        self.wait(lambda: client._deaths == 1)
        self.face.head.refresh()
        self.seen()


def no_opengl(client: StageClient) -> bool:
    client.trouble = "There is no OpenGL 3.3 here; install the Mesa drivers."
    return False


if __name__ == "__main__":
    unittest.main()
