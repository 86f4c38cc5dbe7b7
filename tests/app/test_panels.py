"""Lines, productions, dialogs and preferences in the real window."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from unittest import mock

from msgspec import structs
from PySide6.QtCore import QModelIndex, QPoint, Qt
from PySide6.QtGui import QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QStyleOptionViewItem

from glyphos.app.dialogs.lexicon import LexiconDialog
from glyphos.app.dialogs.preferences import PreferencesDialog
from glyphos.app.dialogs.recording_check import CheckDialog
from glyphos.app.dialogs.script_check import CompareDialog
from glyphos.app.drawing import theme
from glyphos.app.drawing.spectrogram import spectrogram
from glyphos.app.model import settings
from glyphos.app.panels.lines.view import LinePainter
from glyphos.app.shell.finder import Finder
from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.production.kinds import line_key
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech import words
from glyphos.speech.compare import Disagreement
from glyphos.speech.lexicon import Lexicon
from glyphos.speech.parts import Part
from glyphos.speech.recognise import Draft
from tests.app.harness import WindowCase
from tests.faults import late
from tests.labels import DATA


class Lines(WindowCase):
    def test_searching_filtering_and_sorting_as_one_types(self) -> None:
        panel = self.window.lines
        QTest.keyClicks(panel.search, "wind")
        self.assertEqual(self.shown(), ["03-pip-wind", "04-osric-boots", "07-mabel-night-log"])
        self.assertIn("3 of 10", panel.heading.text())
        panel.search.clear()
        panel.state.setCurrentIndex(panel.state.findData("not listened"))
        self.assertNotIn("01-mabel-beam", self.shown())
        panel.state.setCurrentIndex(0)
        panel.sort.setCurrentIndex(panel.sort.findData("length"))
        self.assertEqual(self.shown()[0], "07-mabel-night-log")

    def test_lines_that_are_passed_by_cost_neither_motion_nor_spectrogram(self) -> None:
        for slug in ("03-pip-wind", "04-osric-boots", "01-mabel-beam"):
            self.show(slug)  # their sounds are read
        self.change_line("Say otherwise", "04-osric-boots", delivery=Delivery(articulation=0.7))
        timers = (self.current._passing, self.loupe._passing)
        usual = [t.interval() for t in timers]
        for timer in timers:
            timer.setInterval(60_000)  # however busy the machine is, all that follows is quicker
        with (
            mock.patch("glyphos.app.model.derived.perform", wraps=perform) as performed,
            mock.patch("glyphos.app.pages.score.loupe_paper.spectrogram", wraps=spectrogram) as seen,
        ):  # fmt: skip
            for slug in ("04-osric-boots", "03-pip-wind", "04-osric-boots"):
                self.selection.show(slug)
                self.application.processEvents()
                self.loupe.grab()
            self.assertEqual((performed.call_count, seen.call_count), (0, 0))
            self.assertIsNone(self.current.motion)
            self.assertFalse(self.current.settled)
            for timer, interval in zip(timers, usual, strict=True):
                timer.start(interval)  # it stays
            self.idle()
            self.wait(lambda: seen.call_count)
            self.assertEqual(performed.call_count, 1)
        self.assertEqual(self.current.motion.frames, self.context.living.motion.frames)
        self.selection.show("03-pip-wind")  # what was computed before is there at once
        self.assertIsNotNone(self.current.motion)

    def test_showing_another_line_paints_no_more_of_the_list_than_from_one_to_the_other(
        self,
    ) -> None:
        painted: list[int] = []

        class Told(LinePainter):
            def paint(
                self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex
            ) -> None:
                painted.append(index.row())
                super().paint(painter, option, index)

        panel = self.window.lines
        panel.list.setItemDelegate(told := Told(theme.PAPER, panel.lines))
        self.idle()
        self.assertEqual(set(painted), set(range(10)))
        painted.clear()
        self.selection.show("04-osric-boots")
        self.application.processEvents()
        self.assertEqual(
            set(painted), {0, 1, 2, 3}
        )  # what lies between is within the same rectangle
        painted.clear()
        self.selection.show("02-osric-door")
        self.application.processEvents()
        self.assertEqual(set(painted), {1, 2, 3})
        painted.clear()
        line = self.document.production.lines[7]
        named = structs.replace(line, speaker="Somebody with a long name")
        self.document.change("Name", {line_key(line.slug): named})
        self.idle()
        self.assertEqual(set(painted), {7})  # nothing was laid out anew
        self.assertIs(self.window.lines.list.itemDelegate(), told)

    def test_the_list_follows_a_line_that_is_shown_elsewhere_once_the_page_is_painted(self) -> None:
        panel = self.window.lines
        panel.list.setFixedHeight(3 * panel.list.visualRect(panel.lines.index(0)).height())
        self.idle()
        last = len(panel.lines.slugs) - 1
        self.selection.show(panel.lines.slugs[last])
        self.assertFalse(self.seen(last))  # nor is it while the page is painted
        self.assertTrue(panel.list._follow.isActive())
        self.wait(lambda: self.seen(last))
        self.selection.show(panel.lines.slugs[0])
        self.selection.show(panel.lines.slugs[1])  # it goes where the way ends
        self.wait(lambda: self.seen(1))

    def seen(self, row: int) -> bool:
        shown = self.window.lines.list
        return (
            shown.viewport().rect().contains(shown.visualRect(self.window.lines.lines.index(row)))
        )

    def test_a_row_that_is_half_seen_is_chosen_by_a_click(self) -> None:
        panel = self.window.lines
        high = panel.list.visualRect(panel.lines.index(0)).height()
        panel.list.setFixedHeight(int(5.4 * high))
        self.idle()
        at = QPoint(40, panel.list.viewport().height() - 4)
        row = panel.list.indexAt(at).row()
        self.assertGreater(panel.list.visualRect(panel.lines.index(row)).bottom(), at.y() + 5)
        QTest.mouseClick(panel.list.viewport(), Qt.MouseButton.LeftButton, pos=at)
        self.idle()
        self.assertEqual(self.selection.slug, panel.lines.slugs[row])
        self.assertEqual(panel.list.selected(), [panel.lines.slugs[row]])
        panel.list.setMinimumHeight(0)
        panel.list.setMaximumHeight(16_777_215)

    def test_deleted_lines_come_back_with_undo(self) -> None:
        panel = self.window.lines
        panel.list.setCurrentIndex(panel.lines.index(1))
        self.assertEqual(self.selection.slug, "02-osric-door")
        self.do("delete-line")
        self.assertEqual(len(self.shown()), 9)
        self.assertNotEqual(self.selection.slug, "02-osric-door")
        self.document.flush()
        self.assertFalse((self.production / "lines" / "02-osric-door.json").exists())
        self.do("undo")
        self.assertEqual(self.shown()[1], "02-osric-door")
        self.assertEqual(self.selection.slug, "02-osric-door")
        self.assertEqual(panel.list.selected(), ["02-osric-door"])
        self.document.flush()
        self.assertTrue((self.production / "lines" / "02-osric-door.json").exists())

    def test_lines_are_duplicated_and_reordered(self) -> None:
        self.do("duplicate")
        self.assertEqual(self.shown()[:2], ["01-mabel-beam", "01-mabel-beam-2"])
        self.assertEqual(self.selection.slug, "01-mabel-beam-2")
        self.do("line-down")
        self.assertEqual(self.shown()[1:3], ["02-osric-door", "01-mabel-beam-2"])
        self.document.flush()
        again = Production.open(self.production)
        self.assertEqual([x.slug for x in again.lines][2], "01-mabel-beam-2")

    def test_many_lines_are_listened_to_while_one_works_on(self) -> None:
        batch = self.window.batch
        self.do("listen-all")
        self.assertTrue(batch.running)
        self.assertTrue(self.window.bottom.cancel_button.isVisible())
        self.selection.select(Part("word", 2))
        self.do("end-later")
        edited = self.current.reading
        self.wait(lambda: not batch.running, 90)
        done = [x for x in self.document.production.lines if x.reading is not None]
        self.assertEqual(len(done), 10)
        unwritten = self.document.production.line("08-pip-unscripted")
        self.assertEqual(unwritten.script, unwritten.reading.text)  # what is heard is its draft
        self.assertEqual(
            self.document.production.lines[0].reading.phrases[0].words[2].end,
            edited.phrases[0].words[2].end,
        )
        self.do("listen-all")
        self.assertIn("already", self.status)

    def test_a_run_is_cancelled_and_what_is_done_is_kept(self) -> None:
        self.do("listen-all")
        self.window.bottom.cancel_button.click()
        self.wait(lambda: not self.window.batch.running, 60)
        self.assertIn("kept", self.status)
        self.assertFalse(self.window.bottom.cancel_button.isVisible())

    def test_a_folder_dropped_brings_all_its_recordings(self) -> None:
        folder = self.folder / "takes"
        folder.mkdir()
        for name in ("slt_hts-001", "flite_rms-004"):
            shutil.copy(DATA / f"{name}.flac", folder)
            shutil.copy(DATA / f"{name}.txt", folder)
        self.drop(folder)
        self.assertEqual(len(self.shown()), 12)
        self.assertEqual(self.selection.slug, "flite-rms-004")
        self.assertTrue(self.line.script)
        self.do("undo")
        self.assertEqual(len(self.shown()), 10)

    def test_recordings_that_moved_away_are_found_again(self) -> None:
        away = self.folder / "away"
        shutil.move(self.production / "audio", away)
        self.show("02-osric-door")
        self.assertIn("not where it was", self.window.offers.text.text())
        self.window.productions.find_in(away)
        self.idle()
        self.assertIn("10 recordings found", self.status)
        self.show("02-osric-door")
        self.assertEqual(self.selection.slug, "02-osric-door")


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
        self.assertEqual(len(self.shown()), 9)

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
