"""Files in and out of the window, each as a person would choose them in the file dialog."""

from __future__ import annotations

import csv
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from unittest import mock

import numpy as np
import soundfile
from PySide6.QtWidgets import QFileDialog, QInputDialog

from glyphos.handoff.curves import from_json
from glyphos.production.production import Production, read_lexicon
from glyphos.speech.parts import Part
from tests.app.test_panels import Case
from tests.labels import DATA


@contextmanager
def choosing(name: str, answer: object) -> Iterator[mock.MagicMock]:
    """The file dialog answers at once."""
    with mock.patch.object(QFileDialog, name, return_value=answer) as asked:
        yield asked


class InAndOut(Case):
    def test_open_takes_a_recording_or_a_table(self) -> None:
        with choosing("getOpenFileName", (str(DATA / "slt_hts-001.flac"), "")):
            self.do("open")
        self.assertEqual(self.window.session.slug, "slt-hts-001")
        table = self.folder / "lines.csv"
        table.write_text(f"file,speaker,text\n{DATA / 'flite_rms-004.flac'},Osric,Hello.\n")
        with choosing("getOpenFileName", (str(table), "")):
            self.do("open")
        self.assertEqual(self.window.session.line.speaker, "Osric")
        with choosing("getOpenFileName", ("", "")):
            self.do("open")  # given up
        self.assertEqual(len(self.shown()), 12)

    def test_add_takes_files_and_folders(self) -> None:
        files = [str(DATA / f"slt_hts-{n}.flac") for n in ("001", "004")]
        with choosing("getOpenFileNames", (files, "")):
            self.do("add")
        self.assertEqual(len(self.shown()), 12)
        empty = self.folder / "nothing here"
        empty.mkdir()
        with choosing("getExistingDirectory", str(empty)):
            self.do("add-folder")
        self.assertIn("no recordings", self.window.status.text())

    def test_a_production_is_made_copied_and_opened(self) -> None:
        with choosing("getSaveFileName", (str(self.folder / "copy of it.glyphos"), "")):
            self.do("save-copy")
        self.wait(lambda: self.window.session.hearing.task is None)
        copy = self.folder / "copy of it.glyphos"
        self.assertEqual(self.window.session.store.folder, copy)
        self.assertTrue(all((copy / x.audio).exists() for x in Production.open(copy).lines))
        with choosing("getSaveFileName", (str(self.folder / "mine"), "")):
            self.do("new")
        self.assertTrue((self.folder / "mine.glyphos" / "production.json").exists())
        self.assertEqual(self.window.title.text(), "mine")
        with choosing("getExistingDirectory", str(self.production)):
            self.do("open-production")
        self.assertIn("Hollow Hill", self.window.title.text())
        with choosing("getSaveFileName", (str(copy), "")):
            self.do("save-copy")
        self.wait(lambda: self.window.session.hearing.task is None)
        self.assertIn("not empty", self.window.status.text())

    def test_curves_are_saved_at_the_rate_that_is_asked_for(self) -> None:
        path = self.folder / "curves"
        with (
            choosing("getSaveFileName", (str(path), "JSON (*.json)")),
            mock.patch.object(QInputDialog, "getItem", return_value=("29.97", True)),
        ):
            self.do("save-curves")
        motion = from_json(path.with_suffix(".json").read_bytes())
        self.assertEqual(str(motion.fps), "30000/1001")
        self.assertIn("29.97", self.window.status.text())
        self.window.session.show_line("02-osric-door")
        self.do("save-curves")
        self.assertIn("Listen to the line first", self.window.status.text())

    def test_timing_goes_out_and_comes_back_through_the_dialogs(self) -> None:
        path = self.folder / "timing.TextGrid"
        with choosing("getSaveFileName", (str(path), "")):
            self.do("export-timing")
        before = [(p.ipa, p.start) for p in self.window.session.reading.phones()]
        self.window.session.select(Part("word", 3))
        self.do("start-later")
        self.wait(lambda: not self.window.session.finding)
        with choosing("getOpenFileName", (str(path), "")):
            self.do("import-timing")
        self.assertEqual([(p.ipa, p.start) for p in self.window.session.reading.phones()], before)
        (self.folder / "bad.vtt").write_text("nothing")
        with choosing("getOpenFileName", (str(self.folder / "bad.vtt"), "")):
            self.do("import-timing")
        self.assertTrue(self.window.status.text().startswith("⚠"))
        self.do("undo")
        self.assertNotEqual(
            [(p.ipa, p.start) for p in self.window.session.reading.phones()], before
        )

    def test_captions_of_another_program_are_listened_to_for_their_sounds(self) -> None:
        with choosing("getOpenFileName", (str(DATA / "slt_hts-001.flac"), "")):
            self.do("open")
        srt = self.folder / "x.srt"
        srt.write_text(
            "1\n00:00:00,100 --> 00:00:02,600\nBring me the blue map before the dome opens.\n"
        )
        with choosing("getOpenFileName", (str(srt), "")):
            self.do("import-timing")
        self.assertEqual(len(list(self.window.session.reading.words())), 9)
        self.do("listen")
        self.wait(lambda: self.window.session.hearing.task is None)
        words = list(self.window.session.reading.words())
        self.assertEqual([p.ipa for p in words[0].phones], ["b", "ɹ", "ɪ", "ŋ"])

    def test_a_take_is_swapped_through_its_dialog(self) -> None:
        other = self.folder / "take.flac"
        shutil.copy(self.window.session.production.audio_path(self.window.session.line), other)
        with choosing("getOpenFileName", (str(other), "")):
            self.do("retake")
        self.wait(lambda: self.window.session.hearing.task is None)
        self.assertEqual(self.window.session.line.audio, "audio/take.flac")

    def test_lost_recordings_are_looked_for_only_when_some_are_lost(self) -> None:
        self.do("find-recording")
        self.assertIn("where it should be", self.window.status.text())
        away = self.folder / "away"
        shutil.move(self.production / "audio", away)
        with choosing("getExistingDirectory", str(away)):
            self.do("find-recording")
        self.assertIn("10 recordings", self.window.status.text())

    def test_a_long_line_is_cut_in_the_window(self) -> None:
        parts = [
            soundfile.read(DATA / f"slt_hts-{n}.flac", dtype="float32") for n in ("001", "004")
        ]
        rate = parts[0][1]
        both = self.folder / "both.wav"
        soundfile.write(
            both, np.concatenate([parts[0][0], np.zeros(rate, np.float32), parts[1][0]]), rate
        )
        texts = [(DATA / f"slt_hts-{n}.txt").read_text() for n in ("001", "004")]
        both.with_suffix(".txt").write_text("\n\n".join(texts))
        self.drop(both)
        self.do("listen")
        self.wait(lambda: self.window.session.hearing.task is None)
        with mock.patch.object(QInputDialog, "getItem", return_value=("at long pauses", True)):
            self.do("cut")
        self.wait(lambda: self.window.session.hearing.task is None)
        self.assertEqual(self.window.session.slug, "both-01")
        self.assertEqual(len(self.shown()), 12)
        self.assertEqual(len(self.window.score.page.word_rects()), 9)
        self.do("undo")
        self.assertEqual(self.window.session.slug, "both")

    def test_names_are_given_in_small_dialogs(self) -> None:
        with mock.patch.object(QInputDialog, "getItem", return_value=("Mabel the Elder", True)):
            self.do("rename")
        self.assertEqual(self.window.session.line.speaker, "Mabel the Elder")
        with mock.patch.object(QInputDialog, "getText", return_value=("Night shift", True)):
            self.do("name-production")
        self.assertEqual(self.window.title.text(), "Night shift")
        with mock.patch.object(QInputDialog, "getItem", return_value=("Italian (it)", True)):
            self.do("usual-language")
            self.do("language")
        self.assertEqual(self.window.session.line.language, "it")
        with mock.patch.object(QInputDialog, "getItem", return_value=("Elvish", True)):
            self.do("language")
        self.assertIn("no language", self.window.status.text())
        self.assertEqual(self.window.session.line.language, "it")

    def test_sounds_are_asked_for_in_ipa(self) -> None:
        session = self.window.session
        session.select(Part("sound", 2))
        count = sum(1 for _ in session.reading.phones())
        with mock.patch.object(QInputDialog, "getItem", return_value=("v", True)):
            self.do("change-sound")
            self.do("insert-sound")
        self.wait(lambda: not session.finding)
        phones = list(session.reading.phones())
        self.assertEqual((phones[2].ipa, phones[3].ipa, len(phones)), ("v", "v", count + 1))
        with mock.patch.object(QInputDialog, "getItem", return_value=("qq7", True)):
            self.do("change-sound")
        self.assertIn("IPA", self.window.status.text())
        self.do("delete-sound")
        self.wait(lambda: not session.finding)
        self.assertEqual(sum(1 for _ in session.reading.phones()), count)


class Outside(Case):
    def test_a_lexicon_changed_elsewhere_is_offered_and_used(self) -> None:
        path = self.production / "lexicon.txt"
        path.write_text(";;; empty\n")
        self.window.watch.follow()
        path.write_text("dome  D UW1 M\n")
        self.wait(lambda: self.window.notice.isVisible())
        self.window.notice_yes.click()
        self.assertIn("dome", self.window.session.lexicon.entries)
        self.assertEqual(self.window.session.lexicon.entries, read_lexicon(self.production).entries)

    def test_a_recording_changed_elsewhere_is_listened_to_again(self) -> None:
        session = self.window.session
        path = session.production.audio_path(session.line)
        samples, rate = soundfile.read(path, dtype="float32")
        starts = [p.start for p in session.reading.phones()]
        soundfile.write(path, np.concatenate([np.zeros(rate // 5, np.float32), samples]), rate)
        self.wait(lambda: self.window.notice.isVisible())
        self.window.notice_yes.click()
        self.wait(lambda: session.hearing.task is None)
        moved = np.array([p.start for p in session.reading.phones()]) - np.array(starts)
        self.assertAlmostEqual(float(np.median(moved)), 0.2, delta=0.01)

    def test_an_offer_can_be_turned_down(self) -> None:
        called: list[int] = []
        self.window.offer("Something changed.", "Take it", lambda: called.append(1))
        self.window.notice_no.click()
        self.assertFalse(self.window.notice.isVisible())
        self.window.offer("Something changed.", "Take it", lambda: called.append(2))
        self.window.notice_yes.click()
        self.assertEqual(called, [2])

    def test_saved_csv_opens_in_any_program_that_reads_tables(self) -> None:
        path = self.folder / "curves.csv"
        self.window.save_to(path, "24")
        with path.open(newline="") as file:
            rows = list(csv.reader(file))
        self.assertEqual(rows[0][:2], ["frame", "seconds"])
        self.assertTrue(all(len(r) == len(rows[0]) for r in rows))
        self.assertTrue(all(-1 <= float(cell) <= 1 for r in rows[1:] for cell in r[2:]))
