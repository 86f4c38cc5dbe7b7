"""A face that speaks now, in a real window with a stand-in for the microphone."""

from __future__ import annotations

import resource
import tempfile
import threading
import time
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from glyphos.app.pages.booth.who import LEARNING, NOBODY
from glyphos.booth.kept import LIVE, left
from glyphos.booth.microphone import MicrophoneError, StandInMicrophone
from glyphos.booth.takes import TakeWriter, takes_of
from glyphos.live.ear import Known
from glyphos.live.face import Controls
from glyphos.live.speaker import MOST, CalibrationError
from glyphos.production.store import Store
from tests.app.boothed import DATA, Booth, Pluggable
from tests.live.test_lines import KNOWN
from tests.patience import PATIENCE

MAP = "flite_awb-001"  # “Bring me the blue map before the dome opens.”


class Speaking(Booth):
    def setUp(self) -> None:
        super().setUp()
        # A machine that is busy with other things is no microphone that is gone
        self.enterContext(mock.patch("glyphos.live.tracker.GONE", PATIENCE))

    def test_a_voice_moves_the_face_and_is_kept_as_a_line(self) -> None:
        live = self.recording.live
        self.speak()
        live.keep.click()
        self.wait(lambda: self.context.tracking.values().get("lips_part", 0.0) > 0.2)
        self.wait(lambda: "ms behind the sound" in live.said.text())
        live.sliders["Articulation"].setValue(50)
        self.assertEqual(self.context.tracking.live.controls.articulation, 0.5)
        live.mute.click()
        self.wait(lambda: self.context.tracking.values().get("lips_part", 1.0) < 0.02)
        live.mute.click()
        count = len(self.document.production.lines)
        self.wait(lambda: self.context.tracking.live.health.seconds > 2.0)
        live.keep.click()
        self.wait(lambda: len(self.document.production.lines) == count + 1)
        self.idle()
        self.assertGreater(self.line.duration, 1.5)
        self.assertIn("It is a line now", self.status)
        self.window.commands.do("booth-live")
        self.assertIsNone(self.context.tracking.live)
        self.assertEqual(self.context.tracking.values(), {})

    def test_a_disk_that_fills_up_ends_what_is_kept_and_nothing_else(self) -> None:
        live, old = self.recording.live, resource.getrlimit(resource.RLIMIT_FSIZE)
        self.speak()
        try:  # as of a full disk, from so many bytes of a file on
            resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, old[1]))
            live.keep.click()
            self.wait(lambda: not live.keep.isChecked())
        finally:
            resource.setrlimit(resource.RLIMIT_FSIZE, old)
        self.assertIn("The take ends here: file too large", self.status)
        self.assertTrue(live.speak.isChecked())
        self.wait(lambda: "ms behind the sound" in live.said.text())
        self.assertTrue(live.bring.isVisible())
        narrow = live.minimumSizeHint().width()
        live.said.setText("What is said at length makes no room for itself. " * 5)
        self.application.processEvents()
        self.assertEqual(live.minimumSizeHint().width(), narrow)
        live.bring.click()
        self.idle()
        self.assertIn("It is a line now", self.status)
        self.assertAlmostEqual(self.line.duration, 200_000 / 3 / 48_000, delta=0.1)

    def test_it_is_not_said_to_follow_once_it_has_ended(self) -> None:
        self.speak()
        self.assertIn("follows", self.status)
        self.recording.live.speak.click()
        self.assertIsNone(self.context.tracking.live)
        self.assertIn("no longer follows", self.status)

    def read_aloud(self, sentence: str) -> None:
        """Calibrate with a sentence while MAP is spoken, and wait for what comes of it."""
        live, tracking = self.recording.live, self.context.tracking
        if tracking.live is not None:
            live.speak.click()
        spoken = StandInMicrophone(DATA / f"{MAP}.flac", speed=2)
        with (
            mock.patch.object(self.recording, "make_microphone", lambda: spoken),
            mock.patch.dict("glyphos.live.speaker.SENTENCES", en=sentence),
        ):
            live.speak.click()
            live.calibrate.click()
            self.assertEqual(live.sentence.text(), f"Read aloud: “{sentence}”")
            self.assertTrue(live.sentence.isVisible())
            self.assertIsNone(tracking.known)
            self.wait(lambda: not live.sentence.isVisible())
            self.idle()

    def is_over(self) -> None:
        """Nobody reads what there is to be read, until it is not waited for any more."""
        for _ in range(MOST):
            self.context.tracking.live._reader.push(np.zeros(160, np.float32), False)

    def test_a_sentence_that_is_read_aloud_makes_the_voice_known(self) -> None:
        live, tracking = self.recording.live, self.context.tracking
        self.read_aloud((DATA / f"{MAP}.txt").read_text().strip())
        self.assertIn("its lips were shut 8 times", self.status)
        self.assertEqual(tracking.known.closures, 8)
        self.assertIs(tracking.live._hearing._ear.known, tracking.known)
        self.assertEqual(live.who.currentText(), "Whoever calibrated")
        live.speak.click()
        tracking.known, live.who.who, live.who._chosen = (
            None,
            NOBODY,
            False,
        )  # as in the next window
        self.speak()  # again; it is the same speaker
        self.assertEqual(tracking.live._hearing._ear.known.closures, 8)
        refused = CalibrationError("What is said does not sound like it.")
        live.calibrate.click()
        with mock.patch("glyphos.live.beside.beside", side_effect=refused):
            self.is_over()
            self.wait(lambda: not live.sentence.isVisible())
            self.idle()
        self.assertIn(str(refused), self.status)
        self.assertIsNone(tracking.known)
        self.assertEqual(live.who.currentText(), "Somebody new")

    def choose(self, who: str) -> None:
        box = self.recording.live.who
        box.showPopup()
        self.assertIn(who, [box.itemText(k) for k in range(box.count())])
        box.hidePopup()
        box.setCurrentText(who)
        box.activated.emit(box.currentIndex())

    def test_whose_lines_are_there_is_known_by_them(self) -> None:
        live, tracking = self.recording.live, self.context.tracking
        self.assertEqual(live.who.currentText(), "Somebody new")
        self.choose("Osric, by their lines")
        self.idle()
        self.assertEqual(tracking.known.closures, 9)
        self.assertIn("The voice of Osric is known", self.status)
        self.speak()
        self.assertIs(tracking.live._hearing._ear.known, tracking.known)
        self.choose("Pip, by their lines")
        self.assertIsNone(tracking.live._hearing._ear.known)
        self.idle()
        self.assertIn("In lines of Pip that are surely heard lips are shut 3 times", self.status)
        self.assertEqual(live.who.currentText(), "Somebody new")
        self.choose("Osric, by their lines")
        self.assertEqual(tracking.live._hearing._ear.known.closures, 9)
        self.choose("Somebody new")
        self.assertIsNone(tracking.live._hearing._ear.known)
        self.choose("Osric, by their lines")
        other = Path(self.enterContext(tempfile.TemporaryDirectory())) / "other.glyphos"
        Store.create(other, name="Other").close()
        self.window.productions.open(other)
        self.idle()
        self.assertIsNone(tracking.known)
        self.assertEqual([live.who.itemText(k) for k in range(live.who.count())], ["Somebody new"])

    def test_lines_that_changed_are_learnt_from_again(self) -> None:
        learnt: list[Known] = []

        def learn(*_: object, progress: object) -> Known:
            learnt.append(replace(KNOWN, closures=6 + len(learnt)))
            return learnt[-1]

        with mock.patch("glyphos.live.beside.beside", learn):
            for count, again in ((1, lambda: None), (2, self.speak)):
                self.choose("Osric, by their lines")
                self.idle()
                self.choose("Osric, by their lines")
                self.idle()
                self.assertEqual(len(learnt), count)
                self.change_line("Another take", "04-osric-boots", duration=9.0 + count)
                again()
            self.idle()
        self.assertEqual(len(learnt), 3)
        self.assertIs(self.context.tracking.live._hearing._ear.known, learnt[-1])

    def test_a_voice_that_is_being_learnt_is_not_begun_again(self) -> None:
        go, begun = threading.Event(), []

        def slowly(*given: object, progress: object) -> Known:
            begun.append(given)
            go.wait(PATIENCE)
            return KNOWN

        with mock.patch("glyphos.live.beside.beside", slowly):
            self.choose("Osric, by their lines")
            self.wait(lambda: begun)
            self.speak()
            go.set()
            self.idle()
        self.assertEqual(len(begun), 1)
        self.assertIs(self.context.tracking.live._hearing._ear.known, KNOWN)

    def test_whom_a_key_passes_by_is_not_begun_to_be_learnt(self) -> None:
        box, begun = self.recording.live.who, []

        def learn(_: object, lines: object, speaker: str, *, progress: object) -> Known:
            begun.append(speaker)
            return KNOWN

        with mock.patch("glyphos.live.beside.beside", learn):
            for _ in range(3):
                QTest.keyClick(box, Qt.Key.Key_Down)
            self.assertEqual(begun, [])
            self.wait(lambda: begun)
            self.idle()
        self.assertEqual([f"{begun[0]}, by their lines"], [box.currentText()])
        self.assertEqual((len(begun), box.currentIndex()), (1, 3))

    def test_who_is_chosen_while_the_sentence_is_to_be_read_stays(self) -> None:
        live, go = self.recording.live, threading.Event()

        def slowly(*_: object, progress: object) -> Known:
            go.wait(PATIENCE)
            return KNOWN

        self.speak()
        live.calibrate.click()
        with mock.patch("glyphos.live.beside.beside", slowly):
            self.choose("Osric, by their lines")
            self.assertFalse(live.sentence.isVisible())
            self.is_over()
            self.wait(lambda: self.context.tracking.live.health.seconds > 1.0)
            go.set()
            self.idle()
        self.assertEqual(live.who.currentText(), "Osric, by their lines")
        self.assertIs(self.context.tracking.known, KNOWN)

    def test_somebody_new_is_learnt_while_they_speak_and_stays_known_when_they_go_on(self) -> None:
        live, tracking = self.recording.live, self.context.tracking
        with (
            mock.patch("glyphos.live.learning.FIRST", 0.5),
            mock.patch("glyphos.live.learning._beside", lambda *_: KNOWN),
        ):
            self.speak()
            self.wait(lambda: "voice learnt" in live.said.text())
            self.assertIs(tracking.live._hearing._ear.known, KNOWN)
        live.speak.click()
        self.speak()
        self.assertIs(tracking.live._hearing._ear.known, KNOWN)
        self.assertEqual(tracking.live.health.learnt, 0)  # it is learnt anew
        self.choose("Somebody new")
        self.assertIsNone(tracking.live._hearing._ear.known)

    def test_what_is_learnt_of_one_is_not_taken_for_another(self) -> None:
        go, tracking = threading.Event(), self.context.tracking

        def slowly(*_: object, progress: object) -> str:
            go.wait(PATIENCE)
            return "Mabel"

        with mock.patch("glyphos.live.beside.beside", slowly):
            self.choose("Mabel, by their lines")
            self.wait(lambda: self.jobs.find(LEARNING))
            self.choose("Somebody new")
            go.set()
            self.assertIsNone(self.jobs.find(LEARNING))
            time.sleep(0.2)
            self.idle()
        self.assertIsNone(tracking.known)

    def test_what_was_learnt_of_one_is_not_taken_for_the_next_who_calibrates(self) -> None:
        live, tracking, go = self.recording.live, self.context.tracking, threading.Event()

        def slowly(*_: object, progress: object) -> str:
            go.wait(PATIENCE)
            return "the first"

        self.speak()
        live.calibrate.click()
        with mock.patch("glyphos.live.beside.beside", slowly):
            self.is_over()
            self.wait(lambda: self.jobs.find(LEARNING))
            live.calibrate.click()  # somebody else
            go.set()
            self.assertIsNone(self.jobs.find(LEARNING))
            self.idle()
            time.sleep(0.2)
            self.idle()
        self.assertIsNone(tracking.known)
        self.assertIn("Read the sentence aloud", self.status)

    def test_a_sentence_that_nobody_waits_for_any_more_is_taken_away(self) -> None:
        live = self.recording.live
        self.do("booth-calibrate")
        self.assertIn("Begin with Speak now", self.status)
        self.assertFalse(live.sentence.isVisible())
        self.speak()
        self.window.resize(1024, 640)
        self.do("booth-calibrate")
        self.wait(lambda: live.sentence.visibleRegion().boundingRect().height() == live.sentence.height())  # fmt: skip
        live.speak.click()
        self.assertFalse(live.sentence.isVisible())

    def test_what_was_left_of_a_live_session_is_offered_and_brought_in(self) -> None:
        live = self.recording.live
        self.assertFalse(live.bring.isVisible())
        count = len(self.document.production.lines)
        folder = self.document.folder
        self.speak()
        live.keep.click()
        self.wait(lambda: self.context.tracking.live.health.seconds > 1.0)
        other = Path(self.enterContext(tempfile.TemporaryDirectory())) / "other.glyphos"
        Store.create(other, name="Other").close()
        self.window.productions.open(other)
        self.idle()
        self.assertEqual(self.document.production.lines, ())
        self.wait(lambda: not live.keep.isChecked())
        self.assertEqual(len(left(folder)), 1)
        self.assertFalse(live.bring.isVisible())
        live.keep.click()  # into the new one, and then the tracker is taken by another
        # What is kept may be far ahead of what the face was moved by
        self.wait(lambda: len(left(self.document.folder)) == 1)
        self.context.tracking.close()
        self.assertIn("(1)", live.bring.text())
        live.bring.click()
        self.wait(lambda: len(self.document.production.lines) == 1)
        self.idle()
        self.assertFalse(live.bring.isVisible())
        self.window.productions.open(folder)
        self.idle()
        self.assertEqual(len(self.document.production.lines), count)
        self.wait(lambda: "(1)" in live.bring.text())
        live.bring.click()
        self.wait(lambda: len(self.document.production.lines) == count + 1)
        self.assertEqual(left(folder), [])
        self.assertEqual(len(takes_of(folder, self.line.slug)), 1)

    def test_what_is_being_kept_is_not_brought_in_before_it_ends(self) -> None:
        live, folder = self.recording.live, self.document.folder
        writer = TakeWriter(folder, LIVE)
        writer.write(0.1 * np.ones(48_000, np.float32))
        writer.close()
        live.refresh()
        self.speak()
        live.keep.click()
        self.wait(lambda: self.context.tracking.live.health.seconds > 0.8)
        count = len(self.document.production.lines)
        live.bring.click()
        self.wait(lambda: len(self.document.production.lines) == count + 1)
        self.idle()
        self.assertTrue(self.context.tracking.live.take.exists())
        live.keep.click()
        self.wait(lambda: len(self.document.production.lines) == count + 2)
        self.assertEqual(left(folder), [])

    def test_a_microphone_that_is_gone_lets_the_face_rest_and_is_taken_up_again(self) -> None:
        self.show("03-pip-wind")
        spoken = Pluggable(DATA / "slt_hts-001.flac")
        face, tracking = self.window.face_panel.face, self.context.tracking
        with (
            mock.patch.object(
                self.recording, "make_microphone", side_effect=lambda: spoken
            ) as made,
            mock.patch("glyphos.live.face.AGAIN", 0.1),
            mock.patch("glyphos.live.tracker.GONE", 0.3),
        ):
            self.window.commands.do("booth-live")
            self.wait(lambda: face.pose.get("lips_part", 0.0) > 0.2)
            spoken.unplug()
            self.wait(lambda: "microphone is gone" in self.recording.live.said.text())
            self.wait(lambda: tracking.values() == {})
            self.wait(lambda: face.pose == self.context.living.values(0.0))
            self.assertNotIn("tracker", self.status)
            spoken.plugged = True
            self.wait(lambda: tracking.values().get("lips_part", 0.0) > 0.2)
            self.wait(lambda: "sound is back" in self.status)
            made.assert_called_once()  # it may ask for a file, which only the window's own thread can

    def test_where_time_is_short_sound_goes_first_and_pictures_wait(self) -> None:
        spoken, tracking = Pluggable(DATA / "slt_hts-001.flac"), self.context.tracking
        told, now = list[None](), [time.monotonic() + 1.0]
        with (
            mock.patch("glyphos.live.face.LiveFace.behind", new_callable=mock.PropertyMock) as wait,
            mock.patch("glyphos.app.model.tracking.monotonic", lambda: now[0]),
        ):
            wait.return_value = 0.2  # of sound that waits
            tracking.moved.connect(lambda: told.append(None))
            tracking.speak(lambda: spoken, Controls())
            self.wait(lambda: tracking.live.health.packets > 30)
            self.assertEqual(len(told), 1)
            now[0] += 0.25  # it still does not freeze
            self.wait(lambda: len(told) > 1)
            self.wait(lambda: tracking.live.health.packets > 60)
            self.assertEqual(len(told), 2)
            self.assertNotEqual(tracking.values(), {})  # what is recorded misses nothing
            wait.return_value = 0.0
            self.wait(lambda: len(told) > 10)
        tracking.close()

    def test_without_a_line_the_face_speaks_too(self) -> None:
        other = Path(self.enterContext(tempfile.TemporaryDirectory())) / "other.glyphos"
        Store.create(other, name="Other").close()
        self.window.productions.open(other)
        self.idle()
        self.speak()
        panel = self.window.face_panel
        self.wait(lambda: panel.face.pose.get("lips_part", 0.0) > 0.2)
        self.assertTrue(panel.face.isVisible())
        self.context.tracking.close()
        self.assertLess(panel.face.pose.get("lips_part", 0.0), 0.05)

    def test_without_a_microphone_it_says_so(self) -> None:
        gone = mock.Mock()
        gone.start.side_effect = MicrophoneError("The microphone cannot be opened.")
        with mock.patch.object(self.recording, "make_microphone", lambda: gone):
            self.window.commands.do("booth-live")
        self.assertIn("cannot be opened", self.status)
        self.assertFalse(self.recording.live.speak.isChecked())
        self.speak()  # there is one now, and the message is no longer true
        self.assertNotIn("cannot be opened", self.status)


if __name__ == "__main__":
    unittest.main()
