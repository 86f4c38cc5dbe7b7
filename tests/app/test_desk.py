"""The score desk in the real window: everything once with the mouse and again by keyboard."""

from __future__ import annotations

from itertools import count
from unittest import mock

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from glyphos.app.drawing import theme
from glyphos.app.pages.score.loupe_paper import LoupePaper
from glyphos.app.pages.score.paint import Painter
from glyphos.speech.parts import Edge, Part
from tests.app.harness import WindowCase

LEFT, NONE, SHIFT = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
)
CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


class DeskCase(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.paper.setFocus()

    def key(
        self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE, on: QWidget | None = None
    ) -> None:
        QTest.keyClick(on or self.paper, key, modifiers)
        self.application.processEvents()

    def drag(
        self, widget: QWidget, start: QPointF, end: QPointF, modifiers: Qt.KeyboardModifier = NONE
    ) -> None:
        QTest.mousePress(widget, LEFT, modifiers, start.toPoint())
        for share in (0.3, 0.7, 1.0):
            at = start + (end - start) * share
            QTest.mouseMove(widget, at.toPoint())
        QTest.mouseRelease(widget, LEFT, modifiers, end.toPoint())
        self.application.processEvents()


class Mouse(DeskCase):
    def test_an_edge_dragged_in_the_score_is_pinned_as_one_step(self) -> None:
        before = self.reading
        edge = Edge(self.flat.first[5] + 1)
        old = self.flat.edge_time(edge)
        point = self.paper.edge_point(edge)
        self.drag(self.paper, point, point + QPointF(14, 0))
        self.assertGreater(self.flat.edge_time(edge), old + 0.02)
        self.assertTrue(self.flat.pinned(edge))
        self.assertEqual([s.name for s in self.document.history.done], ["Move edge"])
        self.settled()
        self.assertEqual(len(self.document.history.done), 1)
        self.window.commands.do("undo")
        self.assertEqual(self.reading, before)
        self.window.commands.do("redo")
        self.assertTrue(self.flat.pinned(edge))

    def test_the_ribbon_follows_while_an_edge_is_dragged_in_the_loupe(self) -> None:
        self.selection.select(Part("word", 14))
        self.application.processEvents()
        edge = Edge(self.flat.first[14] + 1)
        point = self.loupe.edge_point(edge)
        kept = self.document.production
        QTest.mousePress(self.loupe, LEFT, NONE, point.toPoint())
        motion = self.current.motion
        QTest.mouseMove(self.loupe, point.toPoint() + QPoint(30, 0))
        self.assertIsNot(self.current.motion, motion)
        self.assertIs(self.loupe.motion, self.current.motion)
        self.assertIs(self.document.production, kept)  # nothing is kept before it is dropped
        QTest.mouseRelease(self.loupe, LEFT, NONE, point.toPoint() + QPoint(30, 0))
        self.assertTrue(self.flat.pinned(edge))
        self.settled()

    def test_the_page_stays_where_it_was_scrolled_to_while_an_edge_is_dragged(self) -> None:
        """The playhead is followed when it moves, not whenever something changes."""
        self.context.transport.seek(0.0)
        self.paper.set_zoom(2.0)
        self.application.processEvents()
        bar = self.page.score.verticalScrollBar()
        bar.setValue(bar.maximum())
        self.assertGreater(bar.value(), self.paper.bands.height)
        edge = next(e for e in reversed(self.flat.edges) if not e.end)
        for step in (0.01, 0.02):
            self.page.desk.drag_edge(edge, self.flat.edge_time(edge) + step)
            self.application.processEvents()
            self.assertEqual(bar.value(), bar.maximum())
        self.page.desk.drop()
        self.settled()
        self.assertEqual(bar.value(), bar.maximum())
        self.context.transport.seek(1.0)
        self.assertLess(bar.value(), self.paper.bands.height)

    def test_what_is_kept_looks_as_if_painted_anew(self) -> None:
        """After every step of a drag, of which only strips are painted, in score and Loupe: letters,
        waveform, ruler, ribbon, glyphs and edges have all followed."""
        for number in (5, 8, 14):  # some of them first or last of a row
            self.selection.select(Part("word", number))
            sounds = self.flat.sound_range(Part("word", number))
            for edge in (Edge(sounds[0]), Edge(sounds[1] - 1)):
                time = self.flat.edge_time(edge)
                for step in (0.012, 0.03, 0.031, -0.01):
                    self.page.desk.drag_edge(edge, time + step)
                    self.assert_as_painted_anew((edge, step))
                self.page.desk.give_up()
                self.page.desk.drop()  # the hand lets go

    def test_where_time_is_always_over_a_row_is_painted_nonetheless(self) -> None:
        with mock.patch("glyphos.app.pages.score.paper.perf_counter", side_effect=count().__next__):
            self.assert_as_painted_anew("at a crawl")

    def test_signs_marks_and_larger_text_are_seen_at_once(self) -> None:
        self.selection.select(Part("word", 14))
        done = ("confirm", "undo", "mark-breath", "mark-laugh", "undo", "pin-part", "lift-pins")
        for command in done:
            self.do(command)
            self.assert_as_painted_anew(command)
        with mock.patch.object(theme, "scale", return_value=1.3):
            self.page.text_resized()
            self.loupe.update()
            self.assert_as_painted_anew("text")

    def assert_as_painted_anew(self, said: object) -> None:
        """What is shown of score and Loupe is what is shown once they forget what they painted."""
        kept = self.painted(self.paper), self.painted(self.loupe)
        self.paper.set_ruler(self.paper.ruler)
        self.loupe.theme = self.loupe.theme
        for widget, before in zip((self.paper, self.loupe), kept, strict=True):
            apart = before.astype(int) - self.painted(widget)
            different = (np.abs(apart) > 12).any(axis=2)  # of a curve: 0.001 is kept
            self.assertLess(different.sum(), 6, (widget, said))

    def test_a_drag_paints_a_strip_and_not_the_row(self) -> None:
        self.selection.select(Part("word", 14))
        edge, strips = Edge(self.flat.first[14] + 1), []
        time = self.flat.edge_time(edge)
        self.page.desk.drag_edge(edge, time + 0.004)
        self.painted(self.paper), self.painted(self.loupe)
        whole = Painter.still, LoupePaper._letters
        with (
            mock.patch.object(Painter, "still", lambda *a: (strips.append(a[-1]), whole[0](*a))),
            mock.patch.object(LoupePaper, "_letters", lambda *a: (strips.append(a[-1]), whole[1](*a))),
        ):  # fmt: skip
            self.page.desk.drag_edge(edge, time + 0.008)
            self.painted(self.paper), self.painted(self.loupe)
        self.assertEqual(len(strips), 2)
        for left, right in strips:
            self.assertLess(right - left, 0.4 * self.loupe.width())

    def painted(self, widget: QWidget) -> NDArray[np.uint8]:
        """Score or Loupe as it looks once nothing is left to be painted."""
        for _ in range(len(self.paper.page.rows)):  # at least one row is painted each time
            image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        shape = (image.height(), image.bytesPerLine() // 4, 4)
        return np.frombuffer(image.constBits(), np.uint8).reshape(shape).copy()

    def test_snapping_puts_an_edge_on_a_frame(self) -> None:
        self.context.preferring.set(snap="frames")
        self.selection.select(Part("word", 14))
        self.application.processEvents()
        edge = Edge(self.flat.first[14] + 1)
        point = self.loupe.edge_point(edge)
        self.drag(self.loupe, point, point + QPointF(25, 0))
        frame = self.flat.edge_time(edge) * 24
        self.assertAlmostEqual(frame, round(frame), places=2)
        self.assertEqual(self.context.preferring.now.snap, "frames")

    def test_a_double_click_pins_and_lifts_an_edge(self) -> None:
        self.selection.select(Part("word", 14))
        self.application.processEvents()
        edge = Edge(self.flat.first[14])
        for expected in (True, False):
            self.double_click(self.loupe, self.loupe.edge_point(edge).toPoint())
            self.settled()
            self.assertEqual(self.flat.pinned(edge), expected)

    def test_shift_and_a_drag_move_a_phrase_with_all_in_it(self) -> None:
        before = self.flat
        a, b = before.sound_range(Part("phrase", 1))
        rect = self.paper.word_rects()[6]
        start = QPointF(rect.center().x(), rect.top() - 12)
        self.drag(self.paper, start, start + QPointF(18, 0), SHIFT)
        moved = [
            y.start - x.start
            for x, y in zip(before.phones[a:b], self.flat.phones[a:b], strict=True)
        ]
        self.assertGreater(moved[0], 0.03)
        self.assertLess(max(moved) - min(moved), 2e-4)
        self.assertEqual(self.flat.phones[:a], before.phones[:a])
        self.assertTrue(self.flat.phones[a].pinned)

    def test_sounds_words_and_phrases_are_chosen_by_where_one_clicks(self) -> None:
        word = self.paper.word_rects()[8].center().toPoint()
        QTest.mouseClick(self.paper, LEFT, NONE, word)
        self.assertEqual(self.selection.part, Part("word", 8))
        first = self.flat.first[8]
        self.selection.select(Part("word", 8))
        sound = self.paper.edge_point(Edge(first)) + QPointF(9, 0)
        QTest.mouseClick(self.paper, LEFT, NONE, sound.toPoint())
        self.assertEqual(self.selection.part, Part("sound", first))
        self.double_click(self.paper, word)
        self.assertEqual(self.selection.part.level, "phrase")

    def test_the_context_menu_offers_marks_in_a_pause(self) -> None:
        from PySide6.QtWidgets import QMenu

        menu = QMenu(self.window)
        self.page.fill_menu(menu, 5.5)
        marks = menu.findChildren(QMenu)[0]
        next(a for a in marks.actions() if a.text() == "Breath").trigger()
        self.assertEqual([m.kind for m in self.reading.marks], ["breath"])
        open_ = self.current.motion.at(
            sum((self.reading.marks[0].start, self.reading.marks[0].end)) / 2
        )
        self.assertGreater(open_["lips_part"], 0.1)


class Keyboard(DeskCase):
    def test_three_edges_and_a_word_are_corrected_in_under_twenty_actions(self) -> None:
        """The action list of the user guide: three edges and one pronunciation of a long line."""
        actions = 0
        self.doubt(1, 3)
        for _ in range(2):  # 1, 2: to the second doubtful word
            self.key(Qt.Key.Key_D)
            actions += 1
        number = self.selection.part.number
        start = Edge(self.flat.first[number])
        old = self.flat.edge_time(start)
        for key in (Qt.Key.Key_Z, Qt.Key.Key_Z, Qt.Key.Key_V):  # 3 to 5: its start and its end
            self.key(key)
            actions += 1
        self.assertAlmostEqual(self.flat.edge_time(start), old - 2 / 24, places=3)
        for key in (Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_X):  # 6 to 8: an edge inside
            self.key(key)
            actions += 1
        self.assertEqual(self.selection.part.level, "sound")
        self.key(Qt.Key.Key_R)  # 9: another pronunciation
        dialog = self.dialog()
        dialog.own.setText("d oʊ m z")  # 10: typed
        QTest.keyClick(dialog, Qt.Key.Key_Return)  # 11
        actions += 3
        self.wait(lambda: len(list(self.reading.words())[number].phones) == 4)
        self.wait(lambda: self.application.activeWindow() is self.window)
        self.key(Qt.Key.Key_K)  # 12: it is right now
        actions += 1
        self.assertTrue(list(self.reading.words())[number].confirmed)
        self.assertLess(actions, 20)
        self.settled()

    def test_the_loupe_stands_still_while_edges_are_nudged_a_little(self) -> None:
        self.selection.select(Part("word", 14))
        before = self.loupe.span
        self.window.commands.do("start-later-5ms")
        self.assertEqual(self.loupe.span, before)
        for _ in range(12):
            self.window.commands.do("start-earlier-5ms")
            self.settled()
        start, end = self.flat.span(Part("word", 14))
        low, high = self.loupe.span
        self.assertTrue(low < start - 0.02 and end + 0.02 < high)
        self.selection.select(Part("word", 8))
        self.assertNotEqual(self.loupe.span, (low, high))

    def test_edges_are_walked_and_nudged_in_the_loupe(self) -> None:
        self.selection.select(Part("word", 14))
        self.loupe.setFocus()
        self.key(Qt.Key.Key_Right, on=self.loupe)
        self.key(Qt.Key.Key_Right, on=self.loupe)
        edge = self.loupe.edge
        old = self.flat.edge_time(edge)
        self.key(Qt.Key.Key_Right, CTRL, on=self.loupe)
        self.assertAlmostEqual(self.flat.edge_time(edge), old + 1 / 24, places=3)
        self.settled()
        self.key(Qt.Key.Key_Left, ALT, on=self.loupe)
        self.assertAlmostEqual(self.flat.edge_time(edge), old + 1 / 24 - 0.005, places=3)
        self.settled()
        self.assertIn("pinned", self.page.loupe_area.title.text())
        self.key(Qt.Key.Key_N, on=self.loupe)
        self.assertFalse(self.flat.pinned(edge))
        self.settled()

    def test_up_and_down_change_between_sound_word_and_phrase(self) -> None:
        self.selection.select(Part("word", 3))
        self.key(Qt.Key.Key_Down)
        self.assertEqual(self.selection.part, Part("sound", self.flat.first[3]))
        self.key(Qt.Key.Key_Up)
        self.key(Qt.Key.Key_Up)
        self.assertEqual(self.selection.part, Part("phrase", 0))
        self.key(Qt.Key.Key_L)
        self.assertTrue(self.transport.looping)
        self.key(Qt.Key.Key_Right, CTRL | SHIFT)
        self.assertEqual(self.document.history.undo_name, "Move phrase")
        self.key(Qt.Key.Key_Escape)
        self.assertIsNone(self.selection.part)

    def test_words_and_phrases_are_split_and_joined_and_the_script_follows(self) -> None:
        script = self.line.script
        self.selection.select(Part("word", 5))
        self.key(Qt.Key.Key_S, SHIFT)
        self.assertEqual(len(self.reading.phrases), 5)
        self.assertNotEqual(self.line.script, script)
        self.assertEqual(self.script.toPlainText(), self.line.script)
        self.selection.select(Part("phrase", 1))
        self.key(Qt.Key.Key_J)
        self.assertEqual(len(self.reading.phrases), 4)
        count = self.flat.count("word")
        self.selection.select(Part("sound", self.flat.first[0] + 2))
        self.key(Qt.Key.Key_S)
        self.assertEqual(self.flat.count("word"), count + 1)
        self.key(Qt.Key.Key_J)
        self.assertEqual(self.flat.count("word"), count)
        for _ in range(4):
            self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(self.line.script, script)

    def test_marks_pins_and_confirming_by_single_keys(self) -> None:
        self.transport.seek(5.5)
        self.key(Qt.Key.Key_5)
        self.assertEqual(self.reading.marks[0].kind, "shut")
        self.key(Qt.Key.Key_0)
        self.assertEqual(self.reading.marks, ())
        self.selection.select(Part("word", 2))
        self.key(Qt.Key.Key_P, CTRL)
        self.assertTrue(list(self.reading.words())[2].phones[0].pinned)
        self.key(Qt.Key.Key_N, SHIFT)
        self.assertFalse(list(self.reading.words())[2].phones[0].pinned)
        self.key(Qt.Key.Key_K, SHIFT)
        self.assertEqual(self.line.state, "confirmed")

    def test_what_cannot_be_done_is_said_in_a_sentence(self) -> None:
        self.selection.select(Part("word", 2))
        before = self.reading
        self.key(Qt.Key.Key_Delete)
        self.assertIn("Choose a sound first", self.status)
        self.selection.select(Part("phrase", 3))
        self.key(Qt.Key.Key_J)
        self.assertIn("no next phrase", self.status)
        self.window.commands.do("offered-pins")
        self.assertIn("retake", self.status)
        self.assertIs(self.reading, before)

    def test_space_presses_the_button_that_has_the_focus(self) -> None:
        self.window.top.theme_button.setFocus()
        QTest.keyClick(self.window.top.theme_button, Qt.Key.Key_Space)
        self.assertEqual(self.window.theme.name, "night")
        self.assertFalse(self.transport.playing)
