"""Keys on curves in the real window, exact numbers, and what becomes of them with other sounds."""

from __future__ import annotations

from unittest import mock

import msgspec
import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from glyphos.motion.touch.keys import times_of
from glyphos.speech import edits
from glyphos.speech.parts import Edge
from tests.app.curved import CORNER, Curves


class Keys(Curves):
    def setUp(self) -> None:
        super().setUp()
        self.feel()
        self.hand.pull(self.middle(), 0.2)

    def test_a_key_is_dragged_chosen_and_deleted(self) -> None:
        at = float(times_of(self.touch, self.reading)[1])
        QTest.mouseClick(self.paper_, Qt.MouseButton.LeftButton, pos=self.point(at))
        self.assertEqual(self.hand.chosen, (0, 1))
        frame = round(at * 24)
        own = self.values()[frame]
        value = self.paper_.shown.value_at(CORNER, at)
        self.drag(self.point(at), self.point(at, value + 0.1))
        self.assertAlmostEqual(self.values()[frame] - own, 0.1, delta=0.02)
        self.assertTrue(self.names()[-1].startswith("Move a key of"))
        self.do("curve-delete")
        self.assertEqual(self.line.touches, ())  # a pull without its key is nothing
        self.assertIsNone(self.hand.chosen)
        self.do("curve-delete")
        self.assertIn("Choose a key", self.status)

    def test_a_double_click_sets_a_key(self) -> None:
        at = float(times_of(self.touch, self.reading)[1]) + 0.04
        self.double_click(self.paper_, self.point(at, 0.8))
        self.assertEqual(len(self.touch.keys), 4)
        self.assertAlmostEqual(self.paper_.shown.value_at(CORNER, at), 0.8, delta=0.12)
        other = self.hand.on_frame(self.middle(self.k - 2))
        self.assertGreater(self.paper_.shown.value_at(CORNER, other), 0.2)
        self.double_click(self.paper_, self.point(other, 0.0))
        self.assertAlmostEqual(self.paper_.shown.value_at(CORNER, other), 0.0, delta=0.05)
        self.do("undo")
        self.transport.seek(self.middle(self.k - 2))
        self.do("curve-key")
        self.assertEqual(len(self.line.touches), 2)

    def test_handles_of_the_chosen_key_are_turned_and_let_go(self) -> None:
        self.hand.choose((0, 1))
        grips = self.paper_.painter().grips()
        self.assertEqual([h.side for h, _ in grips], ["into", "out"])
        own = self.values().copy()
        start = grips[1][1].toPoint()
        at = float(times_of(self.touch, self.reading)[1])
        self.assertAlmostEqual(grips[1][0].rise, 0.0)  # the top of a pull is flat
        self.drag(start, start - QPoint(0, 25))
        key = self.touch.keys[1]
        self.assertGreater(key.out, 0.1)
        self.assertAlmostEqual(key.into / key.out, grips[0][0].gap / grips[1][0].gap, places=3)
        self.assertTrue(self.names()[-1].startswith("Turn a key of"))
        frame = round(at * 24)
        self.assertGreater(self.values()[frame + 1], own[frame + 1])
        end = self.paper_.painter().grips()[1][1].toPoint()
        QTest.mousePress(
            self.paper_, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, end
        )
        for k in (1, 2):
            QTest.mouseMove(self.paper_, end + QPoint(0, 20 * k))
        QTest.mouseRelease(self.paper_, Qt.MouseButton.LeftButton, pos=end + QPoint(0, 40))
        self.assertNotAlmostEqual(self.touch.keys[1].out, key.out, places=2)
        self.assertAlmostEqual(self.touch.keys[1].into, key.into)  # one side alone
        end = self.paper_.painter().grips()[1][1].toPoint()
        self.double_click(self.paper_, end)
        self.assertEqual((self.touch.keys[1].into, self.touch.keys[1].out), (None, None))

    def test_exact_numbers(self) -> None:
        numbers = self.curves.numbers
        self.assertEqual(numbers.list.count(), 3)
        numbers.list.setCurrentRow(1)
        self.assertEqual(self.hand.chosen, (0, 1))
        numbers.value.setValue(0.35)
        self.assertAlmostEqual(self.touch.keys[1].value, 0.35)
        at = float(times_of(self.touch, self.reading)[1]) + 0.02
        numbers.at.setValue(at)
        self.assertAlmostEqual(float(times_of(self.touch, self.reading)[1]), at, delta=0.002)
        numbers.way.setCurrentIndex(2)
        numbers.way.activated.emit(2)
        self.assertEqual(self.touch.keys[1].way, "hold")
        self.hand.turn(0.1, -0.2)
        self.assertEqual((self.touch.keys[1].into, self.touch.keys[1].out), (0.1, -0.2))

    def test_another_mode_leaves_the_curve_where_its_keys_are(self) -> None:
        frames = [round(t * 24) for t in times_of(self.touch, self.reading)]
        own = self.values()[frames[1]]
        for mode in ("replace", "scale", "add"):
            self.hand.choose((0, 1))
            self.hand.set_mode(mode)
            self.assertEqual(self.touch.mode, mode)
            self.assertAlmostEqual(self.values()[frames[1]], own, delta=0.01, msg=mode)

    def test_free_and_cleared(self) -> None:
        self.hand.choose((0, 1))
        self.curves.numbers.free.click()
        self.assertTrue(self.touch.free)
        self.do("curve-clear")
        self.assertEqual(self.line.touches, ())
        self.do("curve-clear")
        self.assertIn("Nothing was done", self.status)

    def test_the_menu_on_a_key(self) -> None:
        self.hand.choose((0, 1))
        menu = QMenu()
        self.curves.fill_menu(menu, self.middle())
        self.assertIn("Delete the key", [a.text() for a in menu.actions()])


class Carried(Curves):
    def test_a_corrected_edge_takes_touch_ups_and_moods_along(self) -> None:
        self.feel()
        self.hand.pull(self.middle(), 0.3)
        peak = int(np.argmax(self.values() - self.living.composed.before[CORNER]))
        reading = self.reading
        edge = Edge(self.flat.first[self.k])
        moved = edits.move_edge(reading, edge, self.word()[0] + 0.06)
        with mock.patch.object(self.page.desk.finder, "find"):
            self.page.desk.edit("Move", moved)
        self.idle()
        self.assertEqual(self.line.aside, ())
        later = int(np.argmax(self.values() - self.living.composed.before[CORNER]))
        self.assertGreaterEqual(later, peak)
        a, b = self.word()
        self.assertTrue(a - 0.05 <= later / 24 <= b + 0.05)

    def test_what_cannot_be_carried_is_said_and_can_be_placed_again(self) -> None:
        self.hand.pull(self.middle(), 0.3)
        own = self.words()[self.k]
        phrases = [
            msgspec.structs.replace(p, words=tuple(w for w in p.words if w is not own))
            for p in self.reading.phrases
        ]
        fewer = msgspec.structs.replace(self.reading, phrases=tuple(phrases))
        with mock.patch.object(self.page.desk.finder, "find"):
            self.page.desk.edit("Take a word out", fewer)
        self.idle()
        self.assertEqual(self.line.touches, ())
        self.do("page-score")
        offer = self.talk.offers["aside"]
        self.assertIn("could not be carried along", offer.text)
        offer.run()
        self.assertTrue(self.curves.numbers.isVisible())
        numbers = self.curves.numbers
        self.assertFalse(numbers.aside.isHidden())
        self.assertEqual(self.ambiguous(), set())
        self.assertIn(own.text, numbers.aside.item(0).text())
        self.transport.seek((own.start + own.end) / 2)
        numbers.again.click()
        self.assertEqual((len(self.line.touches), self.line.aside), (1, ()))
        self.do("undo")
        numbers.drop.click()
        self.assertEqual((self.line.touches, self.line.aside), ((), ()))
        self.assertTrue(numbers.aside.isHidden())
        self.assertNotIn("aside", self.talk.offers)
