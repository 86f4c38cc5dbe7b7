"""The Curves page in the real window: shaping by mouse and by keys, layers, exact numbers, undo."""

from __future__ import annotations

from unittest import mock

import msgspec
import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from glyphos.app.drawing import theme
from glyphos.app.drawing.layering import LAYER_WORDS
from glyphos.motion.layers import composed
from glyphos.motion.life.event import Liveliness
from glyphos.motion.mix import LAYERS
from glyphos.motion.mood import MoodSpan
from glyphos.motion.perform import perform
from glyphos.motion.touch.keys import times_of
from glyphos.speech import edits
from glyphos.speech.parts import Edge, Part
from tests.app.harness import WindowCase

CORNER = "lip_corner_up_left"


class Curves(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.show("01-mabel-beam")
        self.do("page-curves")
        self.curves = self.window.pages["curves"]
        self.paper_, self.hand = self.curves.paper, self.curves.desk
        self.living = self.context.living
        self.k = [w.text.strip(".,").lower() for w in self.words()].index("map")
        self.transport.seek(self.middle())
        self.window.show_moment()
        self.application.processEvents()

    def feel(self) -> None:
        self.change_line("Feel", moods=(MoodSpan("joy", 0.2, 11.0, 0.7, 0.2, 0.2),))
        self.idle()

    def values(self, channel: str = CORNER) -> np.ndarray:
        motion = self.living.motion
        there = motion is not None and channel in motion.names
        return (
            motion.channel(channel)
            if there
            else np.zeros(self.current.motion.frames if motion is not None else 1)
        )

    def word(self, number: int | None = None) -> tuple[float, float]:
        word = self.words()[self.k if number is None else number]
        return word.start, word.end

    def middle(self, number: int | None = None) -> float:
        return sum(self.word(number)) / 2

    def point(self, seconds: float, value: float | None = None) -> QPoint:
        brush = self.paper_.painter()
        at = self.paper_.shown.value_at(self.hand.channel, seconds) if value is None else value
        return QPointF(brush.x(seconds), brush.y(at)).toPoint()

    def drag(self, start: QPoint, end: QPoint, *, let_go: bool = True) -> None:
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(self.paper_, left, pos=start)
        for k in range(1, 5):
            QTest.mouseMove(self.paper_, start + (end - start) * k / 4)
        if let_go:
            QTest.mouseRelease(self.paper_, left, pos=end)

    @property
    def touch(self):  # type: ignore[no-untyped-def]
        return self.line.touches[-1]


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

    def test_pulled_again_in_the_same_place_it_is_one_touch_up(self) -> None:
        self.hand.pull(self.middle(), 0.2)
        self.hand.pull(self.middle(), 0.1)
        self.assertEqual(len(self.line.touches), 1)
        self.assertAlmostEqual(self.touch.keys[1].value, 0.3)
        self.assertIn("+0.30 over the word", self.touch.what)

    def test_by_keys_alone(self) -> None:
        """From the search to a smile: the keyboard is enough."""
        self.do("curve-find")
        QTest.keyClicks(self.curves.channels.search, "corner up right")
        QTest.keyClick(self.curves.channels.search, Qt.Key.Key_Return)
        self.assertEqual(self.hand.channel, "lip_corner_up_right")
        self.transport.seek(self.middle())
        self.do("curve-over-phrase")
        self.paper_.setFocus()
        for _ in range(3):
            QTest.keyClick(self.paper_, Qt.Key.Key_Up)
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
        QTest.mouseDClick(self.paper_, Qt.MouseButton.LeftButton, pos=self.point(at, 0.8))
        self.assertEqual(len(self.touch.keys), 4)
        self.assertAlmostEqual(self.paper_.shown.value_at(CORNER, at), 0.8, delta=0.12)
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
        QTest.mouseDClick(self.paper_, Qt.MouseButton.LeftButton, pos=end)
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
        self.assertIn(own.text, numbers.aside.item(0).text())
        self.transport.seek((own.start + own.end) / 2)
        numbers.again.click()
        self.assertEqual((len(self.line.touches), self.line.aside), (1, ()))
        self.do("undo")
        numbers.drop.click()
        self.assertEqual((self.line.touches, self.line.aside), ((), ()))
        self.assertTrue(numbers.aside.isHidden())
        self.assertNotIn("aside", self.talk.offers)


class Layered(Curves):
    def setUp(self) -> None:
        super().setUp()
        self.change_line(
            "Give", life=Liveliness(), moods=(MoodSpan("joy", 0.2, 11.0, 0.7, 0.2, 0.2),)
        )
        self.idle()
        self.hand.pull(self.middle(), 0.2)
        self.panel = self.curves.layers

    def test_switch_solo_strength_and_regions_act_at_once_and_can_be_undone(self) -> None:
        whole = self.living.motion
        self.panel.on["mood"].click()
        self.assertAlmostEqual(self.values().max(), 0.2, delta=0.01)
        self.panel.on["mood"].click()
        np.testing.assert_array_equal(self.living.motion.values, whole.values)
        self.panel.solo["life"].click()
        self.assertEqual(self.values("jaw_open").max() > 0.2, False)
        self.panel.solo["life"].click()
        self.panel.strength["touch"].setValue(50)
        self.assertEqual(self.line.mix.touch.strength, 0.5)
        self.panel.strength["touch"].setValue(100)
        marks = {a.text(): a for a in self.panel.regions["life"].menu().actions()}
        marks["Head"].trigger()
        self.assertNotIn("head", self.line.mix.life.regions)
        self.assertFalse(self.values("head_yaw").any())
        self.do("undo")
        self.assertTrue(self.values("head_yaw").any())
        self.assertEqual(
            [LAYER_WORDS[n] for n in LAYERS], [self.panel.on[n].text() for n in LAYERS]
        )

    def test_a_strength_is_seen_while_it_is_dragged_and_is_one_step(self) -> None:
        slider = self.panel.strength["mood"]
        own, steps = self.values().max(), len(self.names())
        slider.setSliderDown(True)
        for k in (80, 50, 20):
            slider.setValue(k)
        self.assertLess(self.values().max(), 0.8 * own)
        self.assertEqual(len(self.names()), steps)
        slider.setSliderDown(False)
        self.assertEqual(self.line.mix.mood.strength, 0.2)
        self.assertEqual(len(self.names()), steps + 1)

    def test_the_window_the_core_and_a_file_show_the_same(self) -> None:
        line, life = self.line, self.living
        speech = perform(line.reading, line.delivery, fps=24, loudness=self.current.opened.loudness)
        ground = life._ground
        made = composed(
            speech,
            line.reading,
            line.delivery,
            life=ground.life,
            moods=line.moods,
            touches=line.touches,
            mix=line.mix,
        ).motion
        self.assertEqual(made.values.tobytes(), life.motion.values.tobytes())

    def test_a_and_b_hold_every_layer(self) -> None:
        self.page.delivery.keep_as_b()
        own = self.living.motion.values.copy()
        self.hand.pull(self.middle(self.k + 2), 0.4)
        self.panel.on["life"].click()
        self.change_line("Feel nothing", moods=())
        self.idle()
        other = self.living.motion.values.copy()
        self.do("flip")
        self.idle()
        np.testing.assert_array_equal(self.living.motion.values, own)
        self.do("flip")
        self.idle()
        np.testing.assert_array_equal(self.living.motion.values, other)


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
        self.do("curves-phrase")
        self.transport.seek(self.reading.phrases[-1].start + 0.1)
        self.window.show_moment()
        self.assertLessEqual(self.paper_.shown.view[0], self.reading.phrases[-1].start)
        self.assertTrue(self.paper_.shown.view[1] >= self.reading.phrases[-1].start)

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
