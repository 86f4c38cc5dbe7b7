"""What a person did is kept: through writes that fail, in whole productions, in files that are misread."""

from __future__ import annotations

from pathlib import Path
from unittest import mock

import msgspec
import numpy as np
import soundfile
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from glyphos.app.model import settings
from glyphos.app.sound.devices import SilentDevice
from glyphos.errors import SaveError
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.parts import Edge, Flat, Part
from tests.app.harness import WindowCase
from tests.faults import FaultyDisk
from tests.labels import DATA

OPEN = Store.open


class Kept(WindowCase):
    def test_a_production_is_opened_at_the_line_that_a_report_names(self) -> None:
        other = copy_demo(self.folder / "other.glyphos")
        self.window.productions.open(other, "05-mabel-hush")
        self.idle()
        self.assertEqual((self.document.folder.name, self.selection.slug), ("other.glyphos", "05-mabel-hush"))  # fmt: skip
        self.window.productions.open(other, "03-pip-wind")
        self.assertEqual(self.selection.slug, "03-pip-wind")
        self.window.productions.open(other, "nobody")
        self.assertEqual(self.selection.slug, "03-pip-wind")
        self.assertIn("There is no line “nobody”", self.status)

    def test_typing_in_two_lines_is_two_steps(self) -> None:
        self.script.setPlainText("One.")
        self.selection.show("02-osric-door")
        self.script.setPlainText("Two.")
        self.assertEqual(self.names(), ["Edit script", "Edit script"])
        self.do("undo")
        self.assertEqual(self.document.kept_line("01-mabel-beam").script, "One.")
        self.idle()

    def test_confirmed_words_stay_so_when_listened_to_again(self) -> None:
        self.selection.select(Part("word", 2))
        self.do("confirm")
        self.do("listen")
        self.idle()
        self.assertTrue(self.words()[2].confirmed)
        self.assertFalse(self.words()[3].confirmed)

    def test_a_confirmed_line_whose_script_was_changed_is_looked_at_again(self) -> None:
        self.do("confirm-line")
        self.do("listen")
        self.idle()
        self.assertTrue(self.line.confirmed)  # nothing is new in it
        self.script.setPlainText(self.script.toPlainText().replace("nobody", "somebody"))
        self.do("listen")
        self.idle()
        self.assertFalse(self.line.confirmed)

    def test_a_closing_that_cannot_write_asks_and_stays(self) -> None:
        disk = FaultyDisk()
        self.document.close()
        with mock.patch("glyphos.app.shell.productions.Store.open", side_effect=self.opener(disk)):
            self.open(self.production)
        disk.fail("append", 99)
        disk.fail("write", 99)
        self.change_line("Name speaker", speaker="Maude")
        self.wait(lambda: self.document.trouble)
        self.assertIn("could not be kept", self.status)
        self.answers.given = [0]
        self.assertFalse(self.window.close())
        self.assertEqual(self.answers.asked, ["Not everything could be written"])
        disk.mend()
        self.wait(lambda: not self.document.trouble)
        self.assertNotIn("could not be kept", self.status)
        self.document.flush()
        self.assertEqual(Production.open(self.production).lines[0].speaker, "Maude")

    def opener(self, disk: FaultyDisk):  # type: ignore[no-untyped-def]
        from glyphos.production.store import Store

        original = Store.open
        return lambda folder: original(folder, disk)

    def test_nothing_is_written_on_the_interface_thread(self) -> None:
        disk = FaultyDisk()
        self.document.close()
        with mock.patch("glyphos.app.shell.productions.Store.open", side_effect=self.opener(disk)):
            self.open(self.production)
        QTest.keyClicks(self.script, "abc")
        self.do("duplicate")
        self.do("delete-line")
        self.assertEqual(self.document.flush(), "")
        self.assertTrue([c for c in disk.calls if c[0] == "append"])
        self.assertNotIn("MainThread", {c[2] for c in disk.calls})

    def test_work_without_a_name_is_what_the_next_start_begins_with(self) -> None:
        self.document.close()
        self.drop(DATA / "slt_hts-001.flac")
        self.script.setPlainText("Bring me the blue map.")
        self.window.close()
        self.make_window()
        self.window.productions.start()
        self.idle()
        self.assertEqual(self.script.toPlainText(), "Bring me the blue map.")
        self.open(self.production)
        names = [text for text, _ in self.window.productions.recent()]
        self.assertIn("untitled-1 (never named)", names)
        self.window.close()
        self.make_window()
        self.window.productions.start()
        self.idle()
        self.assertIn("Hollow Hill", self.window.top.title.text())
        self.assertIn("never named", self.window.offers.text.text())
        self.window.offers.yes.click()
        self.idle()
        self.assertEqual(self.document.folder.name, "untitled-1.glyphos")
        take = Path("takes", self.selection.slug, "take-01.wav")
        running = self.document.folder / "takes" / "_live" / "take-01.wav"
        rest = self.document.folder / "out" / "line.csv"
        for path in (self.document.folder / take, running, rest):
            path.parent.mkdir(parents=True)
            path.write_bytes(b"what was recorded")
        grown = running.read_bytes() + b", and goes on"
        self.answers.given = [(self.folder / "named", "")]
        with mock.patch.object(
            Store, "open", side_effect=lambda p: running.write_bytes(grown) and OPEN(p)
        ):  # while it is copied
            self.do("name-production")
            self.idle()
        self.assertEqual(self.document.folder, self.folder / "named.glyphos")
        self.assertEqual((self.document.folder / take).read_bytes(), b"what was recorded")
        self.assertEqual((self.document.folder / "takes/_live/take-01.wav").read_bytes(), grown)
        self.assertTrue((self.document.folder / "out" / "line.csv").exists())
        self.assertFalse(list((self.folder / "unsaved").iterdir()))
        self.assertNotIn("untitled-1", str(settings.recent()))

    def test_a_copy_that_fails_half_way_leaves_nothing_behind(self) -> None:
        with mock.patch(
            "glyphos.production.copying.shutil.copy2",
            side_effect=OSError(28, "No space left on device"),
        ):
            self.window.productions.copy_to(self.folder / "copy")
            self.idle()
        self.assertIn("no space left", self.status)
        self.assertFalse((self.folder / "copy.glyphos").exists())
        self.assertEqual(self.document.folder, self.production)


class Whole(WindowCase):
    long = True

    def long_line(self, late: int = 0) -> None:
        """The two-minute line, with the readings of the first line over and over; late: so many times silence first."""
        base = self.reading
        phrases = []
        for k in range(late, 9):
            for phrase in base.phrases:
                words = tuple(
                    msgspec.structs.replace(w, start=w.start + 12.3 * k, end=w.end + 12.3 * k, phones=tuple(
                        msgspec.structs.replace(p, start=round(p.start + 12.3 * k, 4), end=round(p.end + 12.3 * k, 4))
                        for p in w.phones))
                    for w in phrase.words
                )  # fmt: skip
                phrases.append(
                    msgspec.structs.replace(
                        phrase, start=words[0].start, end=words[-1].end, words=words
                    )
                )
        self.show("07-mabel-night-log")
        audio = msgspec.structs.replace(base.audio, duration=self.line.duration)
        self.change_line(
            "Load", reading=msgspec.structs.replace(base, phrases=tuple(phrases), audio=audio)
        )
        self.idle()

    def whole(self) -> np.ndarray:
        return perform(
            self.reading, self.current.delivery, fps=24, loudness=self.current.opened.loudness
        ).values

    def test_letting_a_slider_go_leaves_the_whole_motion_of_a_long_line(self) -> None:
        self.long_line()
        slider = self.delivery.sliders["jaw_reach"]
        slider.setSliderDown(True)
        slider.setValue(30)
        self.assertIsNotNone(self.current.motion_window)  # what is in sight comes first
        slider.setSliderDown(False)
        self.idle()
        np.testing.assert_array_equal(self.current.motion.values, self.whole())

    def test_so_it_does_where_a_long_line_begins_in_silence(self) -> None:
        self.long_line(late=1)
        slider = self.delivery.sliders["jaw_reach"]
        slider.setSliderDown(True)
        slider.setValue(30)
        slider.setSliderDown(False)
        self.idle()
        np.testing.assert_array_equal(self.current.motion.values, self.whole())

    def test_the_loupe_shows_a_line_that_begins_later_than_the_one_before_it_ends(self) -> None:
        self.long_line(late=1)
        self.show("01-mabel-beam")
        self.show("07-mabel-night-log")
        self.picture(self.loupe)
        start, end = self.current.flat.span(Part("word", 0))
        self.assertLess(self.loupe.span[0], start)
        self.assertGreater(self.loupe.span[1], end)

    def test_an_edge_moved_in_a_long_line_leaves_the_whole_motion(self) -> None:
        self.long_line()
        for word in (2, 200):
            self.selection.select(Part("word", word))
            self.do("start-later")
        self.settled()
        np.testing.assert_array_equal(self.current.motion.values, self.whole())

    def test_every_arrow_key_on_a_slider_is_not_a_step_and_a_release_alone_is_none(self) -> None:
        slider = self.delivery.sliders["lead"]
        slider.setFocus()
        for _ in range(6):
            QTest.keyClick(slider, Qt.Key.Key_Right)
        self.assertEqual(self.names(), ["Adjust delivery"])
        slider.setSliderDown(True)
        slider.setSliderDown(False)
        self.assertEqual(self.names(), ["Adjust delivery"])
        self.do("undo")
        self.assertEqual(self.current.delivery.lead, 40.0)

    def test_lines_passed_quickly_are_heard_all_the_same(self) -> None:
        for slug in ("03-pip-wind", "05-mabel-hush", "01-mabel-beam"):
            self.selection.show(slug)
            self.selection.select(Part("word", 0))
            self.do("start-later")
        self.settled()
        for slug in ("03-pip-wind", "05-mabel-hush", "01-mabel-beam"):
            line = self.document.kept_line(slug)
            self.assertIsNotNone(self.context.derived.ready_evidence(line), slug)
            self.assertTrue(Flat(line.reading).phones[0].pinned)

    def test_a_drag_that_was_given_up_leaves_nothing_to_be_found(self) -> None:
        edge = Edge(self.flat.first[4] + 1)
        self.desk.drag_edge(edge, self.flat.edge_time(edge) + 0.03)
        self.do("none")
        self.desk.drop()
        self.assertFalse(self.finder.busy or self.desk.dragging)
        self.assertIsNone(self.document.previewed)

    def test_another_sound_card_closes_the_one_before(self) -> None:
        closed: list[int] = []
        device = SilentDevice(self.clock)
        device.close = lambda: closed.append(1)  # type: ignore[method-assign]
        self.transport.use(device)
        with mock.patch(
            "glyphos.app.shell.general.best_device", return_value=SilentDevice(self.clock)
        ):
            self.context.preferring.set(device="Another card")
        self.assertEqual(closed, [1])


class Misread(WindowCase):
    def test_a_script_longer_than_its_recording_is_refused_in_a_sentence(self) -> None:
        self.show("05-mabel-hush")
        for count in range(8, 40, 2):
            self.script.setPlainText("pitter patter " * count)
            self.do("listen")
            self.idle()
            self.assertNotIn("inside Glyphos", self.status)
            if "too long" in self.status:
                break
        self.assertIn("too long for this recording", self.status)
        self.script.setPlainText("Hush. Look up. " + "a " * 60)
        self.do("listen")
        self.idle()
        self.assertNotIn("inside Glyphos", self.status)

    def test_the_script_check_checks_the_script_as_it_stands(self) -> None:
        self.drop(DATA / "slt_hts-001.flac")
        self.script.setPlainText("Bring me the blue map before the dome opens.")
        self.do("listen")
        self.idle()
        self.script.setPlainText("Bring me the yellow map before the dome opens.")
        self.do("script-check")
        dialog = self.dialog()
        self.assertIn("yellow", dialog.found[0].script)
        dialog.reject()

    def test_a_name_that_is_not_heard_is_who_speaks(self) -> None:
        self.drop(DATA / "slt_hts-001.flac")
        self.script.setPlainText("Old man: Bring me the blue map before the dome opens.")
        self.do("listen")
        self.idle()
        self.assertEqual(len(self.words()), 9)
        self.assertEqual((self.line.speaker, self.line.script[:8]), ("Old man", "OLD MAN:"))
        self.assertEqual(self.script.toPlainText(), self.line.script)
        self.assertIn("“Old man” is not heard", self.status)
        self.do("undo")
        self.assertEqual((self.line.speaker, self.line.script[:8]), ("", "Old man:"))

    def test_captions_that_are_dropped_are_its_script(self) -> None:
        self.show("03-pip-wind")
        path = self.folder / "line.SRT"
        path.write_text("1\n00:00:00,100 --> 00:00:02,000\nProbably the rain,\nOsric.\n")
        self.drop(path)
        self.assertEqual(self.script.toPlainText(), "Probably the rain, Osric.")
        self.assertEqual(self.line.script, "Probably the rain, Osric.")

    def test_bad_files_and_rows_among_good_ones_are_told(self) -> None:
        (self.folder / "bad.wav").write_bytes(b"nothing")
        table = self.folder / "lines.csv"
        table.write_text(
            f"file,speaker,text\n{DATA / 'slt_hts-001.flac'},Pip,Hello.\n,Pip,No file here.\n"
            f"{DATA / 'flite_rms-004.flac'},Pip,One, two.\n{self.folder / 'bad.wav'},Pip,Bad.\n"
        )
        self.drop(table)
        self.assertEqual(len(self.shown()), 10)
        self.assertIn("1 line added", self.status)
        self.assertIn("3 things were left out", self.window.offers.text.text())
        self.window.offers.yes.click()
        self.assertEqual(self.answers.asked, ["Left out or set aside"])

    def test_sounds_only_can_be_listened_to_again_as_sounds(self) -> None:
        self.show("08-pip-unscripted")
        self.do("listen-sounds")
        self.idle()
        before = [p.ipa for p in self.reading.phones()]
        self.do("listen")
        self.idle()
        after = [p.ipa for p in self.reading.phones()]
        self.assertEqual("".join(after), "".join(before))
        self.assertEqual({w.source for w in self.words()}, {"script"})

    def test_a_retake_into_silence_changes_nothing(self) -> None:
        silent = self.folder / "silent.wav"
        soundfile.write(silent, np.zeros(16_000, np.float32), 16_000)
        line = self.line
        self.hearing.retake(silent)
        self.idle()
        self.assertIn("silent", self.status)
        self.assertIs(self.line, line)

    def test_a_folder_that_cannot_be_written_can_be_worked_in_and_copied(self) -> None:
        self.document.close()
        with mock.patch("glyphos.production.store._locked", return_value=None):
            self.open(self.production)
        self.assertIn("cannot be written", self.status)
        self.change_line("Name speaker", speaker="Maude")
        self.window.productions.copy_to(self.folder / "mine")
        self.idle()
        self.assertEqual(Production.open(self.folder / "mine.glyphos").lines[0].speaker, "Maude")
        self.assertRaises(SaveError, Production.create, self.folder / "mine.glyphos", name="x")
