"""Words and pins corrected at the desk."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt

from glyphos.production.production import Production
from glyphos.speech.parts import Part
from tests.app.test_desk import DeskCase
from tests.labels import DATA


class Words(DeskCase):
    def test_a_pronunciation_is_heard_and_kept_in_the_lexicon(self) -> None:
        self.selection.select(Part("word", 3))
        self.window.commands.do("pronunciation")
        dialog = self.dialog()
        self.assertGreaterEqual(dialog.list.count(), 1)
        dialog.hear_button.click()
        dialog.own.setText("D UW1 M")
        dialog.group.button(1).setChecked(True)
        dialog.accept()
        self.settled()
        self.assertEqual([p.ipa for p in list(self.reading.words())[3].phones], ["d", "u", "m"])
        self.assertIn("dome", self.document.lexicon.entries)
        wrong = self.window
        wrong.commands.do("pronunciation")
        dialog = self.dialog()
        dialog.own.setText("42")
        dialog.accept()
        self.assertTrue(dialog.isVisible())
        self.assertTrue(dialog.wrong.text())
        dialog.reject()

    def test_a_changed_script_is_listened_to_where_it_changed(self) -> None:
        self.selection.select(Part("word", 4))
        self.window.commands.do("pin-part")
        kept = list(self.reading.words())[4].phones
        text = self.script.toPlainText().replace("nobody", "somebody")
        self.script.setPlainText(text)
        self.window.commands.do("listen")
        self.idle()
        words = list(self.reading.words())
        self.assertEqual(words[4].phones, kept)
        self.assertIn("somebody", [w.text for w in words])
        self.assertEqual(self.document.history.undo_name, "Listen")

    def test_retake_keeps_sounds_and_offers_pins(self) -> None:
        self.selection.select(Part("word", 1))
        self.window.commands.do("pin-part")
        ipa = [p.ipa for p in self.reading.phones()]
        audio = self.document.production.audio_path(self.line)
        other = self.folder / "another take.flac"
        other.write_bytes(audio.read_bytes())
        self.hearing.retake(other)
        self.idle()
        self.assertEqual([p.ipa for p in self.reading.phones()], ipa)
        self.assertIn("another take", self.line.audio)
        self.assertIn("pinned", self.window.offers.text.text())
        self.window.offers.yes.click()
        self.assertTrue(list(self.reading.words())[1].phones[0].pinned)

    def test_timing_is_saved_and_loaded_in_the_window(self) -> None:
        from glyphos.handoff import timing

        path = self.folder / "timing.csv"
        timing.save(self.reading, path)
        before = [(p.start, p.end) for p in self.reading.phones()]
        self.selection.select(Part("word", 4))
        self.key(Qt.Key.Key_X)
        self.settled()
        self.page.ask.load_timing_from(path)
        self.idle()
        self.assertEqual([(p.start, p.end) for p in self.reading.phones()], before)


class Kept(DeskCase):
    def test_every_action_is_on_disk_at_once_and_in_its_document_later(self) -> None:
        self.selection.select(Part("word", 2))
        self.key(Qt.Key.Key_X)
        self.settled()
        journal = Path(self.production / ".journal")
        self.assertGreater(journal.stat().st_size, 0)
        self.document.flush()
        self.assertEqual(journal.stat().st_size, 0)
        again = Production.open(self.production)
        self.assertEqual(again.lines[0].reading, self.reading)

    def test_lines_without_a_production_are_kept_too(self) -> None:
        self.assertEqual(self.document.close(), "")
        self.drop(DATA / "slt_hts-001.flac")
        self.assertTrue(
            (self.folder / "unsaved" / "untitled-1.glyphos" / "production.json").exists()
        )
        self.assertEqual(self.line.duration, self.transport.duration)

    def test_files_changed_by_other_programs_are_offered(self) -> None:
        audio = self.document.production.audio_path(self.line)
        text = audio.with_suffix(".txt")
        text.write_text("Mabel to the dome.")
        self.page.offers.watch.follow()
        text.write_text("Mabel to the dome, quickly.")
        self.wait(lambda: self.window.offers.isVisible())
        self.assertIn(text.name, self.window.offers.text.text())
        self.window.offers.yes.click()
        self.assertEqual(self.script.toPlainText(), "Mabel to the dome, quickly.")
        self.assertFalse(self.window.offers.isVisible())
