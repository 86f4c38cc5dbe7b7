"""Productions, dialogs and preferences in the real window."""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from glyphos.app.dialogs.lexicon import LexiconDialog
from glyphos.app.dialogs.preferences import PreferencesDialog
from glyphos.app.dialogs.recording_check import CheckDialog
from glyphos.app.dialogs.script_check import CompareDialog
from glyphos.app.model import settings
from glyphos.app.shell.finder import Finder
from glyphos.production.store import Store
from glyphos.speech import words
from glyphos.speech.compare import Disagreement
from glyphos.speech.lexicon import Lexicon
from glyphos.speech.recognise import Draft
from tests.app.harness import WindowCase
from tests.faults import late
from tests.labels import DATA


class Productions(WindowCase):
    def test_a_production_open_elsewhere_is_told_and_the_present_one_stays(self) -> None:
        other = Store.create(self.folder / "other", name="Other")
        self.addCleanup(other.close)
        self.open(other.folder)
        self.assertIn("open in another", self.status)
        self.assertIn("Hollow Hill", self.window.top.title.text())

    def test_a_new_one_is_made_and_the_old_one_let_go(self) -> None:
        self.window.productions.make(self.folder / "new.glyphos", name="New", fps="25")
        self.idle()
        self.assertEqual(self.shown(), [])
        self.assertEqual(str(self.current.fps), "25")
        self.assertIn("Bring in a recorded line", self.page.hint.text())
        Store.open(self.production).close()  # nobody holds it any more
        self.drop(DATA / "slt_hts-001.flac")
        self.assertTrue((self.folder / "new.glyphos" / "audio" / "slt_hts-001.flac").exists())

    def test_damage_is_reported_in_the_window(self) -> None:
        self.window.productions.make(self.folder / "x", name="X")
        self.idle()
        (self.production / "lines" / "03-pip-wind.json").write_text("?")
        self.open(self.production)
        self.assertIn("set aside", self.window.offers.text.text())
        self.assertEqual(len(self.shown()), 8)

    def test_recent_productions_are_remembered_and_opened(self) -> None:
        settings.remember("/nowhere/a")
        settings.remember(str(self.production))
        self.assertEqual(settings.recent()[0], str(self.production))
        self.window.productions.make(self.folder / "x", name="X")
        self.idle()
        menus = self.window.menus
        menus.fill_recent()
        actions = {a.text(): a for a in menus.recent.actions()}
        actions[str(self.production)].trigger()
        self.idle()
        self.assertIn("Hollow Hill", self.window.top.title.text())
        actions["/nowhere/a"].trigger()
        self.idle()
        self.assertIn("not a production", self.status)

    def test_undo_is_named_and_runs_through_everything(self) -> None:
        self.script.setPlainText("Mabel.")
        self.script.setPlainText("Mabel to.")
        self.assertEqual([s.name for s in self.document.history.done], ["Edit script"])
        self.delivery.sliders["lead"].setValue(90)
        self.window.top.rate.setCurrentText("30")
        self.window.general.set_rate("30")
        names = [s.name for s in self.document.history.done]
        self.assertEqual(names, ["Edit script", "Adjust delivery", "Set frame rate"])
        self.assertEqual(self.window.commands.actions["undo"].text(), "Undo: Set frame rate")
        self.script.setFocus()
        for _ in names:
            QTest.keyClick(self.script, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual((str(self.current.fps), self.current.delivery.lead), ("24", 40.0))
        self.assertTrue(self.script.toPlainText().startswith("Mabel to the dome."))
        self.assertFalse(self.window.commands.actions["undo"].isEnabled())


class Dialogs(WindowCase):
    def test_the_palette_finds_and_runs_a_command(self) -> None:
        self.do("palette")
        finder = self.dialog()
        assert isinstance(finder, Finder)
        QTest.keyClicks(finder.search, "night")
        self.assertEqual(finder.list.topLevelItemCount(), 1)
        QTest.keyClick(finder.search, Qt.Key.Key_Return)
        self.assertEqual(self.window.theme.name, "night")

    def test_the_shortcut_sheet_lists_every_command_once(self) -> None:
        self.do("shortcuts")
        finder = self.dialog()
        names = [finder.list.topLevelItem(k).data(0, Qt.ItemDataRole.UserRole)
                 for k in range(finder.list.topLevelItemCount())]  # fmt: skip
        self.assertEqual(sorted(n for n in names if n), sorted(self.window.commands.all))
        QTest.keyClick(finder, Qt.Key.Key_Down)
        self.assertEqual(finder.list.currentItem().text(0), "Play what is chosen")
        finder.reject()

    def test_no_two_commands_have_the_same_keys(self) -> None:
        for page in self.window.pages:
            acting = [
                c for c in self.window.commands.all.values() if not c.page or page in c.page.split()
            ]
            keys = [k for c in acting for k in c.keys.split()]
            self.assertEqual(len(keys), len(set(keys)), page)
        for command in self.window.commands.all.values():
            self.assertTrue(command.text[0].isupper(), command.text)

    def test_the_check_of_a_poor_recording_leads_to_a_cleaned_copy(self) -> None:
        self.show("06-osric-poor")
        self.do("check")
        dialog = self.dialog()
        assert isinstance(dialog, CheckDialog)
        self.assertTrue(dialog.clean_box.isVisible())
        self.assertFalse(dialog.channel_box.isVisible())
        dialog.accept()
        self.assertTrue(self.line.condition)
        self.do("listen")
        self.idle()
        self.assertEqual(sum(1 for _ in self.current.reading.words()), 13)

    def test_script_and_recording_side_by_side(self) -> None:
        self.drop(DATA / "slt_hts-001.flac")
        self.script.setPlainText("Bring me the yellow map before the dome opens.")
        self.do("listen")
        self.idle()
        self.do("script-check")
        dialog = self.dialog()
        assert isinstance(dialog, CompareDialog)
        played: list[float] = []
        dialog.played.connect(lambda a, b: played.append(a))
        QTest.keyClick(dialog.table, Qt.Key.Key_Space)
        self.assertEqual(len(played), 1)
        QTest.keyClick(dialog.table, Qt.Key.Key_2)
        dialog.accept()
        self.idle()
        self.assertIn("the blue", self.line.script)
        self.assertIn("blue", [w.text for w in self.current.reading.words()])

    def test_choices_of_the_comparison_are_made_by_key(self) -> None:
        found = [Disagreement(0, 1, "a", "b", 0.0, 1.0), Disagreement(2, 3, "c", "d", 2.0, 3.0)]
        dialog = CompareDialog(found, self.window)
        dialog.open()
        for key in (Qt.Key.Key_2, Qt.Key.Key_1):
            QTest.keyClick(dialog.table, key)
        self.assertEqual(dialog.chosen(), found[:1])
        dialog.deleteLater()

    def test_the_lexicon_is_edited_as_text_and_mistakes_are_shown(self) -> None:
        dialog = LexiconDialog(Lexicon(), self.window)
        dialog.text.setPlainText("osric  AA1 S R IH0 K\nmabel  /ˈm eɪ b ə l/")
        dialog.accept()
        self.assertEqual(set(dialog.lexicon.entries), {"osric", "mabel"})
        dialog.text.setPlainText("osric  42")
        dialog.accept()
        self.assertIn("line 1", dialog.wrong.text())
        dialog.deleteLater()

    def test_without_a_script_a_draft_is_put_in(self) -> None:
        self.show("08-pip-unscripted")
        self.do("listen")
        self.assertIn("without a script", self.status)
        self.do("listen-unscripted")
        self.idle()
        self.assertIn("map room", self.script.toPlainText())
        before = self.line.script
        self.do("listen-sounds")  # a script is not overwritten without being asked
        self.assertEqual(self.answers.asked, ["Listen without a script"])
        self.idle()
        self.assertEqual(self.line.script, before)
        self.answers.given = [0]
        self.do("listen-sounds")
        self.idle()
        self.assertTrue(self.current.reading.text.startswith("/"))
        self.do("undo")
        self.assertIn("map room", self.script.toPlainText())


class BothEars(WindowCase):
    second_ear = True

    def test_listening_doubts_only_where_both_ears_do(self) -> None:
        line = self.line
        wrong = line.script.replace("blue map", "yellow map")
        self.change_line("Script", script=wrong, reading=None)
        self.do("listen")
        self.idle()
        self.assertEqual([w.text for w in self.words() if w.doubtful], ["yellow"])
        self.change_line("Script", script=line.script)
        self.do("listen")
        self.idle()
        self.assertFalse([w.text for w in self.words() if w.doubtful])


class Preferring(WindowCase):
    own_window = True

    def test_preferences_are_used_and_kept_for_the_next_start(self) -> None:
        size = QApplication.font().pointSizeF()
        dialog = PreferencesDialog(
            self.context.preferring.now, ["A card"], self.context.ask, self.window
        )
        dialog.theme.setCurrentIndex(1)
        dialog.gestures.setCurrentIndex(2)
        dialog.snap.setCurrentIndex(2)
        dialog.scrub.setChecked(True)
        dialog.text_size.setValue(size + 2)
        height = self.paper.bands.height
        self.context.preferring.put(dialog.preferences())
        self.addCleanup(self._font_back, size)
        self.assertEqual(self.window.theme.name, "night")
        self.assertGreater(self.paper.bands.height, height)
        self.assertTrue(self.context.preferring.now.scrub)
        kept = settings.load()
        self.assertEqual(
            (kept.theme, kept.gestures, kept.snap, kept.scrub), ("night", "ink", "energy", True)
        )
        dialog.deleteLater()

    def test_a_model_for_words_is_used_or_refused_in_a_sentence(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.context.preferring.set(words_model=str(folder))
        self.addCleanup(words.prefer, None)
        self.assertIn("model.bin", self.status)
        self.assertIsNone(words.chosen())
        for name in words.FILES:
            (folder / name).write_text("{}")
        self.context.preferring.set(words_model=str(folder), legend=True)
        self.context.preferring.set(words_model="")
        self.assertIsNone(words.chosen())
        self.context.preferring.set(words_model=str(folder))
        self.assertEqual(words.chosen(), folder)

    def test_another_language_is_offered(self) -> None:
        self.show("08-pip-unscripted")
        heard = Draft("Bring me the map.", "it", 0.95)
        with mock.patch("glyphos.voice.unwritten.draft", return_value=heard):
            self.do("listen-unscripted")
            self.idle()
        offer = self.context.talk.offers["language"]
        self.assertIn("Italian", offer.text)
        offer.run()
        self.assertEqual(self.current.line.language, "it")
        self.assertNotIn("language", self.context.talk.offers)
        self.do("undo")
        self.assertEqual(self.current.line.language, "en")

    def test_of_words_that_are_guessed_it_is_said(self) -> None:
        self.show("08-pip-unscripted")
        heard = Draft("Bring me the map.", guessed=True)
        with mock.patch("glyphos.voice.unwritten.draft", return_value=heard):
            self.do("listen-unscripted")
            self.idle()
        self.assertIn("Hardly a word was understood", self.status)
        self.assertTrue(all(w.doubtful for w in self.words()))

    def test_a_language_is_offered_for_the_line_that_is_shown(self) -> None:
        heard = Draft("Bring me the map.", "it", 0.95)
        with mock.patch("glyphos.voice.unwritten.draft", return_value=heard):
            self.show("08-pip-unscripted")
            self.do("listen-unscripted")
            self.idle()
            self.assertIn("language", self.context.talk.offers)
            self.show("03-pip-wind")
            self.assertNotIn("language", self.context.talk.offers)
            with late("glyphos.voice.unwritten.listen_unwritten") as gate:
                self.show("08-pip-unscripted")
                self.answers.given = [0]
                self.do("listen-unscripted")
                self.wait(gate.reached.is_set)
                self.selection.show("03-pip-wind")
                gate.open()
                self.idle()
        self.assertNotIn("language", self.context.talk.offers)
        self.assertIn("08-pip-unscripted sounds like Italian", self.status)

    def _font_back(self, size: float) -> None:
        font = QApplication.font()
        font.setPointSizeF(size)
        QApplication.setFont(font)

    def test_zoom_and_the_whole_page(self) -> None:
        page = self.paper
        height = page.bands.height
        self.do("zoom-in")
        self.assertGreater(page.bands.height, height)
        rects = page.word_rects()
        for k, a in enumerate(rects):
            self.assertFalse(any(a.intersects(b) for b in rects[k + 1 :]))
        self.do("zoom-none")
        self.do("whole-page")
        self.assertFalse(self.window.lines.isVisible() or self.window.face_panel.isVisible())
        self.do("none")
        self.assertTrue(self.window.lines.isVisible() and self.loupe.isVisible())

    def test_the_window_comes_back_as_it_was_left(self) -> None:
        self.window.resize(1280, 700)
        self.page.split.setSizes([300, 280])
        self.application.processEvents()
        sizes = self.page.split.sizes()
        self.window.close()
        self.make_window()
        self.window.productions.start()
        self.idle()
        self.assertIn("Hollow Hill", self.window.top.title.text())
        self.assertEqual(self.window.height(), 700)
        self.assertEqual(self.page.split.sizes(), sizes)
