"""The Booth: a play typed and said, voices kept with speakers, takes recorded through the stand-in, one used."""

from __future__ import annotations

import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QTextCursor
from PySide6.QtTest import QTest

from glyphos.app.model.settings import draft
from glyphos.app.pages.booth.saying import Saying as SayingHalf
from glyphos.booth.kept import LIVE, left
from glyphos.booth.microphone import MicrophoneError, StandInMicrophone
from glyphos.booth.takes import TakeWriter, takes_of
from glyphos.errors import EditError
from glyphos.live.face import Controls
from glyphos.motion.mood import MoodSpan
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.saying import PlaceholderVoice
from tests.app.harness import WindowCase
from tests.faults import late

DATA = Path(__file__).parents[1] / "data"
PLAY = """MABEL: The beam is out again. Somebody moved my map.
OSRIC (grumbling): Not me. I was wiping my boots.

PIP: Probably the wind, Osric."""


class Booth(WindowCase):
    own_window = True

    def setUp(self) -> None:
        super().setUp()
        self.window.commands.do("page-booth")
        self.booth = self.window.pages["booth"]
        self.saying, self.recording = self.booth.saying, self.booth.recording

    def say(self, text: str, *, scene: bool = False) -> None:
        self.saying.text.setPlainText(text)
        self.saying.scene.setChecked(scene)
        self.window.commands.do("booth-make")
        self.wait(lambda: "said" in self.status)
        self.idle()

    def take(self, seconds: float = 1.0, **microphone: float) -> None:
        """Record through a stand-in that speaks quickly."""
        spoken = StandInMicrophone(DATA / "slt_hts-001.flac", speed=6, **microphone)
        self.recording.count_in.setValue(0)
        with mock.patch.object(self.recording, "make_microphone", lambda: spoken):
            self.window.commands.do("booth-record")
        self.wait(
            lambda: (
                self.recording.recorder is None
                or not self.recording.recorder.recording
                or self.recording.recorder.seconds > seconds
            )
        )

    def speak(self) -> None:
        """Begin to speak into the live face."""
        spoken = StandInMicrophone(DATA / "slt_hts-001.flac")
        with mock.patch.object(self.recording, "make_microphone", lambda: spoken):
            self.window.commands.do("booth-live")


class Saying(Booth):
    def test_a_play_becomes_lines_and_a_scene_in_one_step(self) -> None:
        steps, count = len(self.document.history.done), len(self.document.production.lines)
        self.say(PLAY, scene=True)
        self.assertEqual(len(self.document.history.done), steps + 1)
        lines = self.document.production.lines[count:]
        self.assertEqual([x.speaker for x in lines], ["Mabel", "Osric", "Pip"])
        self.assertEqual({x.state for x in lines}, {"placeholder"})
        self.assertEqual(self.selection.slug, lines[0].slug)
        self.assertIn("placeholder", self.recording.who.text())
        scene = next(s for s in self.document.production.scenes if s.slug == "said")
        clips = sorted((c.start, c.line) for lane in scene.lanes for c in lane.clips)
        self.assertEqual([line for _, line in clips], [x.slug for x in lines])
        self.assertEqual(self.context.scenery.slug, "said")
        self.assertIsNotNone(self.current.motion)  # the face speaks at once
        self.window.commands.do("undo")
        self.assertEqual(len(self.document.production.lines), count)
        self.assertEqual(self.document.flush(), "")

    def test_it_is_heard_before_it_is_kept(self) -> None:
        count = len(self.document.production.lines)
        heard: list[np.ndarray] = []
        with mock.patch.object(self.transport, "say", lambda samples, rate: heard.append(samples)):
            self.saying.text.setPlainText(PLAY)
            self.window.commands.do("booth-hear")
            self.wait(lambda: heard)
            self.idle()
        self.assertGreater(len(heard[0]), 20_000)
        self.assertEqual(len(self.document.production.lines), count)
        self.assertIn("first turn", self.status)

    def test_a_turn_of_a_screenplay_is_said_without_its_name(self) -> None:
        said: list[str] = []
        self.saying.text.setPlainText("INT. ATTIC\n\nHARRIET\nIt is warm.\n\nTOM\nOnly me.")
        with mock.patch(
            "glyphos.app.pages.booth.saying.say",
            side_effect=lambda text, *_, **__: said.append(text),
        ):
            self.window.commands.do("booth-hear")
            self.idle()
            cursor = self.saying.text.textCursor()
            cursor.setPosition(self.saying.text.toPlainText().index("TOM"))
            cursor.movePosition(QTextCursor.MoveOperation.End, QTextCursor.MoveMode.KeepAnchor)
            self.saying.text.setTextCursor(cursor)
            self.window.commands.do("booth-hear")
            self.idle()
        self.assertEqual(said, ["It is warm.", "Only me."])
        self.say("INT. ATTIC\n\nHARRIET\nIt is warm.\n\nTOM\nOnly me.")
        self.assertIn("1 paragraph left out that nobody says", self.status)

    def test_text_that_became_no_lines_is_there_at_the_next_start(self) -> None:
        for text, after in ((PLAY, PLAY), ("PIP: Probably the wind.", "")):
            self.saying.text.setPlainText(text)
            if not after:
                self.say(text)
            else:
                self.wait(lambda text=text: draft() == text)  # whoever is killed later has it
            self.assertEqual(SayingHalf(self.context).text.toPlainText(), after)
        self.saying.text.setPlainText("Hush.")
        self.window.commands.do("page-score")
        self.assertEqual(draft(), "Hush.")

    def test_a_voice_is_kept_with_its_speaker_and_said_again_with_it(self) -> None:
        self.say("PIP: Probably the wind.")
        slug, long = self.selection.slug, self.line.duration
        self.saying.speaker.setCurrentText("Pip")
        steps = len(self.document.history.done)
        self.saying.voice.pace.setValue(90)
        self.saying.voice.pace.setValue(85)
        self.assertEqual(len(self.document.history.done), steps + 1)
        self.assertEqual(self.document.header.voices["Pip"].pace, 85)
        self.window.commands.do("booth-again")
        self.wait(lambda: self.line.duration > 1.4 * long)
        self.assertEqual(self.selection.slug, slug)
        self.window.commands.do("undo")
        self.window.commands.do("undo")
        self.assertEqual(self.saying.voice.pace.value(), self.saying.voice.voice().pace)
        self.assertNotIn("Pip", self.document.header.voices)

    def test_what_is_done_while_a_line_is_said_again_stays_whatever_is_shown_by_then(self) -> None:
        self.say("PIP: Probably the wind.\n\nPIP: Or the rain.")
        slug = self.selection.slug
        other = next(
            x.slug for x in self.document.production.lines if x.placeholder and x.slug != slug
        )
        before = self.document.kept_line(other)
        with late("glyphos.app.pages.booth.saying.respoken") as gate:
            self.saying.voice.pace.setValue(85)
            self.window.commands.do("booth-again")
            self.wait(gate.reached.is_set)
            self.change_line("Feel", moods=(MoodSpan("joy", 0.2, 0.6),))
            self.selection.show(other)
            gate.open()
            self.idle()
        line = self.document.kept_line(slug)
        self.assertEqual([m.mood for m in line.moods], ["joy"])
        self.assertEqual(self.names()[-1], "Say again")
        self.assertTrue(self.document.kept_line(other) is before)

    def test_what_cannot_be_said_is_a_sentence(self) -> None:
        self.saying.text.setPlainText("")
        self.window.commands.do("booth-make")
        self.assertIn("There is nothing to say", self.status)
        self.saying.text.setPlainText("Hello")
        self.saying.command.setText("no-such-voice")
        self.window.commands.do("booth-make")
        self.wait(lambda: "cannot be run" in self.status)
        self.show("01-mabel-beam")
        self.window.commands.do("booth-again")
        self.assertIn("placeholder voice speaks", self.status)
        self.saying.speaker.setCurrentText("")
        self.saying.voice.pitch.setValue(70)
        self.assertIn("Name the speaker", self.status)

    def test_letters_are_typed_and_not_commands(self) -> None:
        self.saying.text.setFocus()
        QTest.keyClicks(self.saying.text, "rut")
        self.assertEqual(self.saying.text.toPlainText(), "rut")
        self.assertIsNone(self.recording.recorder)
        QTest.keyClick(self.saying.text, Qt.Key.Key_Tab)
        self.assertFalse(self.saying.text.hasFocus())


class Recording(Booth):
    def test_takes_are_kept_compared_and_one_is_used(self) -> None:
        self.say(f"MABEL: {(DATA / 'slt_hts-001.txt').read_text().strip()}")
        slug = self.selection.slug
        for number in (1, 2):
            self.take()
            self.window.commands.do("booth-record")
            self.assertIn(f"take {number} is kept", self.recording.said.text())
        self.idle()
        self.assertEqual(self.recording.takes.count(), 2)
        self.recording.takes.setCurrentRow(0)
        heard: list[int] = []
        with mock.patch.object(
            self.transport, "say", lambda samples, rate: heard.append(len(samples))
        ):
            self.window.commands.do("booth-take")
        self.assertGreater(heard[0], 40_000)
        self.window.commands.do("booth-use")
        self.wait(lambda: "swapped" in self.status)
        self.idle()
        self.assertEqual(self.line.placeholder, "")
        self.assertIn("take-01", self.line.audio)
        self.assertEqual(len(takes_of(self.document.folder, slug)), 2)  # all stay
        self.document.flush()
        self.assertEqual(Production.open(self.production).line(slug).placeholder, "")

    def test_a_microphone_that_goes_away_and_one_that_is_not_there(self) -> None:
        self.take(seconds=9.0, lose=0.8)
        self.wait(lambda: "is gone" in self.status)
        self.assertEqual(self.recording.takes.count(), 1)
        gone = mock.Mock()
        gone.start.side_effect = MicrophoneError("The microphone cannot be opened.")
        with mock.patch.object(self.recording, "make_microphone", lambda: gone):
            self.window.commands.do("booth-record")
        self.assertIn("cannot be opened", self.status)
        self.answers.given = [[]]
        self.recording.microphone.setCurrentIndex(self.recording.microphone.count() - 1)
        self.window.commands.do("booth-record")
        self.assertIn("needs a file", self.status)

    def test_another_line_or_page_ends_the_take_and_keeps_it(self) -> None:
        self.show("03-pip-wind")
        self.take()
        self.show("05-mabel-hush")
        self.assertEqual(len(takes_of(self.document.folder, "03-pip-wind")), 1)
        self.take()
        self.window.commands.do("page-score")
        self.assertEqual(len(takes_of(self.document.folder, "05-mabel-hush")), 1)
        self.assertIsNone(self.recording.recorder)

    def test_another_production_with_the_same_line_ends_the_take_and_keeps_it(self) -> None:
        """As when a production that had no name gets one while somebody speaks."""
        slug = self.document.production.slugs[0]
        self.show(slug)
        self.take()
        self.window.productions.copy_to(self.folder / "named", forget=self.production)
        self.idle()
        self.assertEqual((self.document.folder.name, self.selection.slug), ("named.glyphos", slug))
        self.assertFalse(self.recording.recorder.recording)
        self.assertFalse(self.production.exists())
        (take,) = takes_of(self.document.folder, slug)
        self.assertGreater(take.seconds, 0.3)
        self.assertEqual(self.recording.takes.count(), 1)

    def test_on_another_page_no_takes_are_read(self) -> None:
        self.show("03-pip-wind")
        self.take()
        self.window.commands.do("page-score")
        place = "glyphos.app.pages.booth.recording.takes_of"
        with mock.patch(place, side_effect=takes_of) as read:
            self.show("05-mabel-hush")
            self.change_line("Say it otherwise", "05-mabel-hush", script="Hush. Look down.")
            self.show("03-pip-wind")
            read.assert_not_called()
            self.window.commands.do("page-booth")
            read.assert_called()
        self.assertEqual(self.recording.takes.count(), 1)
        self.assertEqual(self.recording.script.text(), "Probably the wind, Osric.")
        self.show("05-mabel-hush")
        self.assertEqual(self.recording.script.text(), "Hush. Look down.")
        self.assertEqual(self.recording.takes.count(), 0)


class FromNothing(Booth):
    """The window as it is at its very first start, with nothing open."""

    demo = False

    def kept(self) -> Production:
        """What is on disk once the window is gone."""
        self.assertEqual(self.document.flush(), "")
        (folder,) = (self.folder / "unsaved").iterdir()
        self.assertEqual(self.document.folder, folder)
        return Production.open(folder)

    def test_what_is_said_is_kept(self) -> None:
        self.say(PLAY, scene=True)
        kept = self.kept()
        self.assertEqual([x.speaker for x in kept.lines], ["Mabel", "Osric", "Pip"])
        self.assertTrue(all((kept.folder / x.audio).exists() for x in kept.lines))
        self.assertEqual(len(kept.scenes), 1)
        self.assertIsNotNone(self.current.motion)

    def test_what_is_spoken_is_kept(self) -> None:
        live = self.recording.live
        self.speak()
        live.keep.click()
        self.wait(lambda: self.context.tracking.live.health.seconds > 1.0)
        live.keep.click()
        self.wait(lambda: len(self.document.production.lines) == 1)
        self.idle()
        (line,) = self.kept().lines
        self.assertEqual(len(takes_of(self.document.folder, line.slug)), 1)

    def test_a_voice_is_kept(self) -> None:
        self.saying.speaker.setCurrentText("Mabel")
        self.saying.set_voice(PlaceholderVoice(pitch=71))
        self.assertEqual(self.kept().header.voices["Mabel"].pitch, 71)

    def test_without_a_place_for_it_nothing_seems_to_be_kept(self) -> None:
        self.window.productions.unsaved = None
        self.saying.text.setPlainText(PLAY)
        self.window.commands.do("booth-make")
        self.idle()
        self.assertIn("Make a production first", self.status)
        self.saying.speaker.setCurrentText("Mabel")
        with self.assertRaisesRegex(EditError, "Make a production first"):
            self.saying.set_voice(PlaceholderVoice(pitch=71))
        self.assertEqual(self.document.production.lines, ())
        self.assertEqual(self.document.header.voices, {})


class Speaking(Booth):
    def test_a_voice_moves_the_face_and_is_kept_as_a_line(self) -> None:
        live = self.recording.live
        self.speak()
        live.keep.click()
        self.wait(lambda: self.context.tracking.values().get("lips_part", 0.0) > 0.2)
        self.assertIn("ms behind the sound", live.said.text())
        live.sliders["Articulation"].setValue(50)
        self.assertEqual(self.context.tracking.live.controls.articulation, 0.5)
        live.calibrate.click()
        self.assertIn("five seconds", self.status)
        live.mute.click()
        self.wait(lambda: self.context.tracking.values().get("lips_part", 1.0) < 0.02)
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
        said = self.context.tracking.live.health.seconds
        live.keep.click()  # into the new one, and then the tracker is taken by another
        self.wait(lambda: self.context.tracking.live.health.seconds > said + 0.5)
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
        spoken = StandInMicrophone(DATA / "slt_hts-001.flac", lose=0.7)
        face, tracking = self.window.face_panel.face, self.context.tracking
        with (
            mock.patch.object(
                self.recording, "make_microphone", side_effect=lambda: spoken
            ) as made,
            mock.patch("glyphos.live.face.AGAIN", 2.5),
        ):
            self.window.commands.do("booth-live")
            self.wait(lambda: face.pose.get("lips_part", 0.0) > 0.2)
            self.wait(lambda: "microphone is gone" in self.recording.live.said.text())
            self.wait(lambda: tracking.values() == {})
            self.wait(lambda: face.pose == self.context.living.values(0.0))
            self.assertNotIn("tracker", self.status)
            self.wait(lambda: tracking.values().get("lips_part", 0.0) > 0.2)
            self.wait(lambda: "sound is back" in self.status)
            made.assert_called_once()  # it may ask for a file, which only the window's own thread can

    def test_where_time_is_short_sound_goes_first_and_pictures_wait(self) -> None:
        spoken, tracking = StandInMicrophone(DATA / "slt_hts-001.flac"), self.context.tracking
        told: list[float] = []
        with mock.patch(
            "glyphos.live.face.LiveFace.behind", new_callable=mock.PropertyMock
        ) as wait:
            wait.return_value = 0.2  # of sound that waits
            tracking.speak(lambda: spoken, Controls())
            tracking.moved.connect(lambda: told.append(time.monotonic()))
            self.wait(lambda: tracking.live.health.packets > 60)
            self.assertGreater(len(told), 1)  # it still does not freeze
            self.assertGreater(min(np.diff(told)), 0.19)
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
