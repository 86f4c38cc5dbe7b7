"""What is seen is what is so: sizes of the window, the page that grows, titles, signs, messages."""

from __future__ import annotations

import random
from pathlib import Path

import msgspec
from PySide6.QtCore import QPoint, QPointF, QRect, Qt
from PySide6.QtGui import QContextMenuEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QMenu, QSlider

from glyphos.app.drawing.words import edge_text, ruler_text, seconds_text
from glyphos.app.pages.score.layout import lay_out
from glyphos.app.pages.score.measured import GAP
from glyphos.speech import edits
from glyphos.speech.parts import Edge, Part
from glyphos.speech.realign import realign
from tests.app.harness import WindowCase
from tests.app.test_looks import WIDTHS
from tests.labels import DATA
from tests.speech.made import phrase, reading, word

TITLE_BAR = 37  # pixels that a desktop's title bar takes (common practice, no source)


class Sizes(WindowCase):
    def controls(self) -> list:
        kinds = (QAbstractButton, QComboBox, QSlider)
        return [
            w
            for k in kinds
            for w in self.window.findChildren(k)
            if w.isVisible() and w.window() is self.window
        ]

    def test_everything_fits_small_screens_under_a_title_bar(self) -> None:
        for width, height in ((1280, 720), (1024, 640)):
            self.window.resize(width, height - TITLE_BAR)
            self.application.processEvents()
            self.assertEqual(
                (self.window.width(), self.window.height()), (width, height - TITLE_BAR)
            )
            self.delivery.keep_button.click()
            self.talk.offer("a", "Something was changed outside.", "Load it again", lambda: None)
            self.application.processEvents()
            for widget in self.controls():
                if widget.parent() and widget.parent().objectName() == "qt_scrollarea_viewport":
                    continue
                place = QRect(widget.mapTo(self.window, widget.rect().topLeft()), widget.size())
                self.assertTrue(self.window.rect().contains(place), widget.accessibleName())
                self.assertGreaterEqual(
                    widget.width() + 1,
                    min(widget.minimumSizeHint().width(), 60),
                    widget.accessibleName(),
                )

    def test_a_name_ends_in_three_dots_where_there_is_no_room_for_the_whole(self) -> None:
        title = self.window.top.title
        self.assertEqual(title.shown(), title.text())
        self.window.resize(1024, 640)
        self.idle()
        self.assertRegex(title.shown(), "^Holl.*…$")
        self.assertEqual(title.text(), "Hollow Hill Observatory")  # which is read aloud

    def test_no_page_cuts_or_covers_its_buttons_on_a_small_screen(self) -> None:
        self.window.resize(1024, 640 - TITLE_BAR)
        for name in list(self.window.pages):
            self.window.show_page(name)
            self.idle()
            page = self.window.pages[name].widget()
            own = [w for w in self.controls() if page.isAncestorOf(w)]
            for widget in own:
                what = (name, widget.accessibleName(), getattr(widget, "text", str)())
                if isinstance(widget, QAbstractButton) and widget.text():
                    self.assertGreaterEqual(widget.width(), widget.sizeHint().width() - 2, what)
                for other in own:
                    if other is not widget and other.parent() is widget.parent():
                        self.assertFalse(other.geometry().intersects(widget.geometry()), what)

    def test_the_wheel_scrolls_a_low_inspector_and_changes_no_value(self) -> None:
        self.window.resize(1024, 480)
        self.idle()
        inspector, slider = self.window.areas.inspector, self.delivery.sliders["articulation"]
        before, delivery = inspector.verticalScrollBar().value(), self.line.delivery
        self.assertGreater(inspector.verticalScrollBar().maximum(), 0)

        def turn(notches: int) -> None:
            middle = QPointF(slider.rect().center())
            event = QWheelEvent(
                middle, QPointF(slider.mapToGlobal(middle)), QPoint(), QPoint(0, 120 * notches),
                Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
                Qt.ScrollPhase.NoScrollPhase, False,
            )  # fmt: skip
            self.application.sendEvent(slider, event)
            self.idle()

        turn(-2)
        self.assertGreater(inspector.verticalScrollBar().value(), before)
        self.assertEqual(self.line.delivery, delivery)
        slider.setFocus()  # chosen, it may be turned
        turn(-1)
        self.assertNotEqual(self.line.delivery, delivery)

    def test_the_page_grows_with_its_room(self) -> None:
        heights = []
        for size in ((1280, 720), (1920, 1080)):
            self.window.resize(*size)
            self.application.processEvents()
            heights.append(self.paper.bands.height)
        self.do("whole-page")
        self.application.processEvents()
        heights.append(self.paper.bands.height)
        self.assertGreater(heights[1], 1.1 * heights[0])
        self.assertGreaterEqual(heights[2], heights[1])
        rows = len(self.paper.page.rows)
        self.assertLessEqual(rows * self.paper.bands.height, self.page.score.viewport().height())
        self.assertEqual(self.page.loop_word.isVisible(), True)

    def test_the_bottom_bar_keeps_its_buttons_when_pages_change(self) -> None:
        for name in ("handoff", "score", "handoff", "score"):
            self.window.show_page(name)
            self.application.processEvents()
            self.assertEqual(self.page.loop_word.isVisible(), name == "score")
            self.assertEqual(self.delivery.isVisible(), name == "score")
        self.assertFalse([w for w in self.application.topLevelWidgets()
                          if w.isVisible() and w is not self.window and not isinstance(w, QMenu)])  # fmt: skip


class Letters(WindowCase):
    def test_letters_act_in_their_page_and_never_while_text_is_typed(self) -> None:
        self.selection.select(Part("word", 3))
        before = self.reading
        self.script.setFocus()
        QTest.keyClicks(self.script, "zxncvkp")
        self.assertIs(self.reading, before)
        self.assertIn("zxncvkp", self.script.toPlainText())
        self.window.show_page("handoff")
        for key in (Qt.Key.Key_Z, Qt.Key.Key_N, Qt.Key.Key_K, Qt.Key.Key_Delete):
            QTest.keyClick(self.window.pages["handoff"].list, key)
        self.assertIs(self.reading, before)
        self.window.show_page("score")
        self.window.lines.list.setFocus()
        QTest.keyClick(self.window.lines.list, Qt.Key.Key_K)
        self.assertIs(self.reading, before)
        self.window.lines.search.setFocus()
        QTest.keyClicks(self.window.lines.search, "dz")
        self.assertEqual(self.window.lines.search.text(), "dz")
        self.assertIs(self.reading, before)
        self.window.lines.search.clear()
        self.paper.setFocus()
        QTest.keyClick(self.paper, Qt.Key.Key_K)
        self.assertTrue(self.words()[3].confirmed)

    def test_delete_in_the_list_takes_lines_and_return_goes_to_the_page(self) -> None:
        self.window.lines.list.setFocus()
        QTest.keyClick(self.window.lines.list, Qt.Key.Key_Return)
        self.assertIs(self.application.focusWidget(), self.paper)
        self.window.lines.list.setFocus()
        QTest.keyClick(self.window.lines.list, Qt.Key.Key_Delete)
        self.assertEqual(len(self.shown()), 8)

    def test_several_chosen_lines_stay_chosen_when_something_changes(self) -> None:
        view = self.window.lines.list
        model = view.selectionModel()
        for row in (2, 4, 7):
            model.select(self.window.lines.lines.index(row), model.SelectionFlag.Select)
        chosen = view.selected()
        self.change_line("Name speaker", "05-mabel-hush", speaker="Maude")
        QTest.keyClicks(self.script, "x")
        self.assertEqual(view.selected(), chosen)
        self.assertEqual(self.selection.slugs, tuple(chosen))
        copy = msgspec.structs.replace(self.line, slug="another")
        self.document.change("Add", self.document.production.added([copy]))  # the list is made anew
        self.assertEqual(view.selected(), chosen)
        self.answers.given = ["Everybody"]
        self.do("rename")
        self.assertEqual([self.document.kept_line(s).speaker for s in chosen], ["Everybody"] * 4)
        self.assertEqual(view.selected(), chosen)


class Signs(WindowCase):
    def test_the_loupe_names_the_word_that_it_shows(self) -> None:
        self.transport.play(0.0)
        for _ in range(60):
            self.clock.now += 0.17
            self.window.show_moment()
            self.application.processEvents()
            shown = self.loupe.word()
            self.assertIn(f">{self.words()[shown.number].text}<", self.page.loupe_area.title.text())

    def test_a_phrase_in_the_loupe_shows_words_and_their_edges_only(self) -> None:
        self.selection.select(Part("phrase", 2))
        self.application.processEvents()
        flat = self.flat
        self.assertTrue(all(e.end or flat.word_of[e.sound] != flat.word_of[e.sound - 1] or e.sound == 0
                            for e in self.loupe.edges()))  # fmt: skip
        self.assertLess(len(self.loupe.edges()), 14)
        self.selection.select(Part("word", 14))
        self.assertGreater(len(self.loupe.edges()), 3)

    def test_what_a_person_placed_is_never_doubted(self) -> None:
        """Even where nothing in the sound speaks for it."""
        line = self.line
        evidence = self.context.derived.evidence(line)
        self.idle()
        evidence = self.context.derived.ready_evidence(line)
        for number in (3, 8, 14):
            flat = self.flat
            edge = flat.end_edge(flat.sound_range(Part("word", number))[1] - 1)
            before = flat.words[number].confidence
            moved = edits.move_edge(self.reading, edge, flat.edge_time(edge) - 0.08)
            found = realign(moved, evidence, [(flat.edge_time(edge) - 0.08, flat.edge_time(edge))])
            words = list(found.words())
            self.assertGreaterEqual(words[number].confidence, before)
        self.selection.select(Part("word", 3))
        self.do("pin-part")
        self.application.processEvents()
        self.assertFalse(self.words()[3].doubtful)
        self.assertIn("placed by hand", self.page.loupe_area.title.text())
        self.assertNotIn("% sure", self.page.loupe_area.title.text())

    def test_an_edge_of_what_is_chosen_is_held_over_its_whole_height(self) -> None:
        self.selection.select(Part("word", 14))
        edge = Edge(self.flat.first[14])
        point = self.paper.edge_point(edge)
        top = self.paper.row_top(self.paper.page.row_at(self.flat.edge_time(edge)))
        low, high = self.paper.bands.highlight("word")
        for y in (top + low + 1, top + self.paper.bands.words_top + 5, top + high - 2):
            self.assertEqual(self.paper.edge_at(QPointF(point.x(), y)), edge)
        self.selection.select(None)
        self.assertIsNone(self.paper.edge_at(QPointF(point.x(), top + low + 1)))
        self.assertEqual(self.paper.edge_at(point), edge)

    def test_a_b_says_which_is_active(self) -> None:
        self.assertFalse(self.delivery.flip_button.isVisible())
        self.do("keep-b")
        self.delivery.sliders["lead"].setValue(120)
        self.assertEqual(self.delivery.flip_button.text(), "On A · to B")
        self.do("flip")
        self.assertEqual(self.current.delivery.lead, 40)
        self.assertEqual(self.delivery.flip_button.text(), "On B · to A")
        self.do("flip")
        self.assertEqual(self.current.delivery.lead, 120)
        self.show("03-pip-wind")
        self.assertFalse(self.delivery.flip_button.isVisible())

    def test_the_waveform_is_there_before_anything_is_listened_to(self) -> None:
        self.show("02-osric-door")
        self.assertIsNone(self.paper.reading)
        self.assertGreater(len(self.paper.samples), 0)
        rows = self.paper.page.rows
        self.assertAlmostEqual(rows[-1].end, self.line.duration, places=2)
        picture = self.paper.grab().toImage()
        inked = sum(picture.pixelColor(x, int(self.paper.row_top(0) + 45)).lightness() < 200
                    for x in range(60, picture.width() - 60))  # fmt: skip
        self.assertGreater(inked, 100)
        self.assertIn("Press", self.page.hint.text())

    def test_the_legend_comes_on_wish_and_names_every_kind(self) -> None:
        self.assertFalse(self.page.legend.isVisible())
        self.do("legend")
        self.assertTrue(self.page.legend.isVisible())
        for kind in ("closed", "rounded", "spread", "doubtful"):
            self.assertTrue(kind in self.page.legend.accessibleDescription() or kind == "doubtful")

    def test_a_message_goes_when_it_is_no_longer_true(self) -> None:
        self.do("offered-pins")
        self.assertIn("No pins are offered", self.status)
        self.selection.show("03-pip-wind")
        self.assertEqual(self.status, "")
        self.idle()
        self.do("offered-pins")
        self.change_line("Name speaker", speaker="Maude")
        self.assertEqual(self.status, "")

    def test_a_pause_s_menu_means_the_pause(self) -> None:
        self.selection.select(Part("word", 3))
        pause = 5.5
        row = self.paper.page.row_at(pause)
        x = 26 + self.paper.page.rows[row].x_at(pause)
        point = QPointF(x, self.paper.row_top(row) + 40).toPoint()
        menus: list[float] = []
        self.paper.menu_wanted.disconnect()
        self.paper.menu_wanted.connect(lambda _, seconds: menus.append(seconds))
        event = QContextMenuEvent(
            QContextMenuEvent.Reason.Mouse, point, self.paper.mapToGlobal(point)
        )
        self.paper.contextMenuEvent(event)
        self.assertAlmostEqual(menus[0], pause, delta=0.05)
        self.assertIsNone(self.selection.part)
        menu = QMenu(self.window)
        self.page.fill_menu(menu, pause)
        self.assertEqual([a.text() for a in menu.actions()], ["Mark as"])

    def test_zero_without_a_mark_is_no_step_but_a_word(self) -> None:
        self.transport.seek(5.5)
        self.do("unmark")
        self.assertEqual(self.names(), [])
        self.assertIn("no mark here", self.status)

    def test_the_pronunciation_is_filled_in_and_junk_is_refused(self) -> None:
        self.selection.select(Part("word", 3))
        self.do("pronunciation")
        dialog = self.dialog()
        self.assertEqual(dialog.own.text(), "/d ˈoʊ m/")
        for junk in ("zqx9", "/42/", "dome!9", "Q W9"):
            dialog.own.setText(junk)
            self.assertIsNone(dialog.units(), junk)
            self.assertIn("⚠", dialog.wrong.text())
        dialog.own.setText("/d uː m/")
        self.assertEqual([u.ipa for u in dialog.units()], ["d", "uː", "m"])
        dialog.reject()

    def test_one_line_is_added_in_the_singular(self) -> None:
        self.drop(Path(DATA / "slt_hts-001.flac"))
        self.assertEqual(self.status, "1 line added")


class Pages(WindowCase):
    def test_times_are_written_one_way_and_say_what_they_are(self) -> None:
        self.assertEqual([seconds_text(t) for t in (0, 4.25, 59.96, 125.3)],
                         ["0.0 s", "4.2 s", "1:00.0 min", "2:05.3 min"])  # fmt: skip
        self.assertEqual(edge_text(4.25, 24), "4.250 s, frame 102.0")
        self.assertEqual(
            [ruler_text(2.0, 24, "frames", named=n) for n in (True, False)], ["frame 48", "48"]
        )
        self.assertEqual(
            [ruler_text(2.0, 24, "seconds", named=n) for n in (True, False)], ["2.0 s", "2.0"]
        )

    def test_a_line_is_laid_out_for_its_own_length_whatever_was_shown_before(self) -> None:
        lengths = {x.slug: x.duration for x in self.document.production.lines if x.reading}
        for slug in (*lengths, *reversed(lengths)):
            self.show(slug)
            page, known = self.paper.page, self.paper.duration
            self.assertAlmostEqual(known, lengths[slug], 2)
            self.assertAlmostEqual(page.rows[-1].end, max(known, page.words[-1].end), 2, slug)

    def test_a_last_row_never_holds_one_lone_word(self) -> None:
        rng = random.Random(3)
        for _ in range(120):
            count = rng.randint(2, 14)
            at, words = 0.2, []
            for _ in range(count):
                words.append(
                    word("w" * rng.randint(1, 9), round(at, 3), rng.choice(["m a", "t ə p", "s i"]))
                )
                at = words[-1].end + rng.choice([0.0, 0.0, 0.3])
            made = reading()
            import msgspec

            made = msgspec.structs.replace(made, phrases=(phrase("x", *words),),
                                           audio=msgspec.structs.replace(made.audio, duration=at + 0.3))  # fmt: skip
            page = lay_out(made, at + 0.3, width=rng.randint(160, 400), per_second=100, **WIDTHS)
            last = {p.word for p in page.rows[-1].pieces if p.word >= 0}
            before = (
                {p.word for p in page.rows[-2].pieces if p.word >= 0}
                if len(page.rows) > 1
                else set()
            )
            if len(before) > 2:
                self.assertNotEqual(len(last), 1)
            seen = [p.word for r in page.rows for p in r.pieces if p.word >= 0]
            self.assertEqual(seen, sorted(seen))
            self.assertEqual(set(seen), set(range(count)))
            self.assertAlmostEqual(page.rows[-1].end, at + 0.3)

    def test_letters_of_neighbouring_words_keep_a_gap(self) -> None:
        page = lay_out(reading(), 3.4, width=260, per_second=20, **WIDTHS)
        for row in page.rows:
            for k in range(len(row.pieces) - 1):
                a, b = row.pieces[k], row.pieces[k + 1]
                if a.phone and b.phone and a.word != b.word:
                    ends = row.x[k] + (a.width + WIDTHS["letter_width"](a.phone.ipa) - 3) / 2
                    begins = row.x[k + 1] + (b.width - WIDTHS["letter_width"](b.phone.ipa) + 3) / 2
                    self.assertGreater(begins - ends, min(GAP, 4.5), (a.phone.ipa, b.phone.ipa))


class Empty(WindowCase):
    demo = False

    def test_with_nothing_open_only_what_can_be_used_is_shown(self) -> None:
        self.assertIsNone(self.current.line)
        for widget in (self.page.script_area, self.page.loupe_area, self.page.score):
            self.assertFalse(widget.isVisible())
        self.assertTrue(self.page.hint.isVisible())
        self.assertEqual(self.window.top.rate.currentText(), "24 fps")
        self.do("whole-page")
        self.do("whole-page")
        self.assertFalse(self.page.script_area.isVisible())
