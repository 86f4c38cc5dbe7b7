"""The rest of the face in the window: life and moods of a line, seen, taken back, handed over."""

from __future__ import annotations

import unittest

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from glyphos.app.pages.score.bands import MARGIN
from glyphos.motion.mood import MoodSpan
from glyphos.production.production import Production
from glyphos.speech.parts import Part
from tests.app.lived import Living
from tests.faults import late


class Life(Living):
    def test_it_is_given_drawn_again_and_taken_away(self) -> None:
        self.assertIs(self.living.motion, self.current.motion)
        self.give()
        self.assertEqual(self.names()[-1], "Give life")
        events, blink = self.living.events, self.channel("blink_left").copy()
        self.assertGreater(blink.max(), 0.4)
        self.do("another-life")
        self.made()
        self.assertNotEqual(self.living.events, events)
        self.document.undo()
        self.made()
        np.testing.assert_array_equal(self.channel("blink_left"), blink)
        self.do("life")
        self.made()
        self.assertIs(self.living.motion, self.current.motion)
        self.assertEqual(self.paper.bands.life, 0)

    def test_it_stays_as_it_is_where_nothing_of_it_changes(self) -> None:
        self.give()
        made = self.living.composed
        self.document.change("Name production", self.document.production.headed(name="Another"))
        self.assertTrue(self.living.settled)
        self.living.refresh()
        self.made()
        self.assertIs(self.living.composed, made)

    def test_the_face_shows_it_at_the_playhead(self) -> None:
        self.give()
        blink = next(e for e in self.living.events if e.kind == "full")
        frame = round(blink.peak * 24)
        self.transport.seek(frame / 24)
        self.window.show_moment()
        self.assertGreater(self.window.face_panel.face.pose["blink_left"], 0.8)
        speech = self.current.motion.at(frame / 24)
        self.assertAlmostEqual(
            self.window.face_panel.face.pose["jaw_open"], speech["jaw_open"], delta=0.1
        )

    def test_strengths_and_the_switch_of_the_head(self) -> None:
        self.give()
        turned = np.abs(self.channel("head_yaw")).max()
        self.panel.sliders["head"].setValue(50)
        self.made()
        self.assertLess(np.abs(self.channel("head_yaw")).max(), turned)
        self.panel.head_on.click()
        self.made()
        self.assertEqual(np.abs(self.channel("head_yaw")).max(), 0)
        self.panel.sliders["blinks"].setValue(0)
        self.made()
        self.assertFalse([e for e in self.living.events if e.part == "blinks"])
        self.assertEqual(self.names().count("Adjust life"), 1)

    def test_the_lane_says_why(self) -> None:
        self.give()
        self.assertGreater(self.paper.bands.life, 10)
        event = next(e for e in self.living.events if e.part == "brows")
        row = self.paper.page.row_at(event.peak)
        x = 26 + self.paper.page.rows[row].x_at(event.peak)
        y = self.paper.row_top(row) + self.paper.bands.life_top + 4
        self.assertIn(self.paper.event_at(QPointF(x, y)).part, ("brows", "head"))
        self.assertIsNone(self.paper.event_at(QPointF(x, self.paper.row_top(row) + 4)))

    def test_an_edge_that_is_moved_takes_life_along(self) -> None:
        self.give()
        before = self.living.motion
        self.selection.select(Part("word", 3))
        self.do("end-later")
        self.made()
        self.assertIsNot(self.living.motion, before)
        self.assertIsNot(self.living.motion, self.current.motion)

    def test_another_line_gets_nothing_of_it(self) -> None:
        self.give()
        self.show("03-pip-wind")
        self.made()
        self.assertEqual(self.living.events, ())
        self.assertIs(self.living.motion, self.current.motion)
        self.show("02-osric-door")
        self.panel.on.click()
        self.assertIsNone(self.line.life)

    def test_another_line_gets_nothing_of_it_while_it_is_being_made(self) -> None:
        first = self.selection.slug
        self.show("03-pip-wind")
        self.give()
        self.show(first)
        self.give()
        events = self.living.events
        self.assertTrue(events)
        with late("glyphos.app.model.living.ground_of") as gate:
            self.do("another-life")
            self.wait(gate.reached.is_set)
            self.assertEqual(self.living.events, events)  # as it was, until there is another
            self.selection.show("03-pip-wind")
            self.application.processEvents()
            self.assertEqual(self.living.events, ())
            self.assertIs(self.living.motion, self.current.motion)
            self.assertEqual(self.living.values(0.5), self.current.motion.at(0.5))
            gate.open()
            self.made()
        self.assertTrue(self.living.events)
        self.assertNotEqual(self.living.events, events)

    def test_it_is_kept_and_handed_over(self) -> None:
        self.give()
        table = self.handed_over()
        np.testing.assert_allclose(table["blink_left"], self.channel("blink_left"), atol=1e-5)
        self.document.flush()
        self.assertIsNotNone(Production.open(self.production).line("01-mabel-beam").life)


class Moods(Living):
    def test_a_mood_over_what_is_chosen_made_weaker_and_taken_away(self) -> None:
        self.selection.select(Part("phrase", 1))
        self.panel.mood.setCurrentText("joy")
        self.panel.feel.click()
        self.made()
        span = self.line.moods[0]
        start, end = self.flat.span(Part("phrase", 1))
        self.assertTrue(span.start < start and span.end > end)
        smile = self.channel("lip_corner_up_left").max()
        self.assertGreater(smile, 0.5)
        self.assertIn("joy", self.panel.spans.item(0).text())
        self.panel.strength.setValue(30)
        self.made()
        self.assertLess(self.channel("lip_corner_up_left").max(), 0.4 * smile)
        self.panel.sliders["lower"].setValue(0)
        self.made()
        self.assertEqual(self.channel("lip_corner_up_left").max(), 0)
        self.assertIsNotNone(self.paper.life)
        self.panel.start.setValue(0.4)
        self.panel.end.setValue(1.9)
        self.assertEqual((self.line.moods[0].start, self.line.moods[0].end), (0.4, 1.9))
        self.panel.end.setValue(0.1)  # before its start: it stays
        self.assertEqual(self.line.moods[0].end, 1.9)
        self.panel.remove.click()
        self.made()
        self.assertEqual(self.line.moods, ())
        self.assertIsNone(self.paper.life)
        self.talk.try_to(self.panel.take_away)
        self.assertIn("Choose a mood", self.status)

    def test_a_span_is_stretched_moved_and_changed_in_its_lane(self) -> None:
        a, b = self.words()[0].start, self.words()[-1].end
        middle = (a + b) / 2
        self.change_line("Feel", moods=(MoodSpan("joy", a, middle),))
        self.made()

        def point(seconds: float) -> QPoint:
            page, bands = self.paper.page, self.paper.bands
            row = page.row_at(seconds)
            x = MARGIN + page.rows[row].x_at(seconds)
            return QPointF(x, self.paper.row_top(row) + bands.life_top + bands.life / 2).toPoint()

        def drag(start: float, to: float) -> None:
            QTest.mousePress(self.paper, Qt.MouseButton.LeftButton, pos=point(start))
            for share in (0.3, 0.7, 1.0):
                QTest.mouseMove(self.paper, point(start) + (point(to) - point(start)) * share)
            self.assertEqual(self.line.moods[0].end, before.end)  # only shown so far
            QTest.mouseRelease(self.paper, Qt.MouseButton.LeftButton, pos=point(to))
            self.made()

        before = self.line.moods[0]
        drag(middle, middle + 0.3)
        self.assertAlmostEqual(self.line.moods[0].end, middle + 0.3, delta=0.06)
        self.assertEqual(self.names()[-1], "End joy")
        before = self.line.moods[0]
        drag(middle, middle - 0.1)
        after = self.line.moods[0]
        self.assertAlmostEqual(after.end - after.start, before.end - before.start, delta=0.002)
        self.assertNotEqual(after.start, before.start)
        self.do("undo")
        self.assertEqual(self.line.moods[0], before)
        menu = QMenu()
        self.page.in_life.fill_menu(menu, None, (0, "all"), middle)
        next(a for a in menu.actions() if a.text() == "No joy here").trigger()
        self.assertEqual(self.line.moods, ())
        self.do("undo")
        self.page.in_life.feelings.another(0, "fear")
        self.assertEqual(self.line.moods[0].mood, "fear")


class ByHand(Living):
    def setUp(self) -> None:
        super().setUp()
        self.give()
        self.hands = self.page.in_life.happenings

    def blinks(self) -> list[float]:
        return [round(e.peak, 3) for e in self.living.events if e.part == "blinks"]

    def point(self, seconds: float) -> QPoint:
        row = self.paper.page.row_at(seconds)
        x = 26 + self.paper.page.rows[row].x_at(seconds)
        return QPoint(round(x), round(self.paper.row_top(row) + self.paper.bands.life_top + 5))

    def test_a_blink_is_added_where_the_playhead_is_and_rides_on_its_sound(self) -> None:
        at = self.flat.span(Part("phrase", 1))[0] + 0.1
        self.transport.seek(at)
        self.do("add-blink")
        self.made()
        self.assertTrue(any(abs(t - at) < 0.01 for t in self.blinks()))
        self.assertGreater(self.channel("blink_left")[round(at * 24)], 0.9)
        self.selection.select(Part("phrase", 1))
        self.do("part-later")
        self.made()
        self.assertTrue(any(abs(t - at - 1 / 24) < 0.01 for t in self.blinks()), self.blinks())
        for _ in range(2):
            self.document.undo()
        self.made()
        self.assertFalse(any(abs(t - at) < 0.01 for t in self.blinks()))

    def test_one_is_taken_away_and_all_come_back(self) -> None:
        before = self.living.events
        blink = next(e for e in before if e.part == "blinks")
        self.transport.seek(blink.peak)
        self.hands.take_away(blink)
        self.made()
        self.assertNotIn(round(blink.peak, 3), self.blinks())
        self.do("life-as-drawn")
        self.made()
        self.assertEqual(self.living.events, before)
        self.do("life-as-drawn")
        self.assertIn("Nothing of this life", self.status)

    def test_the_mouse_moves_one_and_the_menu_adds_one(self) -> None:
        nod = next(e for e in self.living.events if e.kind == "nod")
        start, end = self.point(nod.peak), self.point(nod.peak) + QPoint(40, 0)
        held = self.paper.event_at(QPointF(start))
        QTest.mousePress(self.paper, Qt.MouseButton.LeftButton, pos=start)
        for k in (0.5, 1.0):
            QTest.mouseMove(self.paper, start + (end - start) * k)
        QTest.mouseRelease(self.paper, Qt.MouseButton.LeftButton, pos=end)
        self.made()
        moved = [e for e in self.living.events if "by hand" in e.reason]
        self.assertEqual([e.part for e in moved], [held.part])
        self.assertGreater(moved[0].peak, held.peak)
        menu = QMenu()
        self.hands.fill_menu(menu, moved[0], 2.0)
        next(a for a in menu.actions() if a.text() == "Add: glance left").trigger()
        self.made()
        self.assertLess(
            self.channel("gaze_yaw")[round(2.3 * 24)] + self.channel("head_yaw")[round(2.3 * 24)],
            -8,
        )
        menu.actions()[0].trigger()
        self.made()
        self.assertFalse(
            [e for e in self.living.events if e.part == held.part and "by hand" in e.reason]
        )
        menu.deleteLater()

    def test_without_life_nothing_is_placed(self) -> None:
        self.do("life")
        self.made()
        self.do("add-nod")
        self.assertIn("no life yet", self.status)
        self.assertEqual(self.line.happenings, ())


class Offered(Living):
    def test_what_voice_and_script_suggest_is_dashed_until_it_is_taken(self) -> None:
        script = self.line.script.replace("The beam", "(angrily) The beam")
        self.change_line("Direct", script=script)
        self.panel.suggest.click()
        self.idle()
        offers = self.living.offers
        self.assertIn(("anger", "the script says so"), [(o.mood, o.why) for o in offers])
        self.assertEqual(self.line.moods, ())
        self.assertIs(self.living.motion, self.current.motion)
        self.assertEqual([o.mood for o in self.paper.life.offers], [o.mood for o in offers])
        row = next(k for k, o in enumerate(offers) if o.why == "the script says so")
        self.panel.spans.setCurrentRow(row)
        self.assertEqual(self.panel.remove.text(), "T&ake it")
        self.panel.remove.click()
        self.made()
        self.assertEqual([m.mood for m in self.line.moods], ["anger"])
        self.assertGreater(self.channel("brow_lower_left").max(), 0.5)
        self.assertEqual(len(self.living.offers), len(offers) - 1)
        self.show("03-pip-wind")
        self.assertEqual(self.living.offers, ())

    def test_the_pitch_is_drawn_over_the_words_on_wish(self) -> None:
        before = self.picture(self.paper)
        self.do("pitch")
        self.made()
        self.wait(lambda: self.paper.voice is not None)
        self.assertNotEqual(self.picture(self.paper), before)
        self.do("pitch")
        self.made()
        self.assertIsNone(self.paper.voice)
        self.assertEqual(self.picture(self.paper), before)


if __name__ == "__main__":
    unittest.main()
