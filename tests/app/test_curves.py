"""The Curves page in the real window: shaping by mouse and by keys, what is shown."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QColor, QFontMetricsF, QImage, QPainter, QPen
from PySide6.QtTest import QTest

from glyphos.app.drawing import theme
from glyphos.app.drawing.polyline import draw, polyline
from glyphos.motion.touch.keys import times_of
from glyphos.speech.parts import Part
from tests.app.curved import CORNER, Curves


class Pulling(Curves):
    def test_a_curve_is_pulled_over_a_word_and_the_face_follows(self) -> None:
        at = self.hand.on_frame(self.middle())
        start = self.point(at, 0.2)
        seen: list[float] = []
        self.living.changed.connect(lambda: seen.append(float(self.values().max())))
        self.drag(start, self.point(at, 0.6))
        self.assertGreater(len(set(seen)), 2)  # while it is dragged too
        frame = round(at * 24)
        self.assertAlmostEqual(self.values()[frame], 0.4, delta=0.01)
        a, b = self.word()
        self.assertFalse(
            self.values()[: int(a * 24)].any() or self.values()[int(b * 24) + 2 :].any()
        )
        self.assertEqual(
            self.names()[-1], f"Pull lip corner up left, “{self.words()[self.k].text}”"
        )
        self.assertIn("over the word", self.touch.what)
        self.window.show_moment()
        self.transport.seek(at)
        self.assertAlmostEqual(self.living.values(at)[CORNER], self.values()[frame], delta=0.02)
        self.do("undo")
        self.assertEqual(self.line.touches, ())
        self.assertFalse(self.values().any())
        self.do("redo")
        self.assertAlmostEqual(self.values()[frame], 0.4, delta=0.01)

    def test_nothing_is_kept_of_a_pull_that_is_given_up(self) -> None:
        at = self.middle()
        self.drag(self.point(at, 0.2), self.point(at, 0.7), let_go=False)
        self.assertGreater(self.values().max(), 0.3)
        self.do("none")
        self.assertFalse(self.values().any())
        QTest.mouseRelease(self.paper_, Qt.MouseButton.LeftButton, pos=self.point(at, 0.7))
        self.assertEqual(self.line.touches, ())
        self.assertNotIn("Pull", " ".join(self.names()))

    def test_a_head_that_is_pulled_far_does_not_slip_away_under_the_hand(self) -> None:
        """The scale of an open stave of degrees grows with its curve, but not while it is dragged."""
        self.hand.take("head_yaw")
        at = self.hand.on_frame(self.middle())
        start, top = self.point(at, 0.0), self.point(at, 4.9)
        self.drag(start, top, let_go=False)
        self.assertAlmostEqual(self.values("head_yaw").max(), 4.9, delta=0.2)
        further = QPoint(top.x(), top.y() - (start.y() - top.y()))
        QTest.mouseMove(self.paper_, further)
        self.assertAlmostEqual(self.values("head_yaw").max(), 9.8, delta=0.4)
        QTest.mouseRelease(self.paper_, Qt.MouseButton.LeftButton, pos=further)
        self.assertAlmostEqual(self.values("head_yaw").max(), 9.8, delta=0.4)
        self.assertGreater(self.paper_.painter().extent[1], 9.9)

    def test_pulled_again_in_the_same_place_it_is_one_touch_up(self) -> None:
        self.hand.pull(self.middle(), 0.2)
        self.hand.pull(self.middle(), 0.1)
        self.assertEqual(len(self.line.touches), 1)
        self.assertAlmostEqual(self.touch.keys[1].value, 0.3)
        self.assertIn("+0.30 over the word", self.touch.what)

    def test_by_keys_alone(self) -> None:
        """From the search to a smile: the keyboard is enough."""
        self.do("curve-find")
        QTest.keyClicks(self.curves.channels.search, "corn up r")
        QTest.keyClick(self.curves.channels.search, Qt.Key.Key_Return)
        self.assertEqual(self.hand.channel, "lip_corner_up_right")
        self.transport.seek(self.middle())
        self.do("curve-over-phrase")
        self.assertIs(self.application.focusWidget(), self.paper_)  # arrows pull at once
        for _ in range(3):
            QTest.keyClick(self.application.focusWidget(), Qt.Key.Key_Up)
        QTest.keyClick(self.paper_, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        self.idle()
        self.assertAlmostEqual(self.values("lip_corner_up_right").max(), 0.16, delta=0.005)
        self.assertEqual(
            self.names().count("Pull lip corner up right, “" + self.words()[self.k].text + "”"), 1
        )
        before = self.transport.position()
        QTest.keyClick(self.paper_, Qt.Key.Key_Right)
        self.assertAlmostEqual(self.transport.position() - before, 1 / 24, delta=0.03)
        self.curves.channels.search.clear()
        self.do("curve-previous")
        self.assertNotEqual(self.hand.channel, "lip_corner_up_right")

    def test_how_far_a_pull_reaches(self) -> None:
        for level in ("sound", "word", "phrase"):
            self.curves.tools_strip.levels[level].click()
            self.hand.pull(self.middle(), 0.2)
            times = times_of(self.touch, self.reading)
            part = self.flat.part_at(level, self.middle())
            a, b = self.flat.span(part)
            self.assertLessEqual(times[0], a + 1e-6)
            self.assertGreaterEqual(times[-1], b - 1e-6)
            self.assertLess(times[-1] - times[0], max(b - a, 0.12) + 1e-3)

    def test_where_there_is_no_line_that_was_heard_it_says_so(self) -> None:
        self.change_line("Forget", reading=None)
        self.idle()
        self.assertFalse(self.curves.scroll.isVisible())
        self.assertTrue(self.curves.hint.isVisible())
        for name in ("curve-smooth", "curve-up", "curve-key", "curve-fewer"):
            self.do(name)
            self.assertIn("Listen to the line first", self.status)


class Stretches(Curves):
    def setUp(self) -> None:
        super().setUp()
        self.feel()
        self.selection.select(Part("word", self.k))

    def inner(self) -> slice:
        a, b = self.word()
        return slice(int(np.ceil(a * 24)), int(b * 24) + 1)

    def test_scale_and_lift_are_seen_while_they_are_chosen(self) -> None:
        own, part = self.values().copy(), self.inner()
        self.curves.tools_strip.buttons["lift"].click()
        popup = self.curves.tools_strip.lift
        self.assertTrue(popup.isVisible())
        popup.slider.setValue(600)  # +0.2
        np.testing.assert_allclose(self.values()[part], own[part] + 0.2, atol=0.01)
        self.assertEqual(self.line.touches, ())
        QTest.keyClick(popup, Qt.Key.Key_Return)
        self.assertFalse(popup.isVisible())
        np.testing.assert_allclose(self.values()[part], own[part] + 0.2, atol=0.01)
        self.assertTrue(self.names()[-1].startswith("Lift lip corner up left"))
        self.do("undo")
        self.do("curve-scale")
        scale = self.curves.tools_strip.scale
        scale.value.setValue(0.5)
        np.testing.assert_allclose(self.values()[part], 0.5 * own[part], atol=0.01)
        scale.hide()  # a click beside it
        np.testing.assert_allclose(self.values(), own)
        self.assertEqual(self.line.touches, ())
        self.do("curve-scale")
        scale.about.setCurrentText("about mean")
        scale.value.setValue(0.0)
        scale.take_button.click()
        self.assertLess(float(np.ptp(self.values()[part])), 0.01)

    def test_smooth_hold_ease_and_fewer_keys(self) -> None:
        self.hand.take("tongue_front")
        own, part = self.values("tongue_front").copy(), self.inner()
        for name, words in (
            ("smooth", "Smooth"),
            ("ease", "Ease"),
            ("hold", "Hold"),
            ("fewer", "Fewer keys"),
        ):
            self.transport.seek(self.middle())
            self.do(f"curve-{name}")
            self.assertTrue(self.names()[-1].startswith(f"{words} tongue front"), self.names()[-1])
            made = self.values("tongue_front")
            if name == "fewer":
                self.assertIn("keys, never more than", self.status)
                np.testing.assert_allclose(made[part], own[part], atol=0.021)
            elif name == "hold":
                self.assertLess(float(np.ptp(made[part][1:-1])), 1e-6)
            else:
                self.assertFalse(np.array_equal(made[part], own[part]))
            self.do("undo")
            np.testing.assert_array_equal(self.values("tongue_front"), own)

    def test_fewer_keys_take_over_what_was_done_there(self) -> None:
        self.hand.pull(self.middle(), 0.2)
        own = self.values().copy()
        self.do("curve-fewer")
        self.assertEqual([t.mode for t in self.line.touches], ["replace"])
        np.testing.assert_allclose(self.values()[self.inner()], own[self.inner()], atol=0.012)

    def test_to_the_other_side_and_to_another_channel(self) -> None:
        self.hand.pull(self.middle(), 0.25)
        own, part = self.values().copy(), self.inner()
        self.curves.tools_strip.buttons["across"].click()
        np.testing.assert_allclose(self.values("lip_corner_up_right")[part], own[part], atol=0.01)
        copies = [
            a for a in self.curves.tools_strip.findChildren(QAction) if a.text() == "cheeks puff"
        ]
        copies[0].trigger()
        np.testing.assert_allclose(self.values("cheeks_puff")[part], own[part], atol=0.01)
        self.hand.take("jaw_open")
        self.assertFalse(self.curves.tools_strip.buttons["across"].isEnabled())
        self.do("curve-across")
        self.assertIn("no other side", self.status)

    def test_the_words_on_top_are_the_measure_of_place(self) -> None:
        self.selection.select(None)
        brush, bands = self.paper_.painter(), self.paper_.bands
        x = int(brush.x(self.middle()))
        for y, level in (
            (bands.words[1] - 8, "word"),
            (bands.sounds[1] - 6, "sound"),
            (bands.wave[0] + 4, "phrase"),
        ):
            QTest.mouseClick(self.paper_, Qt.MouseButton.LeftButton, pos=QPoint(x, int(y)))
            self.assertEqual(self.selection.part.level, level)
        self.do("none")
        self.assertIsNone(self.selection.part)


class Shown(Curves):
    def test_the_list_shows_what_moves_first_and_finds_by_words(self) -> None:
        channels = self.curves.channels
        texts = [channels.list.item(k).text() for k in range(channels.list.count())]
        self.assertEqual(texts[0], "Mouth")
        self.assertIn("channels do not move in this line", texts[-1])
        channels.list.itemClicked.emit(channels.list.item(len(texts) - 1))
        self.assertGreater(channels.list.count(), len(texts))
        channels.search.setText("brow inner")
        self.assertEqual(
            [channels.list.item(k).text() for k in range(channels.list.count())],
            ["Brows", "brow inner raise"],
        )
        channels.search.clear()
        self.feel()
        self.assertTrue(channels.moves(CORNER))
        self.hand.pull(self.middle(), 0.1)
        self.assertTrue(channels.touched(CORNER))
        self.assertGreater(channels.spark(CORNER).max(), 0.3)

    def test_a_stave_is_clicked_to_open_its_channel(self) -> None:
        self.feel()
        brush = self.paper_.painter()
        top, bottom = self.paper_.bands.staves["cheeks"]
        QTest.mouseClick(
            self.paper_,
            Qt.MouseButton.LeftButton,
            pos=QPoint(int(brush.x(1.0)), int((top + bottom) / 2)),
        )
        self.assertTrue(self.hand.channel.startswith("cheek_raise"))

    def test_phrases_are_turned_zoomed_and_followed(self) -> None:
        self.do("line-next")
        self.assertEqual(self.selection.slug, "02-osric-door")
        self.do("line-before")
        self.do("line-before")
        self.assertIn("first line", self.status)
        self.idle()
        self.transport.seek(0.0)
        self.window.show_moment()
        first = self.paper_.shown.view
        self.do("phrase-next")
        second = self.paper_.shown.view
        self.assertGreater(second[0], first[0])
        self.assertIn("phrase 2 of", self.curves.where.text())
        self.do("curves-in")
        a, b = self.paper_.shown.view
        self.assertAlmostEqual(b - a, 0.7 * (second[1] - second[0]), places=6)
        for _ in range(12):
            self.do("curves-out")
        self.assertAlmostEqual(self.paper_.shown.view[1], self.transport.duration, delta=0.01)
        brush = (
            self.paper_.painter()
        )  # of the whole line: words stand over their sounds or are left out
        metrics = QFontMetricsF(theme.serif(15))
        placed = brush.written(range(len(self.words())), metrics)
        self.assertLess(3, len(placed))
        self.assertLess(len(placed), len(self.words()))
        for (k, left), (_, following) in pairwise(placed):
            wide = metrics.horizontalAdvance(self.words()[k].text)
            self.assertLessEqual(abs(left + wide / 2 - brush.x(self.middle(k))), 8.0)
            self.assertGreater(following, left + wide)
        self.do("curves-phrase")
        self.transport.seek(self.reading.phrases[-1].start + 0.1)
        self.window.show_moment()
        self.assertLessEqual(self.paper_.shown.view[0], self.reading.phrases[-1].start)
        self.assertTrue(self.paper_.shown.view[1] >= self.reading.phrases[-1].start)

    def test_keys_out_of_sight_are_not_looked_for_but_the_chosen_one_is_known(self) -> None:
        self.hand.pull(self.middle(), 0.3)
        rings = [(n, k) for n, k, _ in self.paper_.painter().rings]
        self.assertEqual(rings, [(0, 0), (0, 1), (0, 2)])
        last = self.reading.audio.duration
        self.paper_.show_all(replace(self.paper_.shown, view=(last - 1.0, last)))
        self.paper_.grab()  # the chosen key is told even there
        self.assertEqual(
            [(n, k) for n, k, _ in self.paper_.painter().rings], [self.paper_.shown.chosen]
        )

    def test_a_wide_line_is_painted_as_wide(self) -> None:
        """Thin lines side by side cover what Qt's own wide line covers, within a tenth of its ink."""
        x = np.linspace(5, 195, 60)
        y = 50 + 40 * np.sin(x / 15)
        self.assertEqual(
            [(p.x(), p.y()) for p in polyline(x, y)], list(zip(x.tolist(), y.tolist(), strict=True))
        )
        ink = []
        for ours in (True, False):
            image = QImage(200, 100, QImage.Format.Format_Grayscale8)
            image.fill(255)
            painter, pen = QPainter(image), QPen(QColor("black"), 2.2)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if ours:
                draw(painter, pen, polyline(x, y))
            else:
                painter.setPen(pen)
                painter.drawPolyline(polyline(x, y))
            painter.end()
            ink.append(255 - np.frombuffer(image.constBits(), np.uint8).astype(float))
        self.assertLess(abs(ink[0].sum() / ink[1].sum() - 1), 0.15)
        self.assertGreater(np.corrcoef(*ink)[0, 1], 0.95)

    def test_it_is_painted_in_both_themes_with_large_text_and_told_to_those_who_do_not_see(
        self,
    ) -> None:
        self.feel()
        self.hand.pull(self.middle(), 0.3)
        for look in (theme.PAPER, theme.NIGHT):
            self.curves.set_theme(look)
            image = self.paper_.grab().toImage()
            colors = {
                image.pixelColor(x, y).name()
                for x in range(0, image.width(), 3)
                for y in range(0, image.height(), 3)
            }
            self.assertGreater(len(colors), 20)
        self.assertIn("lip corner up left: ", self.paper_.accessibleDescription())
        self.assertEqual(self.paper_.accessibleName(), "Curves of the face")
