"""The window as a person uses it: mouse, keyboard, files, clock."""

from __future__ import annotations

import gc
import random
import shutil
import threading
import time
import weakref
from dataclasses import replace
from unittest import mock

import numpy as np
import soundfile
from msgspec import structs
from PySide6.QtCore import QEvent, QObject, QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QAbstractSlider, QComboBox, QPlainTextEdit

from glyphos.app.compose import make_window
from glyphos.app.model.transport import Transport
from glyphos.app.sound.devices import RATE, SilentDevice
from glyphos.production.production import Production
from glyphos.speech.parts import Part
from tests.app.harness import Clock, WindowCase
from tests.labels import DATA

TEXT = "Bring me the blue map before the dome opens."


class AsShipped(WindowCase):
    lively = in_drawings = long = True

    def test_all_of_the_demo_is_there_and_its_scene_is_shown(self) -> None:
        self.assertEqual(self.window.lines.lines.rowCount(), 10)
        self.show("07-mabel-night-log")
        self.assertGreater(self.current.motion.frames, 100 * 24)
        self.do("page-scene")
        self.wait(lambda: self.context.scenery.settled)
        self.assertEqual(self.context.scenery.scene.name, "The night of the light")
        self.assertGreater(self.context.scenery.film.frames, 100 * 24)


class Demo(WindowCase):
    def test_the_first_line_is_ready_to_play(self) -> None:
        w = self.window
        self.assertTrue(self.page.score.isVisible())
        self.assertEqual(len(self.paper.word_rects()), 29)
        self.assertEqual(w.lines.lines.rowCount(), 9)
        self.assertIn("Hollow Hill", self.window.top.title.text())

    def test_words_never_overlap_at_any_width(self) -> None:
        for width in (900, 1100, 1280, 1700):
            self.window.resize(width, 800)
            self.application.processEvents()
            rects = self.paper.word_rects()
            for k, a in enumerate(rects):
                self.assertLessEqual(a.right(), self.paper.width(), width)
                self.assertFalse(any(a.intersects(b) for b in rects[k + 1 :]), width)

    def test_the_page_reflows_with_the_window(self) -> None:
        page = self.paper
        self.window.resize(1900, 800)
        self.application.processEvents()
        wide = len(page.page.rows)
        self.window.resize(900, 800)
        self.application.processEvents()
        self.assertGreater(len(page.page.rows), wide)

    def test_a_click_plays_its_word(self) -> None:
        page = self.paper
        rect = page.word_rects()[7]
        QTest.mouseClick(page, Qt.MouseButton.LeftButton, pos=rect.center().toPoint())
        word = page.page.words[7]
        self.assertEqual(page.word, 7)
        self.assertTrue(self.transport.playing)
        self.assertAlmostEqual(self.transport.position(), word.start, delta=0.01)
        self.clock.now += word.end - word.start + 0.01
        self.transport.position()
        self.assertFalse(self.transport.playing)

    def test_dragging_scrubs(self) -> None:
        page = self.paper
        y = int(page.row_top(1) + 60)
        QTest.mousePress(page, Qt.MouseButton.LeftButton, pos=QPoint(100, y))
        QTest.mouseMove(page, QPoint(240, y))
        QTest.mouseRelease(page, Qt.MouseButton.LeftButton, pos=QPoint(240, y))
        self.assertAlmostEqual(self.transport.position(), page.time_at(QPointF(240, y)), delta=0.02)

    def test_space_plays_and_stops_and_the_playhead_crosses_rows(self) -> None:
        self.paper.setFocus()
        QTest.keyClick(self.paper, Qt.Key.Key_Space)
        self.assertTrue(self.transport.playing)
        rows = set()
        for _ in range(24):
            self.clock.now += 0.5
            self.window.show_moment()
            rows.add(self.paper.page.row_at(self.paper.playhead))
        self.assertEqual(rows, set(range(len(self.paper.page.rows))))
        QTest.keyClick(self.paper, Qt.Key.Key_Space)
        self.assertFalse(self.transport.playing)

    def test_looping_a_word_stays_around_it(self) -> None:
        self.selection.select(Part("word", 4))
        self.desk.loop_word()
        word = self.paper.page.words[4]
        for _ in range(40):
            self.clock.now += 0.173
            at = self.transport.position()
            self.assertTrue(word.start - 0.1 <= at <= word.end + 0.14)
        self.assertTrue(self.transport.playing)

    def test_arrows_walk_through_sounds(self) -> None:
        self.paper.setFocus()
        starts = [p.start for p in self.current.reading.phones()]
        for expected in starts[:5]:
            QTest.keyClick(self.paper, Qt.Key.Key_Right)
            self.assertAlmostEqual(self.transport.position(), expected, delta=0.002)
        panel = self.window.face_panel
        self.assertIn("/", panel.now.text())
        long = structs.replace(next(self.current.reading.words()), text="/" + 20 * "hæ" + "/")
        with mock.patch.object(self.current, "moment", return_value=(long, None)):
            panel.show_moment(self.transport.position())
        self.assertIn("frame", panel.now.text())
        self.assertLessEqual(
            panel.now.fontMetrics().horizontalAdvance(panel.now.text()), panel.now.width()
        )

    def test_another_value_lays_out_nothing_again_and_is_read_out(self) -> None:
        slider, said = self.delivery.sliders["jaw_reach"], self.delivery._values["jaw_reach"]
        self.idle()
        asked: list[QObject] = []

        class Watch(QObject):
            def eventFilter(self, watched: QObject, event: QEvent) -> bool:
                if event.type() == QEvent.Type.LayoutRequest:
                    asked.append(watched)
                return False

        watch = Watch()
        self.application.installEventFilter(watch)
        slider.setFocus()
        QTest.keyClick(slider, Qt.Key.Key_Right)
        self.transport.seek(0.31)  # another word, sound and time
        self.idle()
        self.application.removeEventFilter(watch)
        self.assertNotIn(self.delivery, asked)
        self.assertNotIn(self.window.face_panel, asked)
        self.assertEqual((said.text(), said.accessibleName()), ("1.01×", "1.01×"))
        shown = said.grab().toImage()
        for text in ("0.55×", ""):
            said.setText(text)
            self.assertNotEqual(said.grab().toImage(), shown)

    def test_sliders_move_face_and_ribbon_at_once_and_b_flips(self) -> None:
        before = self.current.motion.channel("jaw_open").max()
        self.delivery.keep_button.click()
        self.delivery.sliders["jaw_reach"].setValue(20)
        low = self.current.motion.channel("jaw_open").max()
        self.assertLess(low, 0.4 * before)
        self.assertIs(self.paper.motion, self.current.motion)
        self.delivery.flip_button.click()
        self.assertAlmostEqual(self.current.motion.channel("jaw_open").max(), before)
        self.delivery.flip_button.click()
        self.assertAlmostEqual(self.current.motion.channel("jaw_open").max(), low)
        self.document.flush()
        kept = Production.open(self.production).lines[0].delivery
        self.assertAlmostEqual(kept.jaw_reach, 0.2)

    def test_the_face_closes_and_opens_its_mouth(self) -> None:
        self.window.face_panel.face.resize(300, 330)
        pictures = []
        for pose in ({"lips_part": 0.0}, {"lips_part": 0.7, "jaw_open": 0.7}, {"lips_part": 0.2, "lips_round": 1.0},
                     {"lips_part": 0.15, "lip_to_teeth": 1.0}):  # fmt: skip
            self.window.face_panel.face.show_pose(pose)
            image = self.window.face_panel.face.grab(
                self.window.face_panel.face.rect_of_mouth().toRect()
            ).toImage()
            dark = sum(
                image.pixelColor(x, y).lightness() < 45
                for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)
            )  # fmt: skip
            pictures.append((dark, image))
        self.assertGreater(pictures[1][0], 3 * pictures[0][0])
        for a in range(4):
            for b in range(a):
                self.assertNotEqual(pictures[a][1], pictures[b][1])

    def test_any_frame_rate_and_both_themes(self) -> None:
        w = self.window
        QTest.keyClicks(w.top.rate.lineEdit(), "x")  # typing alone changes nothing
        self.assertEqual(self.document.header.fps, "24")
        self.window.top.rate.setCurrentText("59.94")
        w.general.set_rate(w.top.rate_text)
        self.idle()
        self.assertEqual(str(self.current.motion.fps), "60000/1001")
        self.window.top.rate.setCurrentText("quick")
        w.general.set_rate(w.top.rate_text)
        self.assertIn("not a frame rate", self.status)
        self.assertEqual(str(self.current.motion.fps), "60000/1001")
        light = w.grab().toImage().pixelColor(700, 760).lightness()
        self.window.top.theme_button.click()
        self.assertLess(w.grab().toImage().pixelColor(700, 760).lightness(), light - 100)

    def test_every_control_has_a_name_and_can_be_reached(self) -> None:
        for kind in (QAbstractButton, QAbstractSlider, QComboBox, QPlainTextEdit):
            for widget in self.window.findChildren(kind):
                if widget.isVisible() and widget.focusPolicy() != Qt.FocusPolicy.NoFocus:
                    self.assertTrue(widget.accessibleName(), widget)
        reached, widget = set(), self.paper
        while widget not in reached:
            widget.setFocus()
            reached.add(widget)
            widget = widget.nextInFocusChain()
        for wanted in (self.script, self.page.script_area.listen_button, self.window.lines.list,
                       *self.delivery.sliders.values()):  # fmt: skip
            self.assertIn(wanted, reached)

    def test_a_line_whose_recording_is_gone_is_shown_with_what_is_known(self) -> None:
        (self.production / "audio" / "03-pip-wind.flac").unlink()
        self.show("03-pip-wind")
        self.assertEqual(self.line.slug, "03-pip-wind")
        self.assertTrue(self.script.toPlainText().startswith("Probably the wind"))
        self.assertEqual(len(self.paper.word_rects()), len(self.words()))
        self.assertGreater(self.current.motion.channel("jaw_open").max(), 0.1)
        self.assertIn("not where it was", self.window.offers.text.text())
        self.assertEqual(self.window.offers.yes.text(), "Find it…")
        self.selection.select(Part("word", 1))
        self.do("pin-part")
        self.assertTrue(self.document.kept_line("03-pip-wind").reading.phrases[0].words[1].placed)
        self.do("play")
        self.assertIn("no file", self.status)
        model = self.window.lines.lines
        spoken = model.data(model.index(2), Qt.ItemDataRole.AccessibleTextRole)
        self.assertIn("missing", spoken)


class Listening(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.repaint()  # what is painted for the first time is another matter

    def test_after_a_picture_that_took_long_whoever_listens_comes_first(self) -> None:
        face, now = self.window.face_panel.face, [time.monotonic()]
        pose = {"lips_part": 0.1}

        def slowly(*_: object, **__: object) -> None:
            now[0] += 1.0

        with (
            mock.patch("glyphos.app.panels.face.face.time", mock.Mock(monotonic=lambda: now[0])),
            mock.patch.object(face._portrait, "paint", side_effect=slowly) as painted,
        ):
            for k in range(3):
                now[0] += 5.0
                face.show_pose({**pose, "jaw_open": 0.1 * k}, live=True)
                self.wait(lambda n=k + 1: painted.call_count == n)
            for k in range(4):  # at once after it, each newer
                face.show_pose({**pose, "jaw_open": 0.5 + 0.1 * k}, live=True)
                self.application.processEvents()
            self.assertEqual(painted.call_count, 3)
            self.wait(lambda: painted.call_count == 4)
            self.assertAlmostEqual(painted.call_args.args[2]["jaw_open"], 0.8)
            face.show_pose(pose)  # nobody listens
            self.wait(lambda: painted.call_count == 5)
            self.assertFalse(painted.call_args.kwargs["hurried"])

    def test_what_was_left_of_a_picture_comes_though_nothing_moves_any_more(self) -> None:
        face = self.window.face_panel.face
        for yaw in (3.0, 6.0):
            face.show_pose({"head_yaw": yaw}, live=True)
            self.wait(lambda: face._portrait.left)
            self.wait(lambda: not face._portrait.left)


class LetGo(WindowCase):
    demo = False

    def test_a_closed_window_takes_all_of_it_along(self) -> None:
        """Hundreds of windows in one process must not pile up, nor their watches on files."""

        def opened() -> weakref.ref[object]:
            window = make_window(device=SilentDevice(self.clock), unsaved=self.folder / "other")
            window.show()
            self.application.processEvents()
            window.close()
            window.deleteLater()
            return weakref.ref(window.context.document)

        seen = [opened() for _ in range(3)]
        self.application.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        gc.collect()
        self.assertEqual([r() for r in seen], [None] * 3)


class Collected(WindowCase):
    demo = False

    def test_garbage_is_collected_on_the_interface_thread_alone(self) -> None:
        """A widget that is destroyed by another thread deadlocks with Qt, or ends the process."""
        threads: set[int] = set()

        def seen(phase: str, _: dict[str, int]) -> None:
            if phase == "start":
                threads.add(threading.get_ident())

        gc.callbacks.append(seen)
        self.addCleanup(gc.callbacks.remove, seen)

        def work(_: object) -> None:
            for _ in range(60_000):
                own: list[object] = []
                own.append(own)

        self.jobs.submit("Allocating", work, lambda _: None, quiet=True)
        self.idle()
        self.wait(lambda: threads)
        self.assertEqual(threads, {threading.get_ident()})

    def test_once_no_window_is_open_the_interpreter_has_its_own_way(self) -> None:
        self.assertFalse(gc.isenabled())
        self.window.close()
        self.assertTrue(gc.isenabled())


class OwnRecording(WindowCase):
    demo = False

    def test_dropped_listened_and_saved(self) -> None:
        name = self.folder / "une ligne à moi.flac"
        shutil.copy(DATA / "slt_hts-001.flac", name)
        name.with_suffix(".txt").write_text(TEXT)
        self.drop(name)
        self.assertEqual(self.script.toPlainText(), TEXT)
        QTest.mouseClick(self.page.script_area.listen_button, Qt.MouseButton.LeftButton)
        self.assertTrue(self.window.bottom.cancel_button.isVisible())
        self.idle()
        self.assertEqual(len(self.paper.word_rects()), 9)
        self.assertFalse(self.window.bottom.cancel_button.isVisible())

    def test_listening_can_be_cancelled(self) -> None:
        name = self.folder / "long.wav"
        samples, rate = soundfile.read(DATA / "slt_hts-001.flac")
        soundfile.write(name, np.tile(samples, 30), rate)
        self.drop(name)
        self.script.setPlainText("\n".join([TEXT] * 30))
        self.page.script_area.listen_button.click()
        self.window.bottom.cancel_button.click()
        self.idle()
        self.assertIsNone(self.current.reading)
        self.assertIn("nothing was changed", self.status)

    def test_bad_files_leave_the_window_as_it_was(self) -> None:
        good = self.folder / "good.flac"
        shutil.copy(DATA / "slt_hts-001.flac", good)
        self.drop(good)
        line = self.line
        for name, data in (("a.wav", b""), ("b.wav", b"nonsense " * 99), ("c.txt", b"\x00\x01")):
            (self.folder / name).write_bytes(data)
            self.drop(self.folder / name)
            self.assertTrue(self.status.startswith("⚠"), name)
            self.assertIs(self.line, line)
        self.do("listen")
        self.assertIn("no script", self.status)

    def test_a_script_for_something_else_is_told_and_changes_nothing(self) -> None:
        good = self.folder / "good.flac"
        shutil.copy(DATA / "slt_hts-001.flac", good)
        self.drop(good)
        self.script.setPlainText("Seven yellow chairs fell off a fishing ship on Thursday.")
        self.hearing.listen()
        self.idle()
        self.assertIn("belong", self.status)
        self.assertIsNone(self.current.reading)


class Time(WindowCase):
    def test_picture_and_sound_stay_together_for_three_minutes(self) -> None:
        """At uneven display times, the moment shown is the sample that the device sends then."""
        clock = Clock()
        player = Transport(SilentDevice(clock))
        player.load(np.zeros(RATE * 200, np.float32))
        self.addCleanup(setattr, self.window, "context", self.context)
        self.window.context = replace(self.context, transport=player)
        player.play(0.0)
        began, rng, worst = clock.now, random.Random(1), 0.0
        while clock.now - began < 180:
            clock.now += rng.uniform(0.004, 0.05)
            sample = round((clock.now - began) * RATE)
            self.window.show_moment()
            worst = max(worst, abs(self.paper.playhead - sample / RATE))
        self.assertLess(worst, 0.020)
