"""Files in and out of the window, each as a person would choose them in the file dialog."""

from __future__ import annotations

import csv
import shutil
from typing import Any
from unittest import mock

import av
import numpy as np
import soundfile

from glyphos.handoff.curves import from_json
from glyphos.production.production import Production
from glyphos.speech.lexicon import read_lexicon_file
from glyphos.speech.parts import Flat, Part
from tests.app.harness import WindowCase
from tests.handoff.test_characters import animated
from tests.labels import DATA


class Case(WindowCase):
    def answer(self, command: str, *given: Any) -> None:
        """Run a command, answer what it asks, and wait until it is done."""
        self.answers.given = list(given)
        self.do(command)
        self.idle()
        self.assertEqual(self.answers.given, [], self.status)


class InAndOut(Case):
    def test_open_takes_a_recording_or_a_table(self) -> None:
        self.answer("open", [DATA / "slt_hts-001.flac"])
        self.assertEqual(self.selection.slug, "slt-hts-001")
        table = self.folder / "lines.csv"
        table.write_text(f"file,speaker,text\n{DATA / 'flite_rms-004.flac'},Osric,Hello.\n")
        self.answer("open", [table])
        self.assertEqual(self.line.speaker, "Osric")
        self.answer("open", [])  # given up
        self.assertEqual(len(self.shown()), 11)

    def test_add_takes_files_and_folders(self) -> None:
        self.answer("add", [DATA / f"slt_hts-{n}.flac" for n in ("001", "004")])
        self.assertEqual(len(self.shown()), 11)
        empty = self.folder / "nothing here"
        empty.mkdir()
        self.answer("add-folder", empty)
        self.assertIn("no recordings", self.status)

    def test_a_production_is_made_copied_and_opened(self) -> None:
        self.answer("save-copy", (self.folder / "copy of it", ""))
        copy = self.folder / "copy of it.glyphos"
        self.assertEqual(self.document.folder, copy)
        self.assertEqual(self.window.top.title.text(), "copy of it")
        self.assertTrue(all((copy / x.audio).exists() for x in Production.open(copy).lines))
        self.answer("new", (self.folder / "mine", ""))
        self.assertTrue((self.folder / "mine.glyphos" / "production.json").exists())
        self.assertEqual(self.window.top.title.text(), "mine")
        self.answer("open-production", self.production)
        self.assertIn("Hollow Hill", self.window.top.title.text())
        self.answer("save-copy", (copy, ""))
        self.assertIn("not empty", self.status)

    def test_a_line_is_filmed_in_the_background_and_can_be_given_up(self) -> None:
        from glyphos.app.dialogs import movie

        self.enterContext(mock.patch.object(movie, "SIZE", (64, 64)))
        self.window.general.set_rate("8")
        self.show("02-osric-door")
        self.do("movie")
        self.assertIn("listen to them first", self.status)
        self.show("05-mabel-hush")
        out = self.folder / "movies" / "hush.mp4"
        out.parent.mkdir()
        self.answers.given = [(out.with_suffix(""), "")]
        self.do("movie")
        self.assertEqual(self.answers.asked[-1], "Movie of 05-mabel-hush")
        self.assertEqual(
            self.jobs.find("movie").what, "Filming 05-mabel-hush"
        )  # a script has no room there
        self.idle()
        self.assertIn("written to", self.status)
        with av.open(str(out)) as file:
            frames = sum(1 for _ in file.decode(video=0))
        self.assertAlmostEqual(frames / 8, self.reading.audio.duration, delta=1.2)
        self.answers.given = [(out.with_name("again.mp4"), "")]
        self.do("movie")
        self.jobs.find("movie").cancel()
        self.idle()
        self.wait(lambda: len(list(out.parent.iterdir())) == 1)
        self.assertEqual([p.name for p in out.parent.iterdir()], ["hush.mp4"])

    def test_timing_comes_back_through_the_dialog(self) -> None:
        from glyphos.handoff import timing

        path = self.folder / "timing.TextGrid"
        timing.save(self.reading, path)
        before = [(p.ipa, p.start) for p in self.reading.phones()]
        self.selection.select(Part("word", 3))
        self.do("start-later")
        self.settled()
        self.answer("import-timing", [path])
        self.assertEqual([(p.ipa, p.start) for p in self.reading.phones()], before)
        (self.folder / "bad.vtt").write_text("nothing")
        self.answer("import-timing", [self.folder / "bad.vtt"])
        self.assertTrue(self.status.startswith("⚠"))
        self.do("undo")
        self.assertNotEqual([(p.ipa, p.start) for p in self.reading.phones()], before)

    def test_captions_of_another_program_are_listened_to_for_their_sounds(self) -> None:
        self.answer("open", [DATA / "slt_hts-001.flac"])
        srt = self.folder / "x.srt"
        srt.write_text(
            "1\n00:00:00,100 --> 00:00:02,600\nBring me the blue map before the dome opens.\n"
        )
        self.answer("import-timing", [srt])
        self.assertEqual(len(self.words()), 9)
        self.do("listen")
        self.idle()
        self.assertEqual([p.ipa for p in self.words()[0].phones], ["b", "ɹ", "ɪ", "ŋ"])

    def test_a_take_is_swapped_through_its_dialog(self) -> None:
        other = self.folder / "take.flac"
        shutil.copy(self.document.production.audio_path(self.line), other)
        self.answer("retake", [other])
        self.assertEqual(self.line.audio, "audio/take.flac")

    def test_lost_recordings_are_looked_for_only_when_some_are_lost(self) -> None:
        self.do("find-recording")
        self.assertIn("where it should be", self.status)
        away = self.folder / "away"
        shutil.move(self.production / "audio", away)
        self.answer("find-recording", away)
        self.assertIn("9 recordings", self.status)

    def test_a_long_line_is_cut_in_the_window(self) -> None:
        parts = [
            soundfile.read(DATA / f"slt_hts-{n}.flac", dtype="float32") for n in ("001", "004")
        ]
        rate = parts[0][1]
        both = self.folder / "both.wav"
        pause = np.zeros(rate, np.float32)
        soundfile.write(both, np.concatenate([parts[0][0], pause, parts[1][0]]), rate)
        texts = [(DATA / f"slt_hts-{n}.txt").read_text() for n in ("001", "004")]
        both.with_suffix(".txt").write_text("\n\n".join(texts))
        self.drop(both)
        self.do("listen")
        self.idle()
        self.answer("cut", "at long pauses")
        self.assertEqual(self.selection.slug, "both-01")
        self.assertEqual(len(self.shown()), 11)
        self.assertEqual(len(self.paper.word_rects()), 9)
        self.do("undo")
        self.assertEqual(self.selection.slug, "both")

    def test_a_script_dropped_with_a_recording_of_another_name_is_told(self) -> None:
        sound = self.folder / "gate.wav"
        soundfile.write(sound, np.zeros(8000, np.float32), 16000)
        own, other = self.folder / "gate.txt", self.folder / "reef.txt"
        own.write_text("Mind the gate.")
        other.write_text("Past the reef.")
        self.drop(sound, own)
        self.assertEqual((self.line.slug, self.line.script), ("gate", "Mind the gate."))
        self.assertFalse(self.window.offers.isVisible())
        sound = sound.rename(self.folder / "hill.wav")
        self.drop(sound, other)
        self.assertEqual((self.line.slug, self.line.script), ("hill", ""))
        self.assertIn("reef.txt is the script of none", self.window.offers.text.text())

    def test_names_are_given_in_small_dialogs(self) -> None:
        self.answer("rename", "Mabel the Elder")
        self.assertEqual(self.line.speaker, "Mabel the Elder")
        self.answer("name-production", "Night shift")
        self.assertEqual(self.window.top.title.text(), "Night shift")
        self.answer("usual-language", "Italian (it)")
        self.answer("language", "Italian (it)")
        self.assertEqual(self.line.language, "it")
        self.selection.choose(("01-mabel-beam", "02-osric-door", "03-pip-wind"))
        self.answer("language", "German (de)")
        self.assertIn("3 lines in German now", self.status)
        self.assertEqual([x.language for x in self.document.production.lines][:3], ["de"] * 3)
        self.do("undo")
        self.answer("language", "Elvish")
        self.assertIn("no language", self.status)
        self.assertEqual(self.line.language, "it")

    def test_sounds_are_asked_for_in_ipa(self) -> None:
        self.selection.select(Part("sound", 2))
        count = sum(1 for _ in self.reading.phones())
        self.answer("change-sound", "v")
        self.answer("insert-sound", "v")
        self.settled()
        phones = list(self.reading.phones())
        self.assertEqual((phones[2].ipa, phones[3].ipa, len(phones)), ("v", "v", count + 1))
        self.answer("change-sound", "qq7")
        self.assertIn("IPA", self.status)
        self.do("delete-sound")
        self.settled()
        self.assertEqual(sum(1 for _ in self.reading.phones()), count)


class Handed(Case):
    own_window = True  # what the page is set to stays for the next production

    def test_curves_and_timing_are_handed_over_as_the_page_shows(self) -> None:
        page = self.window.pages["handoff"]
        self.do("save-curves")
        self.assertIs(self.window.page, page)
        page.folder.setText(str(self.folder / "out"))
        page.curves.setCurrentIndex(page.curves.findData("json"))
        page.timing.setCurrentIndex(page.timing.findData("vtt"))
        page.rate.setCurrentText("29.97")
        shown = [page.list.item(k).text().split()[0] for k in range(page.list.count())]
        page.button.click()
        self.idle()
        self.assertEqual(
            sorted(p.name for p in (self.folder / "out").iterdir() if p.name[0] != "."),
            sorted(shown),
        )
        motion = from_json((self.folder / "out" / "01-mabel-beam.curves.json").read_bytes())
        self.assertEqual(str(motion.fps), "30000/1001")
        self.assertIn("2 files written", self.status)
        self.assertIn("takes the place", page.list.item(0).text())
        page.which.setCurrentIndex(page.which.findData("all"))
        self.assertIn("5 lines left out", page.note.text())
        page.which.setCurrentIndex(0)
        self.show("02-osric-door")
        self.assertIn("Listen to the line first", page.note.text())
        self.assertFalse(page.button.isEnabled())
        self.do("save-curves")
        self.assertIn("Listen to the line first", self.status)

    def test_what_the_page_hands_over_is_what_the_face_shows(self) -> None:
        page = self.window.pages["handoff"]
        self.do("save-curves")
        page.folder.setText(str(self.folder))
        page.curves.setCurrentIndex(page.curves.findData("json"))
        page.button.click()
        self.idle()
        written = from_json((self.folder / "01-mabel-beam.curves.json").read_bytes())
        np.testing.assert_allclose(written.values, self.current.motion.values, atol=1e-5)

    def test_lines_are_handed_over_on_their_characters(self) -> None:
        page = self.window.pages["handoff"]
        self.do("save-curves")
        page.folder.setText(str(self.folder / "out"))
        page.curves.setCurrentIndex(page.curves.findData(""))
        page.which.setCurrentIndex(page.which.findData("all"))
        page.character.setCurrentIndex(page.character.findData("glb"))
        page.names.setText("{speaker}_{line}")
        page.first_frame.setValue(101)
        shown = [page.list.item(k).text().split()[0] for k in range(page.list.count())]
        self.assertIn("Mabel_01-mabel-beam.mabel.glb", shown)
        self.assertIn("Pip_03-pip-wind.pip.glb", shown)
        page.button.click()
        self.idle()
        self.assertEqual(
            sorted(p.name for p in (self.folder / "out").iterdir() if p.name[0] != "."),
            sorted(shown),
        )
        times, _ = animated(self.folder / "out" / "Pip_03-pip-wind.pip.glb")["mouth"]
        self.assertAlmostEqual(float(times[0]), 101 / 24, places=5)
        for pattern, words in (
            ("{speaker}", "Several files"),
            ("{actor}", "alone"),
            ("..", "makes no name"),
        ):
            page.names.setText(pattern)
            self.assertIn(words, page.note.text())
            self.assertFalse(page.button.isEnabled())
        page.names.setText("../{line}")
        self.assertTrue(
            page.list.item(0).text().startswith("-01-mabel-beam"), page.list.item(0).text()
        )


class Outside(Case):
    def test_a_lexicon_changed_elsewhere_is_offered_and_used(self) -> None:
        path = self.production / "lexicon.txt"
        path.write_text(";;; empty\n")
        self.page.offers.watch.follow()
        path.write_text("dome  D UW1 M\n")
        self.wait(self.window.offers.isVisible)
        self.window.offers.yes.click()
        self.assertIn("dome", self.document.lexicon.entries)
        self.document.flush()
        kept = read_lexicon_file(self.production / "lexicon.txt")
        self.assertEqual(self.document.lexicon.entries, kept.entries)

    def test_a_recording_changed_elsewhere_is_heard_seen_and_listened_to_again(self) -> None:
        path = self.document.production.audio_path(self.line)
        samples, rate = soundfile.read(path, dtype="float32")
        starts = [p.start for p in self.reading.phones()]
        before = self.current.opened
        soundfile.write(path, np.concatenate([np.zeros(rate // 5, np.float32), samples]), rate)
        self.wait(self.window.offers.isVisible)
        self.window.offers.yes.click()
        self.idle()
        moved = np.array([p.start for p in self.reading.phones()]) - np.array(starts)
        self.assertAlmostEqual(float(np.median(moved)), 0.2, delta=0.01)
        self.assertIsNot(self.current.opened, before)
        grown = self.current.opened.recording.duration - before.recording.duration
        self.assertAlmostEqual(grown, 0.2, delta=0.01)
        self.assertAlmostEqual(self.transport.duration, self.line.duration, delta=0.01)
        self.assertIs(self.paper.samples, self.current.opened.recording.samples)

    def test_a_recording_cut_shorter_elsewhere_is_shown_and_played_beside_what_was_heard(
        self,
    ) -> None:
        path = self.document.production.audio_path(self.line)
        samples, rate = soundfile.read(path, dtype="float32")
        reading, last = self.reading, Part("word", len(Flat.of(self.reading).words) - 1)
        soundfile.write(path, samples[int(0.6 * rate) : int(1.1 * rate)], rate)  # speech alone
        self.wait(self.window.offers.isVisible)
        self.window.offers.yes.click()
        self.idle()
        self.assertIs(self.reading, reading)  # its script is longer than what is left
        self.assertAlmostEqual(self.transport.duration, 0.5, places=2)
        for part in (Part("word", 0), last):
            self.selection.select(part)
            for name in ("play-part", "play-around", "loop-word", "loop-phrase", "play", "play"):
                self.do(name)
            self.picture(self.loupe)
            self.assertLess(*self.loupe.span)
        self.picture(self.paper)

    def test_a_recording_that_is_taken_away_and_brought_back_is_said_and_heard(self) -> None:
        path = self.document.production.audio_path(self.line)
        before, offers, away = self.current.opened, self.window.offers, self.folder / "away.flac"
        path.rename(away)
        self.wait(offers.isVisible)
        self.assertIn("not where it was", offers.text.text())
        self.assertIs(self.current.opened, before)  # as long as the line is shown
        away.rename(path)
        self.wait(lambda: not offers.isVisible())
        self.assertIs(self.current.opened, before)
        self.show("02-osric-ferry")
        path.rename(away)
        self.document.flush()
        self.window.productions.open(self.production)
        self.show("01-mabel-beam")
        self.wait(offers.isVisible)
        self.assertIsNone(self.current.opened)
        self.assertIn("not where it was", offers.text.text())
        away.rename(path)
        self.wait(lambda: self.current.opened is not None)
        self.assertFalse(offers.isVisible())
        self.assertEqual(self.current.problem, "")

    def test_a_bad_file_is_told_once_with_one_button_and_forgotten_with_the_next(self) -> None:
        bad, offers = self.folder / "empty.wav", self.window.offers
        bad.touch()
        self.window.productions.add([bad])
        self.idle()
        self.assertIn("empty.wav is empty", self.status)
        self.assertFalse(offers.isVisible())
        self.window.productions.add([bad, DATA / "slt_hts-001.flac"])
        self.idle()
        self.assertEqual(self.status, "1 line added")
        self.assertIn("empty.wav is empty", offers.text.text())
        self.assertEqual((offers.yes.isVisible(), offers.no.text()), (False, "All right"))
        self.window.productions.add([DATA / "slt_hts-004.flac"])
        self.idle()
        self.assertFalse(offers.isVisible())

    def test_an_offer_can_be_turned_down(self) -> None:
        called: list[int] = []
        self.talk.offer("a", "Something changed.", "Take it", lambda: called.append(1))
        self.window.offers.no.click()
        self.assertFalse(self.window.offers.isVisible())
        self.talk.offer("a", "Something changed.", "Take it", lambda: called.append(2))
        self.window.offers.yes.click()
        self.assertEqual(called, [2])

    def test_saved_csv_opens_in_any_program_that_reads_tables(self) -> None:
        page = self.window.pages["handoff"]
        self.do("save-curves")
        page.folder.setText(str(self.folder))
        self.do("save-curves")
        self.idle()
        with (self.folder / "01-mabel-beam.curves.csv").open(newline="") as file:
            rows = list(csv.reader(file))
        self.assertEqual(rows[0][:2], ["frame", "seconds"])
        self.assertTrue(all(len(r) == len(rows[0]) for r in rows))
        self.assertTrue(all(-1 <= float(cell) <= 1 for r in rows[1:] for cell in r[2:]))
