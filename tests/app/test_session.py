"""The session without its window: steps, previews, work that is overtaken, long recordings."""

from __future__ import annotations

import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from PySide6.QtCore import QThreadPool

from glyphos.app import session as sessions
from glyphos.app.desk import Desk
from glyphos.app.player import Player, SilentDevice
from glyphos.app.session import Session
from glyphos.errors import GlyphosError, SaveError
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.speech.parts import Edge, Flat, Part
from glyphos.speech.reading import Reading
from tests.app.harness import Clock, make_application
from tests.labels import DATA


class Case(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.application = make_application()
        self.session = Session(self.folder / "unsaved")
        self.failures: list[str] = []
        self.said: list[str] = []
        self.session.failed.connect(self.failures.append)
        self.session.said.connect(self.said.append)
        self.production = copy_demo(self.folder / "demo")
        self.session.open(self.production)
        self.player = Player(SilentDevice(Clock()))
        self.desk = Desk(self.session, self.player)
        self.addCleanup(self.end)

    def end(self) -> None:
        self.wait(lambda: not self.session.finding)
        self.session.close()
        QThreadPool.globalInstance().waitForDone()
        self.application.processEvents()

    def wait(self, condition: Callable[[], bool], seconds: float = 30) -> None:
        end = time.monotonic() + seconds
        while not condition() and time.monotonic() < end:
            self.application.processEvents()
            time.sleep(0.003)
        self.assertTrue(condition(), self.failures)

    @property
    def reading(self) -> Reading:
        assert self.session.reading is not None
        return self.session.reading

    def names(self) -> list[str]:
        return [s.name for s in self.session.history.done]


class Steps(Case):
    def test_a_drag_is_one_step_and_can_be_given_up(self) -> None:
        before = self.reading
        edge = Edge(Flat(before).first[4] + 1)
        time_ = Flat(before).edge_time(edge)
        for k in range(8):
            self.desk.drag_edge(edge, time_ + 0.004 * k)
        self.assertEqual(self.names(), [])
        self.desk.give_up()
        self.assertIs(self.reading, before)
        self.desk.drag_edge(edge, time_ + 0.1)
        self.assertIs(self.reading, before)
        self.desk.drop()
        self.assertEqual(self.names(), [])
        for k in range(8):
            self.desk.drag_edge(edge, time_ + 0.004 * k)
        self.desk.drop()
        self.assertEqual(self.names(), ["Move edge"])
        self.wait(lambda: not self.session.finding)
        self.session.undo()
        self.assertEqual(self.reading, before)

    def test_corrections_made_faster_than_edges_are_found_all_count(self) -> None:
        """Three edits at once: each pin stays, and what was pushed is found again for all."""
        flat = Flat(self.reading)
        wanted = {}
        for word in (3, 9, 15):
            edge = Edge(flat.first[word])
            self.session.select(Part("word", word))
            self.desk.nudge(seconds=0.03)
            wanted[edge] = Flat(self.reading).edge_time(edge)
        self.assertEqual(self.names(), ["Nudge edge"] * 3)
        self.wait(lambda: not self.session.finding)
        after = Flat(self.reading)
        for edge, time_ in wanted.items():
            self.assertEqual(after.edge_time(edge), time_)
            self.assertTrue(after.pinned(edge))
        self.assertEqual(self.names(), ["Nudge edge"] * 3)

    def test_a_result_for_another_line_is_dropped(self) -> None:
        self.session.select(Part("word", 3))
        self.desk.nudge(seconds=0.03)
        kept = self.session.production.line("01-mabel-beam").reading
        self.session.show_line("03-pip-wind")
        self.wait(lambda: not self.session.finding)
        self.assertIs(self.session.production.line("01-mabel-beam").reading, kept)
        self.assertEqual(self.session.slug, "03-pip-wind")

    def test_undo_goes_back_to_the_line_where_it_happened(self) -> None:
        self.session.select(Part("word", 3))
        self.desk.confirm()
        self.session.show_line("03-pip-wind")
        self.session.change_line("Name speaker", speaker="Pippa")
        self.session.undo()
        self.assertEqual((self.session.slug, self.session.line.speaker), ("03-pip-wind", "Pip"))
        self.session.undo()
        self.assertEqual(self.session.slug, "01-mabel-beam")
        self.assertFalse(list(self.reading.words())[3].confirmed)
        self.session.redo()
        self.assertTrue(list(self.reading.words())[3].confirmed)

    def test_what_cannot_be_kept_is_told_and_stands_in_memory(self) -> None:
        store = self.session.store
        with mock.patch.object(store._journal, "append", side_effect=SaveError("No room.")):
            self.session.change_line("Name speaker", speaker="Somebody")
        self.assertIn("No room.", self.failures)
        self.assertEqual(self.session.line.speaker, "Somebody")
        self.session.change_line("Name speaker", speaker="Somebody else")
        self.session.settle()
        self.assertEqual(Production.open(self.production).lines[0].speaker, "Somebody else")

    def test_commands_without_a_reading_say_what_to_do(self) -> None:
        self.session.show_line("02-osric-door")
        for command in (self.desk.play_part, self.desk.split, self.desk.toggle_pin, self.desk.confirm_line,
                        self.desk.next_doubtful, lambda: self.desk.mark("breath")):  # fmt: skip
            with self.assertRaisesRegex(GlyphosError, "Listen to the line first"):
                command()


class Motion(Case):
    def test_a_long_line_is_computed_where_it_changed(self) -> None:
        """After any edit the motion shown is, within a trifle, that of the whole computation."""
        with mock.patch.object(sessions, "WHOLE", 1.0):
            for word in (2, 11, 20):
                self.session.select(Part("word", word))
                self.desk.nudge(seconds=0.02)
                self.assertIsNotNone(self.session.motion_window)
        self.wait(lambda: not self.session.finding)
        whole = perform(
            self.reading, self.session.delivery, fps=24, loudness=self.session.opened.loudness
        )
        away = np.abs(self.session.motion.values - whole.values)
        self.assertLess(np.quantile(away, 0.999), 0.03)

    def test_sliders_compute_what_is_in_sight_first_and_all_when_let_go(self) -> None:
        self.session.view_span = (0.0, 4.0)
        self.session.set_delivery(save=False, articulation=0.3)
        self.assertEqual(self.session.motion_window, (0.0, 4.0))
        self.session.set_delivery()
        self.assertIsNone(self.session.motion_window)
        self.assertEqual(self.names(), ["Adjust delivery"])
        self.assertEqual(self.session.line.delivery.articulation, 0.3)

    def test_the_moment_is_found_by_time(self) -> None:
        for word in self.reading.words():
            for phone in word.phones:
                found = self.session.moment((phone.start + phone.end) / 2)
                self.assertEqual(found, (word, phone))
        self.assertEqual(self.session.moment(0.0), (None, None))


class Recordings(Case):
    def test_a_long_recording_is_opened_in_the_background(self) -> None:
        samples, rate = soundfile.read(DATA / "slt_hts-001.flac", dtype="float32")
        long = self.folder / "long.wav"
        soundfile.write(long, np.tile(samples, 100), rate)
        busy: list[str] = []
        self.session.busy_changed.connect(lambda what, _: busy.append(what))
        before = self.session.slug
        self.session.open(long)
        self.assertEqual(self.session.slug, before)
        self.wait(lambda: self.session.slug == "long")
        self.assertEqual((busy[0], busy[-1]), ("Opening", ""))
        self.assertGreater(self.session.opened.recording.duration, 240)

    def test_one_channel_can_be_listened_to(self) -> None:
        samples, rate = soundfile.read(DATA / "slt_hts-001.flac", dtype="float32")
        noise = np.random.default_rng(0).normal(0, 0.1, len(samples)).astype(np.float32)
        path = self.folder / "two.wav"
        soundfile.write(path, np.stack([noise, samples], axis=1), rate)
        self.session.open(path)
        self.session.change_line("Condition recording", channel=2)
        heard = self.session.opened.recording.samples
        self.session.change_line("Condition recording", channel=1)
        other = self.session.opened.recording.samples
        self.assertGreater(np.abs(heard - other).mean(), 0.02)
        self.session.change_line("Condition recording", channel=7)
        self.assertIn("no channel 7", self.failures[-1])

    def test_a_take_that_cannot_be_read_changes_nothing(self) -> None:
        line = self.session.line
        bad = self.folder / "bad.wav"
        bad.write_bytes(b"nothing")
        self.session.hearing.retake(bad)
        self.wait(lambda: self.session.hearing.task is None)
        self.assertIn("bad.wav", self.failures[-1])
        self.assertIs(self.session.line, line)

    def test_two_long_works_at_once_are_refused_in_a_sentence(self) -> None:
        self.session.hearing.listen()
        self.session.hearing.listen()
        self.assertIn("being done already", self.failures[-1])
        self.session.cancel()
        self.wait(lambda: self.session.hearing.task is None)

    def test_the_usual_language_is_that_of_new_lines(self) -> None:
        self.session.change_header("Set usual language", language="it")
        self.session.add([DATA / "lp_diphone-001.flac"])
        self.assertEqual(self.session.line.language, "it")
        self.session.hearing.listen()
        self.wait(lambda: self.session.hearing.task is None)
        self.assertEqual(self.reading.language, "it")
