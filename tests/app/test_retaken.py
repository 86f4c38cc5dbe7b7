"""A line whose recording became another while something was made of the one before."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any
from unittest import mock

from glyphos.speech import realign
from glyphos.speech.parts import Part
from glyphos.speech.reading import Reading
from tests.app.harness import WindowCase
from tests.faults import late

LISTEN = "glyphos.speech.listening.listen_line"
REALIGN = "glyphos.speech.realign.realign"


class AnotherRecording(WindowCase):
    """The line gets another recording while something is made of the one that it had."""

    OTHER = "audio/again.flac"

    def setUp(self) -> None:
        super().setUp()
        shutil.copy(self.document.production.audio_path(self.line), self.production / self.OTHER)

    def swap(self, **more: Any) -> None:
        """As undoing a retake does."""
        self.change_line("Another recording", **({"audio": self.OTHER, "reading": None} | more))

    def test_listening_begins_anew_with_the_recording_that_the_line_has_by_then(self) -> None:
        with late(LISTEN) as gate:
            self.do("listen")
            self.wait(gate.reached.is_set)
            self.swap()
            gate.open()
            self.idle()
        self.assertEqual(self.reading.audio.file, Path(self.OTHER).name)
        self.assertIs(self.reading, self.line.reading)
        self.assertEqual(self.names(), ["Another recording", "Listen"])

    def test_nothing_of_the_other_comes_to_a_line_that_is_not_shown_any_more(self) -> None:
        slug = self.line.slug
        with late(LISTEN) as gate:
            self.do("listen")
            self.wait(gate.reached.is_set)
            self.swap()
            self.selection.show("03-pip-wind")
            gate.open()
            self.idle()
        self.assertIsNone(self.document.kept_line(slug).reading)
        self.assertIn("another recording by now", self.status)

    def test_timing_is_loaded_for_it(self) -> None:
        path = self.folder / "words.vtt"
        path.write_text("WEBVTT\n\n00:00.200 --> 00:00.600\nhush\n")
        with late("glyphos.handoff.timing.load") as gate:
            self.page.ask.load_timing_from(path)
            self.wait(gate.reached.is_set)
            self.swap()
            gate.open()
            self.idle()
        self.assertEqual(self.reading.audio.file, Path(self.OTHER).name)
        self.assertEqual([w.text for w in self.words()], ["hush"])

    def test_the_one_that_is_read_again_does_not_come_back(self) -> None:
        with late("glyphos.speech.realign.retake") as gate:
            self.hearing.reload(self.line.slug)
            self.wait(gate.reached.is_set)
            self.swap()
            gate.open()
            self.idle()
        self.assertEqual(self.line.audio, self.OTHER)
        self.assertEqual(self.names(), ["Another recording"])

    def test_edges_are_found_in_it(self) -> None:
        asked: list[Any] = []
        real = realign.realign

        def watched(reading: Reading, evidence: Any, windows: Any) -> Reading:
            asked.append(evidence)
            return real(reading, evidence, windows)

        with mock.patch(REALIGN, watched), late(REALIGN) as gate:
            self.selection.select(Part("word", 4))
            self.do("end-later")
            self.wait(gate.reached.is_set)
            self.swap(reading=self.reading)
            gate.open()
            self.settled()
        self.assertIs(asked[-1], self.context.derived.ready_evidence(self.line))

    def test_what_a_check_found_is_not_done_to_it(self) -> None:
        self.show("06-osric-poor")
        with late("glyphos.proof.recording_check.check") as gate:
            self.do("check")
            self.wait(gate.reached.is_set)
            self.swap()
            gate.open()
            self.idle()
        self.assertIn("changed meanwhile", self.status)
        self.do("undo")
        self.do("check")
        dialog = self.dialog()
        self.swap()
        dialog.accept()
        self.assertFalse(self.line.condition)
        self.assertIn("check it again", self.status)
