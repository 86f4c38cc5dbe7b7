"""The list of lines in the real window."""

from __future__ import annotations

import shutil
from unittest import mock

from msgspec import structs
from PySide6.QtCore import QModelIndex, QPoint, Qt
from PySide6.QtGui import QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QStyleOptionViewItem

from glyphos.app.drawing import theme
from glyphos.app.drawing.spectrogram import spectrogram
from glyphos.app.panels.lines.view import LinePainter
from glyphos.motion.delivery import Delivery
from glyphos.motion.mood import MoodSpan
from glyphos.motion.perform import perform
from glyphos.production.kinds import line_key
from glyphos.production.production import Production
from glyphos.speech.parts import Part
from tests.app.harness import WindowCase
from tests.labels import DATA


class Lines(WindowCase):
    def test_searching_filtering_and_sorting_as_one_types(self) -> None:
        panel = self.window.lines
        QTest.keyClicks(panel.search, "wind")
        self.assertEqual(self.shown(), ["03-pip-wind", "04-osric-boots"])
        self.assertIn("2 of 9", panel.heading.text())
        panel.search.clear()
        panel.state.setCurrentIndex(panel.state.findData("not listened"))
        self.assertNotIn("01-mabel-beam", self.shown())
        panel.state.setCurrentIndex(0)
        panel.sort.setCurrentIndex(panel.sort.findData("length"))
        self.assertEqual(self.shown()[0], "01-mabel-beam")

    def test_lines_that_are_passed_by_cost_neither_motion_nor_spectrogram(self) -> None:
        self.window.repaint()
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

    def test_a_production_that_is_opened_performs_its_first_line_once_its_sound_is_there(
        self,
    ) -> None:
        again = self.folder / "again.glyphos"
        shutil.copytree(self.production, again)
        self.current._unread.setInterval(60_000)  # its sound is read sooner, however busy it is
        with mock.patch("glyphos.app.model.derived.perform", wraps=perform) as performed:
            self.open(again)
        self.current._unread.setInterval(150)
        self.assertEqual(performed.call_count, 1)
        self.assertIsNotNone(self.current.motion.level)  # which only a sound can tell

    def test_showing_another_line_paints_no_more_of_the_list_than_from_one_to_the_other(
        self,
    ) -> None:
        self.window.repaint()
        self.application.processEvents()
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
        self.assertEqual(set(painted), set(range(9)))
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
        self.idle()
        painted.clear()
        line = self.document.production.lines[7]
        named = structs.replace(line, speaker="Somebody with a long name")
        self.document.change("Name", {line_key(line.slug): named})
        self.idle()
        self.assertEqual(set(painted), {7})  # nothing was laid out anew
        self.assertIs(self.window.lines.list.itemDelegate(), told)

    def test_an_edge_that_moves_is_nothing_to_lists_and_panels(self) -> None:
        lines, told = self.window.lines.lines, list[int]()
        lines.dataChanged.connect(lambda first, _: told.append(first.row()))
        life, layers = self.page.life, self.page.layers

        def nudge() -> None:
            self.selection.select(Part("word", 3))
            self.do("start-later")
            self.idle()

        nudge()  # it may look other for the first pin
        told.clear()
        with (
            mock.patch.object(life, "_show_spans", wraps=life._show_spans) as spans,
            mock.patch.object(layers.on["life"], "setChecked") as shown,
        ):
            nudge()
            self.assertEqual((told, spans.call_count, shown.call_count), ([], 0, 0))
            mood, mix = MoodSpan("joy", 0.2, 1.0, 0.9), self.line.mix.changed("mood", on=False)
            self.change_line("Feel", moods=(mood,), mix=mix)
            self.assertEqual((spans.call_count, shown.call_count), (1, 1))
        self.assertFalse(layers.on["mood"].isChecked())
        told.clear()
        for changes in (
            {"script": "Mabel."},
            {"speaker": "Zoë"},
            {"problem": "Gone."},
            {"duration": 9.0},
        ):
            self.change_line("Look other", **changes)
            self.assertEqual(told, [0], changes)
            told.clear()
        self.do("undo")
        self.assertEqual(told, [0])
        lines.show_busy(frozenset({self.line.slug}))
        lines.show_busy(frozenset())
        self.assertEqual(told, [0, 0, 0])
        nudge()
        with mock.patch.object(self.context.proofing, "worst", lambda _: ("poor", 2)):
            lines.show_found(frozenset({self.line.slug}))
        told.clear()
        nudge()  # it looks as it was told before Proof found something: not as it is painted
        self.assertEqual(told, [0])
        keys = frozenset(line_key(slug) for slug in self.document.production.slugs)
        with mock.patch.object(
            lines, "entry", side_effect=AssertionError("of those in sight alone")
        ):
            lines.follow(keys)  # of thousands at once
        self.assertEqual(told, [0, 0])

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
        self.assertEqual(len(self.shown()), 8)
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
        self.wait(lambda: not batch.running)
        done = [x for x in self.document.production.lines if x.reading is not None]
        self.assertEqual(len(done), 9)
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
        self.wait(lambda: not self.window.batch.running)
        self.assertIn("kept", self.status)
        self.assertFalse(self.window.bottom.cancel_button.isVisible())

    def test_a_folder_dropped_brings_all_its_recordings(self) -> None:
        folder = self.folder / "takes"
        folder.mkdir()
        for name in ("slt_hts-001", "flite_rms-004"):
            shutil.copy(DATA / f"{name}.flac", folder)
            shutil.copy(DATA / f"{name}.txt", folder)
        self.drop(folder)
        self.assertEqual(len(self.shown()), 11)
        self.assertEqual(self.selection.slug, "flite-rms-004")
        self.assertTrue(self.line.script)
        self.do("undo")
        self.assertEqual(len(self.shown()), 9)

    def test_recordings_that_moved_away_are_found_again(self) -> None:
        away = self.folder / "away"
        shutil.move(self.production / "audio", away)
        self.show("02-osric-door")
        self.assertIn("not where it was", self.window.offers.text.text())
        self.window.productions.find_in(away)
        self.idle()
        self.assertIn("9 recordings found", self.status)
        self.show("02-osric-door")
        self.assertEqual(self.selection.slug, "02-osric-door")
