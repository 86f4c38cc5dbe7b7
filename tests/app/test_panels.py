"""Lines, productions, dialogs and preferences in the real window."""

from __future__ import annotations

import shutil
from pathlib import Path

from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog

from glyphos.app import settings
from glyphos.app.dialogs import CheckDialog, CompareDialog, LexiconDialog, PreferencesDialog
from glyphos.app.finder import Finder
from glyphos.app.player import SilentDevice
from glyphos.app.window import Window
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.compare import Disagreement
from glyphos.speech.lexicon import Lexicon
from glyphos.speech.parts import Part
from tests.app.harness import WindowCase
from tests.labels import DATA


class Case(WindowCase):
    def shown(self) -> list[str]:
        return [x.slug for x in self.window.lines.list.lines.lines]

    def dialog(self) -> QDialog:
        self.wait(lambda: any(d.isVisible() for d in self.window.findChildren(QDialog)))
        return next(d for d in self.window.findChildren(QDialog) if d.isVisible())

    def drop(self, *paths: Path) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
        event = QDropEvent(QPointF(600, 400), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                           Qt.KeyboardModifier.NoModifier)  # fmt: skip
        self.window.dropEvent(event)

    def do(self, name: str) -> None:
        self.window.commands.do(name)
        self.application.processEvents()


class Lines(Case):
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

    def test_deleted_lines_come_back_with_undo(self) -> None:
        panel, session = self.window.lines, self.window.session
        panel.list.setCurrentIndex(panel.list.lines.index(1))
        self.assertEqual(session.slug, "02-osric-door")
        self.do("delete-line")
        self.assertEqual(len(self.shown()), 9)
        self.assertNotEqual(session.slug, "02-osric-door")
        session.settle()
        self.assertFalse((self.production / "lines" / "02-osric-door.json").exists())
        self.do("undo")
        self.assertEqual(self.shown()[1], "02-osric-door")
        session.settle()
        self.assertTrue((self.production / "lines" / "02-osric-door.json").exists())

    def test_lines_are_duplicated_and_reordered(self) -> None:
        self.do("duplicate")
        self.assertEqual(self.shown()[:2], ["01-mabel-beam", "01-mabel-beam-2"])
        self.assertEqual(self.window.session.slug, "01-mabel-beam-2")
        self.do("line-down")
        self.assertEqual(self.shown()[1:3], ["02-osric-door", "01-mabel-beam-2"])
        self.window.session.settle()
        again = Production.open(self.production)
        self.assertEqual([x.slug for x in again.lines][2], "01-mabel-beam-2")

    def test_many_lines_are_listened_to_while_one_works_on(self) -> None:
        batch, session = self.window.act.batch, self.window.session
        self.do("listen-all")
        self.assertTrue(batch.running)
        self.assertTrue(self.window.cancel_button.isVisible())
        session.select(Part("word", 2))
        self.do("end-later")
        edited = session.reading
        self.wait(lambda: not batch.running, 90)
        done = [x for x in session.production.lines if x.reading is not None]
        self.assertEqual(len(done), 9)  # all but the one without a script
        self.assertEqual(
            session.production.lines[0].reading.phrases[0].words[2].end,
            edited.phrases[0].words[2].end,
        )
        self.do("listen-all")
        self.assertIn("already", self.window.status.text())

    def test_a_run_is_cancelled_and_what_is_done_is_kept(self) -> None:
        self.do("listen-all")
        self.window.cancel_button.click()
        self.wait(lambda: not self.window.act.batch.running, 60)
        self.assertIn("kept", self.window.status.text())
        self.assertFalse(self.window.cancel_button.isVisible())

    def test_a_folder_dropped_brings_all_its_recordings(self) -> None:
        folder = self.folder / "takes"
        folder.mkdir()
        for name in ("slt_hts-001", "flite_rms-004"):
            shutil.copy(DATA / f"{name}.flac", folder)
            shutil.copy(DATA / f"{name}.txt", folder)
        self.drop(folder)
        self.assertEqual(len(self.shown()), 12)
        self.assertEqual(self.window.session.slug, "flite-rms-004")
        self.assertTrue(self.window.session.line.script)
        self.do("undo")
        self.assertEqual(len(self.shown()), 10)

    def test_recordings_that_moved_away_are_found_again(self) -> None:
        session = self.window.session
        away = self.folder / "away"
        shutil.move(self.production / "audio", away)
        session.show_line("02-osric-door")
        self.assertIn("no file", self.window.status.text())
        self.window.act.files.find_in(away)
        self.assertIn("10 recordings found", self.window.status.text())
        session.show_line("02-osric-door")
        self.assertEqual(session.slug, "02-osric-door")


class Productions(Case):
    def test_a_production_open_elsewhere_is_told_and_the_present_one_stays(self) -> None:
        other = Store.create(self.folder / "other", name="Other")
        self.addCleanup(other.close)
        self.window.session.open(other.folder)
        self.assertIn("open in another", self.window.status.text())
        self.assertIn("Hollow Hill", self.window.title.text())

    def test_a_new_one_is_made_and_the_old_one_let_go(self) -> None:
        session = self.window.session
        session.new_production(self.folder / "new.glyphos", "New", "25")
        self.assertEqual(self.shown(), [])
        self.assertEqual(str(session.fps), "25")
        self.assertIs(self.window.pages.currentWidget(), self.window.empty)
        Store.open(self.production).close()  # nobody holds it any more
        self.drop(DATA / "slt_hts-001.flac")
        self.assertTrue((self.folder / "new.glyphos" / "audio" / "slt_hts-001.flac").exists())

    def test_damage_is_reported_in_the_window(self) -> None:
        self.window.session.new_production(self.folder / "x", "X")
        (self.production / "lines" / "03-pip-wind.json").write_text("?")
        self.window.session.open(self.production)
        self.assertIn("set aside", self.window.status.text())
        self.assertEqual(len(self.shown()), 9)

    def test_recent_productions_are_remembered_and_opened(self) -> None:
        settings.remember("/nowhere/a")
        settings.remember(str(self.production))
        self.assertEqual(settings.recent()[0], str(self.production))
        self.window.session.new_production(self.folder / "x", "X")
        menu = self.window.act.recent_menu
        self.window.act.files.fill_recent(menu)
        menu.actions()[0].trigger()
        self.assertIn("Hollow Hill", self.window.title.text())
        menu.actions()[1].trigger()
        self.assertIn("not a production", self.window.status.text())

    def test_undo_is_named_and_runs_through_everything(self) -> None:
        session = self.window.session
        self.window.script.setPlainText("Mabel.")
        self.window.script.setPlainText("Mabel to.")
        self.assertEqual([s.name for s in session.history.done], ["Edit script"])
        self.window.delivery.sliders["lead"].setValue(90)
        self.window.rate.setCurrentText("30")
        self.window._rate_chosen()
        names = [s.name for s in session.history.done]
        self.assertEqual(names, ["Edit script", "Adjust delivery", "Set frame rate"])
        self.assertEqual(self.window.commands.actions["undo"].text(), "Undo: Set frame rate")
        for _ in names:
            QTest.keyClick(self.window.script, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual((str(session.fps), session.delivery.lead), ("24", 40.0))
        self.assertTrue(self.window.script.toPlainText().startswith("Mabel to the dome."))
        self.assertFalse(self.window.commands.actions["undo"].isEnabled())


class Dialogs(Case):
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
        keys = [k for c in self.window.commands.all.values() for k in c.keys.split()]
        self.assertEqual(len(keys), len(set(keys)))
        for command in self.window.commands.all.values():
            self.assertTrue(command.text[0].isupper(), command.text)

    def test_the_check_of_a_poor_recording_leads_to_a_cleaned_copy(self) -> None:
        session = self.window.session
        session.show_line("06-osric-poor")
        self.do("check")
        dialog = self.dialog()
        assert isinstance(dialog, CheckDialog)
        self.assertTrue(dialog.clean_box.isVisible())
        self.assertFalse(dialog.channel_box.isVisible())
        dialog.accept()
        self.assertTrue(session.line.condition)
        self.do("listen")
        self.wait(lambda: session.hearing.task is None)
        self.assertEqual(sum(1 for _ in session.reading.words()), 13)

    def test_script_and_recording_side_by_side(self) -> None:
        self.drop(DATA / "slt_hts-001.flac")
        session = self.window.session
        self.window.script.setPlainText("Bring me the yellow map before the dome opens.")
        self.do("listen")
        self.wait(lambda: session.hearing.task is None)
        self.do("script-check")
        dialog = self.dialog()
        assert isinstance(dialog, CompareDialog)
        played: list[float] = []
        dialog.played.connect(lambda a, b: played.append(a))
        QTest.keyClick(dialog.table, Qt.Key.Key_Space)
        self.assertEqual(len(played), 1)
        QTest.keyClick(dialog.table, Qt.Key.Key_2)
        dialog.accept()
        self.wait(lambda: session.hearing.task is None)
        self.assertIn("the blue", session.line.script)
        self.assertIn("blue", [w.text for w in session.reading.words()])

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
        session = self.window.session
        session.show_line("08-pip-unscripted")
        self.do("listen")
        self.assertIn("without a script", self.window.status.text())
        self.do("listen-unscripted")
        self.wait(lambda: session.hearing.task is None, 60)
        self.assertIn("map room", self.window.script.toPlainText())
        self.do("listen-sounds")
        self.wait(lambda: session.hearing.task is None, 60)
        self.assertTrue(session.reading.text.startswith("/"))
        self.do("undo")
        self.assertIn("map room", self.window.script.toPlainText())


class Preferring(Case):
    def test_preferences_are_used_and_kept_for_the_next_start(self) -> None:
        size = QApplication.font().pointSizeF()
        dialog = PreferencesDialog(self.window.preferences, ["A card"], self.window)
        dialog.theme.setCurrentIndex(1)
        dialog.gestures.setCurrentIndex(2)
        dialog.snap.setCurrentIndex(2)
        dialog.scrub.setChecked(True)
        dialog.text_size.setValue(size + 2)
        height = self.window.score.page.bands.height
        self.window.apply_preferences(dialog.preferences())
        self.addCleanup(self._font_back, size)
        self.assertEqual(self.window.theme.name, "night")
        self.assertGreater(self.window.score.page.bands.height, height)
        self.assertTrue(self.window.desk.scrub_while_dragging)
        kept = settings.load()
        self.assertEqual(
            (kept.theme, kept.gestures, kept.snap, kept.scrub), ("night", "ink", "energy", True)
        )
        dialog.deleteLater()

    def _font_back(self, size: float) -> None:
        font = QApplication.font()
        font.setPointSizeF(size)
        QApplication.setFont(font)

    def test_zoom_and_the_whole_page(self) -> None:
        page = self.window.score.page
        height = page.bands.height
        self.do("zoom-in")
        self.assertGreater(page.bands.height, height)
        rects = page.word_rects()
        for k, a in enumerate(rects):
            self.assertFalse(any(a.intersects(b) for b in rects[k + 1 :]))
        self.do("zoom-none")
        self.do("whole-page")
        self.assertFalse(self.window.lines.isVisible() or self.window.face.isVisible())
        self.do("none")
        self.assertTrue(self.window.lines.isVisible() and self.window.loupe.isVisible())

    def test_the_window_comes_back_as_it_was_left(self) -> None:
        self.window.resize(1280, 700)
        self.window.middle.setSizes([300, 280])
        self.application.processEvents()
        sizes = self.window.middle.sizes()
        self.window.close()
        again = Window(device=SilentDevice(self.clock))
        again.show()
        again.session.open(self.production)
        self.application.processEvents()
        self.assertEqual(again.height(), 700)
        self.assertEqual(again.middle.sizes(), sizes)
        again.close()
        again.deleteLater()
