"""The Booth: a play typed and said, voices kept with speakers, takes recorded through the stand-in, one used."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QTextCursor
from PySide6.QtTest import QTest

from glyphos.app.model.settings import draft
from glyphos.app.pages.booth.saying import Saying as SayingHalf
from glyphos.booth.microphone import MicrophoneError
from glyphos.booth.takes import takes_of
from glyphos.errors import EditError
from glyphos.motion.mood import MoodSpan
from glyphos.production.production import Production
from glyphos.speech.saying import PlaceholderVoice, say
from tests.app.boothed import DATA, PLAY, Booth
from tests.faults import late


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
        with mock.patch("glyphos.app.pages.booth.saying.say", side_effect=say) as said:
            self.saying.text.setPlainText("Non sono stato io, ho solo pulito gli stivali.")
            self.window.commands.do("booth-hear")
            self.idle()
        self.assertEqual(said.call_args.kwargs, {"language": "it"})
        with mock.patch("glyphos.app.pages.booth.saying.say", side_effect=say) as said:
            self.saying.text.setPlainText(
                "Ma no!\n\nNon sono stato io, ho solo pulito gli stivali."
            )
            cursor = self.saying.text.textCursor()
            cursor.setPosition(6, QTextCursor.MoveMode.KeepAnchor)
            self.saying.text.setTextCursor(cursor)
            self.window.commands.do("booth-hear")
            self.idle()
        self.assertEqual(said.call_args.args[0], "Ma no!")
        self.assertEqual(said.call_args.kwargs, {"language": "it"})  # as the whole text tells
        self.say("OSRIC: Non sono stato io, ho solo pulito gli stivali.")
        self.assertEqual(self.line.language, "it")
        self.assertIn("1 line said, in Italian, marked", self.status)

    def test_the_voice_shown_is_that_of_the_line_unless_something_is_written(self) -> None:
        self.show("03-pip-wind")
        self.assertEqual(self.saying.speaker.currentText(), "Pip")
        self.saying.text.setPlainText("Who is there?")
        self.saying.speaker.setCurrentText("Guard")
        self.show("04-osric-boots")
        self.assertEqual(self.saying.speaker.currentText(), "Guard")
        self.say("Who is there?")
        self.assertEqual(self.line.speaker, "Guard")
        self.show("04-osric-boots")
        self.assertEqual(self.saying.speaker.currentText(), "Osric")
        self.saying.speaker.setCurrentText("Mabel")
        self.saying.set_voice(PlaceholderVoice(pitch=70))
        self.assertEqual(self.saying.speaker.currentText(), "Mabel")

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
            self.saying.text.setPlainText("\n".join(f"A: Line {k}." for k in range(500)))
            cursor = self.saying.text.textCursor()
            cursor.movePosition(
                QTextCursor.MoveOperation.EndOfLine, QTextCursor.MoveMode.KeepAnchor
            )
            self.saying.text.setTextCursor(cursor)
            self.window.commands.do("booth-hear")  # however long the whole is
            self.idle()
        self.assertEqual(said, ["It is warm.", "Only me.", "Line 0."])
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
        self.assertIn("Said again", self.status)
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
            self.wait(lambda: heard)
        self.assertGreater(heard[0], 40_000)
        self.window.commands.do("booth-use")
        self.wait(lambda: "swapped" in self.status)
        self.idle()
        self.assertEqual(self.line.placeholder, "")
        self.assertIn("take-01", self.line.audio)
        self.assertEqual(len(takes_of(self.document.folder, slug)), 2)  # all stay
        self.document.flush()
        self.assertEqual(Production.open(self.production).line(slug).placeholder, "")

    def test_takes_of_earlier_days_are_listed_at_once_and_measured_beside(self) -> None:
        self.show("03-pip-wind")
        self.take()
        self.window.commands.do("booth-record")
        self.idle()
        said = self.recording.takes.item(0).text()
        self.assertIn("peak", said)
        with mock.patch.dict("glyphos.booth.takes._PEAKS", clear=True):
            self.recording.refresh()
            self.assertEqual(self.recording.takes.item(0).text(), said.partition("    peak")[0])
            self.idle()
            self.assertEqual(self.recording.takes.item(0).text(), said)

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
        self.assertEqual(self.ambiguous(), set())
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


if __name__ == "__main__":
    unittest.main()
