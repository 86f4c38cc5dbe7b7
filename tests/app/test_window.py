"""The window as a person uses it: mouse, keyboard, files, clock."""

from __future__ import annotations

import csv
import random
import shutil
from pathlib import Path

import numpy as np
import soundfile
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QAbstractSlider, QComboBox, QPlainTextEdit

from glyphos.app.player import RATE, Player, SilentDevice
from glyphos.app.work import Task
from glyphos.errors import GlyphosError
from glyphos.production.production import Production
from glyphos.speech.parts import Part
from tests.app.harness import Clock, WindowCase
from tests.labels import DATA

TEXT = "Bring me the blue map before the dome opens."


class Demo(WindowCase):
    def test_the_first_line_is_ready_to_play(self) -> None:
        w = self.window
        self.assertIs(w.pages.currentWidget(), w.score)
        self.assertEqual(len(w.score.page.word_rects()), 29)
        self.assertEqual(w.lines.list.lines.rowCount(), 10)
        self.assertIn("Hollow Hill", w.title.text())

    def test_words_never_overlap_at_any_width(self) -> None:
        for width in (900, 1100, 1280, 1700):
            self.window.resize(width, 800)
            self.application.processEvents()
            rects = self.window.score.page.word_rects()
            for k, a in enumerate(rects):
                self.assertLessEqual(a.right(), self.window.score.page.width(), width)
                self.assertFalse(any(a.intersects(b) for b in rects[k + 1 :]), width)

    def test_the_page_reflows_with_the_window(self) -> None:
        page = self.window.score.page
        self.window.resize(1900, 800)
        self.application.processEvents()
        wide = len(page.page.rows)
        self.window.resize(900, 800)
        self.application.processEvents()
        self.assertGreater(len(page.page.rows), wide)

    def test_a_click_plays_its_word(self) -> None:
        page = self.window.score.page
        rect = page.word_rects()[7]
        QTest.mouseClick(page, Qt.MouseButton.LeftButton, pos=rect.center().toPoint())
        word = page.page.words[7]
        self.assertEqual(page.word, 7)
        self.assertTrue(self.window.player.playing)
        self.assertAlmostEqual(self.window.player.position(), word.start, delta=0.01)
        self.clock.now += word.end - word.start + 0.01
        self.window.player.position()
        self.assertFalse(self.window.player.playing)

    def test_dragging_scrubs(self) -> None:
        page = self.window.score.page
        y = int(page.row_top(1) + 60)
        QTest.mousePress(page, Qt.MouseButton.LeftButton, pos=QPoint(100, y))
        QTest.mouseMove(page, QPoint(240, y))
        QTest.mouseRelease(page, Qt.MouseButton.LeftButton, pos=QPoint(240, y))
        self.assertAlmostEqual(
            self.window.player.position(), page.time_at(QPointF(240, y)), delta=0.02
        )

    def test_space_plays_and_stops_and_the_playhead_crosses_rows(self) -> None:
        w = self.window
        w.score.page.setFocus()
        QTest.keyClick(w.score.page, Qt.Key.Key_Space)
        self.assertTrue(w.player.playing)
        rows = set()
        for _ in range(24):
            self.clock.now += 0.5
            w._show_moment()
            rows.add(w.score.page.page.row_at(w.score.page.playhead))
        self.assertEqual(rows, set(range(len(w.score.page.page.rows))))
        QTest.keyClick(w.score.page, Qt.Key.Key_Space)
        self.assertFalse(w.player.playing)

    def test_looping_a_word_stays_around_it(self) -> None:
        w = self.window
        w.session.select(Part("word", 4))
        w.desk.loop_word()
        word = w.score.page.page.words[4]
        for _ in range(40):
            self.clock.now += 0.173
            at = w.player.position()
            self.assertTrue(word.start - 0.1 <= at <= word.end + 0.14)
        self.assertTrue(w.player.playing)

    def test_arrows_walk_through_sounds(self) -> None:
        w = self.window
        w.score.page.setFocus()
        starts = [p.start for p in w.session.reading.phones()]
        for expected in starts[:5]:
            QTest.keyClick(w.score.page, Qt.Key.Key_Right)
            self.assertAlmostEqual(w.player.position(), expected, delta=0.002)
        self.assertIn("/", w.now.text())

    def test_sliders_move_face_and_ribbon_at_once_and_b_flips(self) -> None:
        w = self.window
        before = w.session.motion.channel("jaw_open").max()
        w.delivery.keep_button.click()
        w.delivery.sliders["jaw_reach"].setValue(20)
        low = w.session.motion.channel("jaw_open").max()
        self.assertLess(low, 0.4 * before)
        self.assertIs(w.score.page.motion, w.session.motion)
        w.delivery.flip_button.click()
        self.assertAlmostEqual(w.session.motion.channel("jaw_open").max(), before)
        w.delivery.flip_button.click()
        self.assertAlmostEqual(w.session.motion.channel("jaw_open").max(), low)
        w.session.settle()
        kept = Production.open(self.production).lines[0].delivery
        self.assertAlmostEqual(kept.jaw_reach, 0.2)

    def test_the_face_closes_and_opens_its_mouth(self) -> None:
        w = self.window
        w.face.resize(300, 330)
        pictures = []
        for pose in ({"lips_part": 0.0}, {"lips_part": 0.7, "jaw_open": 0.7}, {"lips_part": 0.2, "lips_round": 1.0},
                     {"lips_part": 0.15, "lip_to_teeth": 1.0}):  # fmt: skip
            w.face.show_pose(pose)
            image = w.face.grab(w.face.rect_of_mouth().toRect()).toImage()
            dark = sum(
                image.pixelColor(x, y).lightness() < 45
                for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)
            )  # fmt: skip
            pictures.append((dark, image))
        self.assertGreater(pictures[1][0], 3 * pictures[0][0])
        for a in range(4):
            for b in range(a):
                self.assertNotEqual(pictures[a][1], pictures[b][1])

    def test_saved_curves_open_again(self) -> None:
        w = self.window
        w.save_to(self.folder / "curves.csv", "29.97")
        with (self.folder / "curves.csv").open() as file:
            rows = list(csv.DictReader(file))
        self.assertAlmostEqual(float(rows[30]["seconds"]), 1.001, places=3)
        self.assertGreaterEqual(len(rows) / 29.97, w.player.duration)
        w.save_to(self.folder / "missing" / "curves.csv", "24")
        self.assertIn("cannot be written", w.status.text())
        w.save_to(self.folder / "curves.xyz", "24")
        self.assertIn(".csv", w.status.text())

    def test_any_frame_rate_and_both_themes(self) -> None:
        w = self.window
        w.rate.setCurrentText("59.94")
        w._rate_chosen()
        self.assertEqual(str(w.session.motion.fps), "60000/1001")
        w.rate.setCurrentText("quick")
        w._rate_chosen()
        self.assertIn("not a frame rate", w.status.text())
        self.assertEqual(str(w.session.motion.fps), "60000/1001")
        light = w.grab().toImage().pixelColor(700, 760).lightness()
        w.theme_button.click()
        self.assertLess(w.grab().toImage().pixelColor(700, 760).lightness(), light - 100)

    def test_every_control_has_a_name_and_can_be_reached(self) -> None:
        for kind in (QAbstractButton, QAbstractSlider, QComboBox, QPlainTextEdit):
            for widget in self.window.findChildren(kind):
                if widget.isVisible() and widget.focusPolicy() != Qt.FocusPolicy.NoFocus:
                    self.assertTrue(widget.accessibleName(), widget)
        reached, widget = set(), self.window.score.page
        for _ in range(160):
            widget.setFocus()
            reached.add(widget)
            widget = widget.nextInFocusChain()
        for wanted in (self.window.script, self.window.listen_button, self.window.lines,
                       *self.window.delivery.sliders.values()):  # fmt: skip
            self.assertIn(wanted, reached)

    def test_a_line_whose_recording_is_gone_keeps_what_is_shown(self) -> None:
        shown = self.window.session.line
        (self.production / "audio" / "02-osric-door.flac").unlink()
        self.window.session.show_line("02-osric-door")
        self.assertIn("no file", self.window.status.text())
        self.assertIs(self.window.session.line, shown)


class OwnRecording(WindowCase):
    demo = False

    def drop(self, path: Path) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(
            QPointF(600, 400), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        self.window.dropEvent(event)

    def test_dropped_listened_and_saved(self) -> None:
        name = self.folder / "une ligne à moi.flac"
        shutil.copy(DATA / "slt_hts-001.flac", name)
        name.with_suffix(".txt").write_text(TEXT)
        self.drop(name)
        w = self.window
        self.assertEqual(w.script.toPlainText(), TEXT)
        QTest.mouseClick(w.listen_button, Qt.MouseButton.LeftButton)
        self.assertTrue(w.cancel_button.isVisible())
        self.wait(lambda: w.session.reading is not None)
        self.assertEqual(len(w.score.page.word_rects()), 9)
        self.assertFalse(w.cancel_button.isVisible())

    def test_listening_can_be_cancelled(self) -> None:
        name = self.folder / "long.wav"
        samples, rate = soundfile.read(DATA / "slt_hts-001.flac")
        soundfile.write(name, np.tile(samples, 30), rate)
        self.drop(name)
        self.window.script.setPlainText("\n".join([TEXT] * 30))
        self.window.listen_button.click()
        self.window.cancel_button.click()
        self.wait(lambda: self.window.session.hearing.task is None)
        self.assertIsNone(self.window.session.reading)
        self.assertIn("nothing was changed", self.window.status.text())

    def test_bad_files_leave_the_window_as_it_was(self) -> None:
        good = self.folder / "good.flac"
        shutil.copy(DATA / "slt_hts-001.flac", good)
        self.drop(good)
        line = self.window.session.line
        for name, data in (("a.wav", b""), ("b.wav", b"nonsense " * 99), ("c.txt", b"\x00\x01")):
            (self.folder / name).write_bytes(data)
            self.drop(self.folder / name)
            self.assertTrue(self.window.status.text().startswith("⚠"), name)
            self.assertIs(self.window.session.line, line)
        self.window.session.hearing.listen()
        self.assertIn("no script", self.window.status.text())

    def test_a_script_for_something_else_is_told_and_changes_nothing(self) -> None:
        good = self.folder / "good.flac"
        shutil.copy(DATA / "slt_hts-001.flac", good)
        self.drop(good)
        self.window.script.setPlainText("Seven yellow chairs fell off a fishing ship on Thursday.")
        self.window.session.hearing.listen()
        self.wait(lambda: self.window.session.hearing.task is None)
        self.assertIn("belong", self.window.status.text())
        self.assertIsNone(self.window.session.reading)


class Time(WindowCase):
    def test_picture_and_sound_stay_together_for_three_minutes(self) -> None:
        """At uneven display times, the moment shown is the sample that the device sends then."""
        clock = Clock()
        player = Player(SilentDevice(clock))
        player.load(np.zeros(RATE * 200, np.float32))
        self.window.player = player
        player.play(0.0)
        began, rng, worst = clock.now, random.Random(1), 0.0
        while clock.now - began < 180:
            clock.now += rng.uniform(0.004, 0.05)
            sample = round((clock.now - began) * RATE)
            self.window._show_moment()
            worst = max(worst, abs(self.window.score.page.playhead - sample / RATE))
        self.assertLess(worst, 0.020)

    def test_errors_of_the_work_arrive_as_sentences(self) -> None:
        def broken(_: object) -> None:
            raise GlyphosError("No such luck.")

        def bug(_: object) -> None:
            raise ZeroDivisionError("x")

        for work, expected in ((broken, "No such luck."), (bug, "inside Glyphos")):
            heard: list[str] = []
            task = Task(work)
            task.signals.failed.connect(heard.append)
            task.start()
            self.wait(lambda heard=heard: bool(heard))
            self.assertIn(expected, heard[0])
