"""The Scene page: clips are placed, moved, trimmed and told."""

from __future__ import annotations

import unittest
from unittest import mock

from PySide6.QtCore import QByteArray, QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest

from glyphos.production.kinds import scene_key
from glyphos.production.production import Production
from glyphos.scene.editing import clip_at, end_of, places
from tests.app.scened import ALT, NONE, SHIFT, SceneCase


class Placing(SceneCase):
    def test_a_scene_of_the_selected_lines_is_kept_and_read_as_a_play(self) -> None:
        self.assertEqual([x.name for x in self.scene.lanes], ["Pip", "Mabel"])
        script = self.scene_page.script
        self.assertEqual(
            [script.item(k).data(Qt.ItemDataRole.UserRole).speaker for k in (0, 1)],
            ["Pip", "Mabel"],
        )
        self.assertIn(
            "Probably the wind, Osric.", script.item(0).data(Qt.ItemDataRole.AccessibleTextRole)
        )
        self.assertEqual(self.document.flush(), "")
        self.assertIn(self.scene, Production.open(self.production).scenes)
        self.window.commands.do("undo")
        self.assertIsNone(self.scenery.scene)
        self.window.commands.do("redo")
        self.assertEqual(self.scene.name, "Scene")
        self.assertEqual(len(self.scene.lanes), 2)

    def test_lines_that_come_in_while_another_page_is_shown_are_chosen_there(self) -> None:
        self.window.show_page("score")
        self.selection.choose(("01-mabel-beam",))
        with mock.patch("sys.excepthook") as raised:
            self.window.commands.do("scene-add")
            self.window.show_page("scene")
            self.ready()
            self.assertIn("Chosen: Mabel", self.score.accessibleDescription())
            self.window.show_page("score")
            self.window.commands.do("undo")
            self.window.show_page("scene")
            self.ready()
        raised.assert_not_called()
        self.assertNotIn("Chosen", self.score.accessibleDescription())

    def test_a_clip_is_dragged_by_hand_and_dropped_as_one_step(self) -> None:
        before, steps = self.start(1), len(self.document.history.done)
        at = self.place((1, 0))
        self.drag(at, at + QPoint(40, 0), drop=False)
        self.assertEqual(
            self.document.production.values[scene_key("scene")].lanes[1].clips[0].start, before
        )
        self.assertGreater(self.start(1), before + 0.2)  # shown, not kept
        self.window.commands.do("none")
        self.assertEqual(self.start(1), before)
        QTest.mouseRelease(self.score, Qt.MouseButton.LeftButton, NONE, at)
        self.drag(at, at + QPoint(40, 0), ALT)
        plan = self.score.plan
        assert plan is not None
        self.assertAlmostEqual(self.start(1) - before, 40 / plan.per_second, delta=0.02)
        self.assertEqual(len(self.document.history.done), steps + 1)
        self.window.commands.do("undo")
        self.assertEqual(self.start(1), before)

    def test_dropped_near_an_edge_it_snaps_and_else_stands_on_a_frame(self) -> None:
        end = end_of(clip_at(self.scene, (0, 0)), self.scenery.whole)
        at, plan = self.place((1, 0)), self.score.plan
        assert plan is not None
        way = (end - self.start(1)) * plan.per_second + 5
        self.drag(at, at + QPoint(round(way), 0))
        self.assertAlmostEqual(self.start(1), end, places=5)
        self.drag(self.place((1, 0)), self.place((1, 0)) + QPoint(60, 0))
        self.assertAlmostEqual(self.start(1) * 24, round(self.start(1) * 24), places=3)

    def test_to_another_row(self) -> None:
        self.window.resize(700, 800)
        self.application.processEvents()
        plan = self.score.plan
        assert plan is not None and len(plan.systems) > 1
        rect, row = self.score.rect_of((0, 0)), plan.systems[1]
        assert rect is not None
        at = self.place((0, 0))
        self.drag(at, QPoint(at.x(), round(row.top + row.height / 2)), ALT)
        self.assertGreater(self.start(0), row.start - 1)

    def test_ends_are_trimmed_and_come_back(self) -> None:
        rect = self.score.rect_of((0, 0))
        assert rect is not None
        at = QPoint(round(rect.right() - 2), round(rect.center().y()))
        self.drag(at, at - QPoint(30, 0), ALT)
        clip = clip_at(self.scene, (0, 0))
        self.assertGreater(clip.length, 0)
        self.ready()
        self.assertIsNotNone(self.scenery.film)
        self.hands.choose((0, 0))
        self.window.commands.do("scene-untrim")
        self.assertEqual(clip_at(self.scene, (0, 0)).length, 0)
        self.transport.seek(1.0)
        self.window.commands.do("scene-trim-start")
        self.assertAlmostEqual(clip_at(self.scene, (0, 0)).start, 1.0)
        clip = clip_at(self.scene, (0, 0))
        reading = self.document.line(clip.line).reading
        wind = next(w for w in reading.words() if w.text == "wind")
        self.transport.seek(clip.start - clip.cut + wind.start - 0.01)
        self.window.commands.do("scene-split")
        self.assertEqual(len(self.scene.lanes[0].clips), 2)
        script = self.scene_page.script
        read = [script.item(k).data(Qt.ItemDataRole.UserRole).text for k in range(script.count())]
        self.assertEqual(read, ["the", "wind Osric", "Hush. Look up."])  # what each still says

    def test_everything_by_keys(self) -> None:
        self.score.setFocus()
        QTest.keyClick(self.score, Qt.Key.Key_Down)
        self.assertEqual(self.hands.chosen, (places(self.scene)[0],))
        QTest.keyClick(self.score, Qt.Key.Key_Down)
        self.assertEqual(self.hands.chosen, ((1, 0),))
        before = self.start(1)
        QTest.keyClick(self.score, Qt.Key.Key_Right)
        QTest.keyClick(self.score, Qt.Key.Key_Right, SHIFT)
        self.assertAlmostEqual(self.start(1) - before, 11 / 24, places=4)
        self.window.commands.do("undo")  # nudges of a moment are one step
        self.assertEqual(self.start(1), before)
        for key, what in ((Qt.Key.Key_M, "mute"), (Qt.Key.Key_S, "solo"), (Qt.Key.Key_K, "lock")):
            QTest.keyClick(self.window, key)
            self.assertTrue(getattr(self.scene.lanes[1], what), what)
        QTest.keyClick(self.window, Qt.Key.Key_Delete)
        self.assertIn("Mabel is locked", self.status)
        QTest.keyClick(self.window, Qt.Key.Key_K)
        QTest.keyClick(self.window, Qt.Key.Key_R)
        self.assertTrue(self.scene_page.ripple_button.isChecked())
        QTest.keyClick(self.window, Qt.Key.Key_Delete)
        self.assertEqual(len(self.scene.lanes), 1, self.status)

    def test_the_script_is_put_in_another_order_with_its_gaps(self) -> None:
        first, second = (clip_at(self.scene, w) for w in places(self.scene))
        gap = second.start - end_of(first, self.scenery.whole)
        self.hands.choose((1, 0))
        self.window.commands.do("scene-earlier")
        order = places(self.scene)
        self.assertEqual(order, [(1, 0), (0, 0)])
        mabel, pip = (clip_at(self.scene, w) for w in order)
        self.assertAlmostEqual(pip.start - end_of(mabel, self.scenery.whole), gap, places=5)
        self.assertEqual(self.scene_page.script.order(), order)

    def test_lines_are_dropped_from_the_list(self) -> None:
        self.window.commands.do("scene-lines")
        self.assertTrue(self.window.lines.isVisible())
        model = self.window.lines.lines
        row = model.row("04-osric-boots")
        data = model.mimeData([model.index(row)])
        point = QPointF(self.score.width() - 40, 40)
        self.score.dropEvent(
            QDropEvent(point, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE)
        )
        self.assertEqual([x.name for x in self.scene.lanes], ["Pip", "Mabel", "Osric"], self.status)
        self.assertAlmostEqual(self.start(2), self.score.time_at(point), delta=1.0)
        self.assertEqual(len(self.scene.places), 3)
        row = model.row("02-osric-door")  # not listened to: its voice is heard, and that is told
        later = QPointF(self.score.width() - 40, self.score.plan.systems[-1].top + 30)  # type: ignore[union-attr]
        voice = model.mimeData([model.index(row)])
        self.score.dropEvent(
            QDropEvent(later, Qt.DropAction.CopyAction, voice, Qt.MouseButton.LeftButton, NONE)
        )
        self.assertEqual(len(self.scene.lanes[2].clips), 2)
        self.ready()
        self.assertGreater(len(self.scenery.film.parts()), 3)  # type: ignore[union-attr]
        foreign = QMimeData()
        foreign.setData("application/x-glyphos-lines", QByteArray(b"no-such-line"))
        self.score.dropEvent(
            QDropEvent(point, Qt.DropAction.CopyAction, foreign, Qt.MouseButton.LeftButton, NONE)
        )
        self.assertIn("Choose lines", self.status)

    def test_what_no_scene_can_be_is_said_and_it_stays_as_it_is(self) -> None:
        self.hands.choose((1, 0))
        before = self.scene
        self.talk.try_to(lambda: self.hands.put_at(7 * 3600.0))
        self.assertIn("A scene lasts 6 hours at most", self.status)
        self.talk.try_to(lambda: self.hands.lane(0, gain=400.0))
        self.assertIn("The scene stays as it is: the lane Pip is 400 dB louder.", self.status)
        self.assertEqual(self.scene, before)
        self.assertEqual(self.document.flush(), "")

    def test_numbers_of_what_is_chosen(self) -> None:
        self.hands.choose((1, 0))
        chosen = self.scene_page.chosen
        chosen.start.setValue(4.25)
        self.assertEqual(self.start(1), 4.25)
        chosen.gain.setValue(-6)
        chosen.fade_in.setValue(0.25)
        clip = clip_at(self.scene, (1, 0))
        self.assertEqual((clip.gain, clip.fade_in), (-6, 0.25))
        self.assertIn("Pip", chosen.pause.text())
        chosen.looks.setCurrentIndex(1)
        chosen.looks.activated.emit(1)
        self.assertEqual(self.scene.place("Mabel").looks, "camera")
        self.hands.choose(None)
        chosen.beats.setValue(120)
        self.assertEqual(self.scene.tempo.beats, 120)


if __name__ == "__main__":
    unittest.main()
