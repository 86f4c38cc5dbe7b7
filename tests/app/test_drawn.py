"""Characters of drawings in the window: the strip, exposures by hand, the page with chart and sheet."""

from __future__ import annotations

import unittest
from unittest import mock

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu, QPushButton

from glyphos.app.pages.characters.papersheet import COLUMNS
from glyphos.characters.builtin import set_path
from glyphos.characters.drawings.documents import decode_drawings
from glyphos.characters.drawings.pad import pad_of
from glyphos.live.face import Controls
from glyphos.production.production import Production
from tests.app.boothed import DATA, Pluggable
from tests.app.harness import WindowCase
from tests.characters.paper import KINDS, folder_of, mouth


class Drawn(WindowCase):
    in_drawings = True

    def setUp(self) -> None:
        super().setUp()
        self.show("04-osric-boots")
        self.exposing = self.context.exposing
        self.made()

    def made(self) -> None:
        """Wait until the line is shown in drawings."""
        self.idle()
        self.wait(lambda: self.exposing.sheet is not None and self.exposing.settled)
        self.application.processEvents()

    @property
    def sheet(self):  # type: ignore[no-untyped-def]
        assert self.exposing.sheet is not None
        return self.exposing.sheet

    def names(self) -> list[str]:
        return [s.name for s in self.document.history.done]

    def at(self, frame: int) -> str:
        return str(self.sheet.mouth(self.sheet.at(frame)).name)

    def seek(self, frame: int) -> None:
        self.transport.seek((frame + 0.5) / 24)

    def press(self, keys: str) -> None:
        self.paper.setFocus()
        QTest.keySequence(self.paper, keys)
        self.made()


class Strip(Drawn):
    def test_the_face_shows_what_is_held_at_the_playhead(self) -> None:
        face = self.window.face_panel
        self.wait(lambda: face.drawings.pictures is not None)
        self.assertIs(face.stack.currentWidget(), face.drawings)
        for exposure in self.sheet.mouths[2:6]:
            self.seek(exposure.first)
            self.window.show_moment()
            self.assertEqual(face.drawings.mouth.name, self.sheet.mouth(exposure).name)
        before = face.drawings.grab().toImage()
        self.seek(
            next(e.first for e in self.sheet.mouths if self.sheet.mouth(e) != face.drawings.mouth)
        )
        self.window.show_moment()
        self.assertNotEqual(face.drawings.grab().toImage(), before)
        self.show("02-osric-door")  # nothing was listened to: at rest, with open eyes
        self.window.show_moment()
        self.assertEqual(face.drawings.mouth.name, "mouth-rest-soft-smile")
        self.assertEqual(face.drawings.view.parts[0].rest.name, "eyes-open")
        self.show("04-osric-boots")
        tracking = self.context.tracking
        with mock.patch.object(tracking, "values", lambda: {"head_yaw": 3.0, "blink_left": 1.0}):
            for exposure in self.sheet.mouths[
                2:6
            ]:  # a tracker of the head leaves the mouth to the line
                self.seek(exposure.first)
                self.window.show_moment()
                self.assertEqual(face.drawings.mouth.name, self.sheet.mouth(exposure).name)
        self.show("02-osric-door")
        spoken = Pluggable(DATA / "slt_hts-001.flac")
        tracking.speak(lambda: spoken, Controls(life=0.0))
        shown = set()
        self.wait(lambda: shown.add(face.drawings.mouth.name) or len(shown) > 3)
        tracking.close()
        self.assertEqual(face.drawings.mouth.name, "mouth-rest-soft-smile")
        self.show("03-pip-wind")
        self.assertIsNot(face.stack.currentWidget(), face.drawings)
        self.assertEqual(self.paper.bands.exposures, 0)

    def test_texts_that_are_wrapped_leave_nothing_of_the_inspector_cut(self) -> None:
        buttons = self.window.findChildren(QPushButton)
        next(b for b in buttons if b.accessibleName() == "Section Drawings").click()
        for _ in range(3):  # until all is laid out
            self.application.processEvents()
        self.assertEqual(self.window.areas.inspector.verticalScrollBar().maximum(), 0)

    def test_the_strip_stands_under_the_lips_as_long_as_drawings_are_held(self) -> None:
        self.assertGreater(self.paper.bands.exposures, 20)
        row = self.paper.page.rows[0]
        for exposure in self.sheet.mouths[1:6]:
            x = 26 + row.x_at((exposure.first + 0.5 * exposure.frames) / 24)
            y = self.paper.row_top(0) + self.paper.bands.exposures_top + 8
            self.assertEqual(self.paper.exposure_at(QPointF(x, y)), exposure)

    def test_dearer_changes_are_shown_at_once(self) -> None:
        holding = self.page.holding
        counts = []
        for value in (10, 50, 200):
            holding.change.setValue(value)
            self.made()
            counts.append(len(self.sheet.mouths))
        self.assertEqual(counts, sorted(counts, reverse=True))
        self.assertGreater(counts[0], counts[-1])
        self.assertEqual(self.names().count("Hold drawings otherwise"), 1)
        holding.step.setCurrentIndex(1)
        holding.step.activated.emit(1)
        self.made()
        self.assertTrue(all(e.first % 2 == 0 for e in self.sheet.mouths))
        self.assertIn("exposures of", holding.said.text())


class ByHand(Drawn):
    def exposure(self, least: int = 2):  # type: ignore[no-untyped-def]
        """One in the middle of the line, long enough, with the playhead on it."""
        found = next(e for e in self.sheet.mouths[8:] if e.frames >= least)
        self.seek(found.first)
        return found

    def test_another_drawing_with_keys_and_back(self) -> None:
        e = self.exposure()
        before = self.at(e.first)
        self.press(".")
        self.assertNotEqual(self.at(e.first), before)
        self.assertTrue(self.sheet.at(e.first).pinned)
        self.press(",")
        self.assertEqual(self.at(e.first), before)
        for _ in range(2):
            self.document.undo()
        self.made()
        self.assertFalse(self.sheet.at(e.first).pinned)
        self.assertEqual(self.line.held, ())

    def test_held_longer_and_shorter_sooner_and_later(self) -> None:
        e = self.exposure(3)
        name = self.at(e.first)
        self.press("G")
        self.assertEqual(self.at(e.after), name)
        self.document.undo()
        self.made()
        following = self.at(e.after)
        self.press("Shift+G")
        self.assertEqual(self.at(e.after - 1), following)
        self.document.undo()
        self.made()
        self.seek(e.first + 1)
        before = self.at(e.first - 1)
        self.press("T")
        self.assertEqual(self.at(e.first), before)
        self.document.undo()
        self.made()
        self.press("Shift+T")
        self.assertEqual(self.at(e.first - 1), name)

    def test_pinned_let_go_and_all_let_go(self) -> None:
        e = self.exposure()
        self.press("H")
        self.assertTrue(self.sheet.at(e.first).pinned)
        self.press("H")
        self.assertFalse(self.sheet.at(e.first).pinned)
        self.press("H")
        self.do("drawings-free")
        self.made()
        self.assertEqual(self.line.held, ())
        self.do("drawings-free")
        self.assertIn("No drawing", self.status)

    def test_the_mouse_drags_a_change_and_chooses_from_a_menu(self) -> None:
        e = self.exposure(4)
        row = self.paper.page.row_at(e.first / 24)
        line = self.paper.page.rows[row]
        y = int(self.paper.row_top(row) + self.paper.bands.exposures_top + 8)
        name = self.at(e.first)
        start, end = (QPoint(int(26 + line.x_at(s / 24)), y) for s in (e.after, e.after + 2))
        QTest.mousePress(self.paper, Qt.MouseButton.LeftButton, pos=start)
        for k in (0.5, 1.0):
            QTest.mouseMove(self.paper, start + (end - start) * k)
        QTest.mouseRelease(self.paper, Qt.MouseButton.LeftButton, pos=end)
        self.made()
        self.assertEqual(self.at(e.after), name)
        QTest.mouseClick(
            self.paper,
            Qt.MouseButton.LeftButton,
            pos=QPoint(int(26 + line.x_at((e.first + 1) / 24)), y),
        )
        menu = QMenu()
        self.page.drawings.fill_menu(menu)
        show = menu.actions()[0].menu()
        self.assertEqual(sum(a.isChecked() for a in show.actions()), 1)
        oval = next(a for a in show.actions() if a.text() == "oval")
        oval.trigger()
        self.made()
        self.assertEqual(self.at(e.first), "mouth-oval")
        menu.deleteLater()

    def test_one_drawing_over_what_is_chosen(self) -> None:
        flat = self.flat
        word = flat.words[3]
        self.selection.select(flat.part_at("word", word.start + 0.01))
        self.page.drawings.pin_range("mouth-pucker")
        self.made()
        middle = round((word.start + word.end) / 2 * 24)
        self.assertEqual(self.at(middle), "mouth-pucker")

    def test_a_pin_rides_on_its_sound_when_timing_changes(self) -> None:
        e = self.exposure()
        self.press("H")
        part = self.flat.part_at("phrase", e.first / 24)
        self.selection.select(part)
        self.do("part-later")
        self.made()
        pinned = [x for x in self.sheet.mouths if x.pinned]
        self.assertEqual([(x.first, x.frames) for x in pinned], [(e.first + 1, e.frames)])

    def test_a_list_made_elsewhere_becomes_pins(self) -> None:
        path = self.folder / "list.txt"
        path.write_text("0 closed\n30 oval\n40 closed\n")
        self.answers.given = [[path]]
        self.do("drawings-in")
        self.made()
        self.assertEqual(
            [self.at(k) for k in (5, 33, 60)], ["mouth-closed", "mouth-oval", "mouth-closed"]
        )
        self.assertTrue(all(e.pinned for e in self.sheet.mouths))
        path.write_text("0 nobody\n")
        self.answers.given = [[path]]
        self.do("drawings-in")
        self.assertIn("there is no drawing “nobody”", self.status)

    def test_what_a_head_speaks_has_no_exposures(self) -> None:
        self.show("01-mabel-beam")
        self.paper.setFocus()
        QTest.keySequence(self.paper, "H")
        self.assertIn("not made of drawings", self.status)

    def test_walking_through_exposures(self) -> None:
        e = self.exposure()
        self.press("M")
        self.assertEqual(self.sheet.frame_at(self.transport.position()), e.after)
        self.press("Shift+M")
        self.assertEqual(self.sheet.frame_at(self.transport.position()), e.first)


class OnThePage(Drawn):
    def setUp(self) -> None:
        super().setUp()
        self.characters = self.window.pages["characters"]
        self.window.show_page("characters")
        self.characters.choose("osric-drawn")
        self.drawn = self.characters.drawn
        self.wait(lambda: self.drawn.face.pictures is not None)

    def mouth(self, name: str):  # type: ignore[no-untyped-def]
        return next(m for m in self.characters.character.drawings.mouths if m.name == name)

    def test_chart_strip_and_sheet_are_there(self) -> None:
        self.assertEqual(self.characters.kinds.currentIndex(), 1)
        chart, sheet = self.drawn.chart, self.drawn.sheet.sheet
        high = {m.name: chart.place(m.name).y() for m in chart.mouths}
        self.assertEqual(min(high, key=high.get), "mouth-wide-open")  # type: ignore[arg-type]
        self.assertEqual(sheet.rowCount(), self.sheet.frames)
        words = [r.word for r in sheet.rows if r.word]
        self.assertEqual(" ".join(words), " ".join(w.text for w in self.reading.words()))
        at = sheet.index(self.sheet.mouths[3].first, COLUMNS.index("mouth"))
        self.assertEqual(
            sheet.data(at), self.sheet.mouth(self.sheet.mouths[3]).name.removeprefix("mouth-")
        )
        self.drawn.sheet.setCurrentIndex(sheet.index(40, 0))
        self.assertEqual(self.sheet.frame_at(self.transport.position()), 40)
        self.seek(50)
        self.drawn.moment(self.transport.position())
        self.assertEqual(self.drawn.sheet.currentIndex().row(), 50)
        self.assertIsNotNone(self.drawn.strip.exposed)

    def test_a_mouth_is_dragged_on_the_chart_and_set_by_switches(self) -> None:
        chart = self.drawn.chart
        start = chart.place("mouth-slight").toPoint()
        QTest.mousePress(chart, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(chart, start + QPoint(40, -30))
        QTest.mouseMove(chart, start + QPoint(80, -60))
        QTest.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=start + QPoint(80, -60))
        self.made()
        pad = pad_of(self.mouth("mouth-slight").pose)
        self.assertGreater(pad.opening, 0.45)
        self.assertGreater(pad.width, 0.1)
        self.assertEqual(self.mouth("mouth-slight").how, "hand")
        self.assertEqual(self.drawn.mouth, "mouth-slight")
        self.drawn.details.bites.click()
        self.made()
        self.assertTrue(self.mouth("mouth-slight").bites)
        QTest.keyClick(chart, Qt.Key.Key_PageDown)
        self.assertNotEqual(self.drawn.mouth, "mouth-slight")
        self.drawn.choose("mouth-slight")
        self.drawn.details.found.click()
        self.made()
        self.assertEqual(self.mouth("mouth-slight").how, "both")
        self.drawn.choose("mouth-oval")
        before = pad_of(self.mouth("mouth-oval").pose).opening
        QTest.keyClick(chart, Qt.Key.Key_Up)
        self.assertGreater(pad_of(self.mouth("mouth-oval").pose).opening, before)
        while self.document.history.done:
            self.document.undo()
        self.made()
        self.assertEqual(self.mouth("mouth-slight").how, "both")

    def test_drawings_are_placed_on_the_head(self) -> None:
        place = self.drawn.place
        before = self.drawn.face.grab().toImage()
        place.right.setValue(260)
        place.turn.setValue(12)
        self.made()
        view = self.characters.character.drawings.views[0]
        self.assertEqual((view.place.x, view.place.turn), (260, 12))
        self.assertNotEqual(self.drawn.face.grab().toImage(), before)
        place.which.setCurrentIndex(1)
        place.which.activated.emit(1)
        place.scale.setValue(120)
        self.made()
        part = self.characters.character.drawings.views[0].parts[0]
        self.assertAlmostEqual(part.place.scale, 1.2)
        self.drawn.choose("mouth-open")
        self.drawn.details.down.setValue(-4)
        self.assertEqual(self.mouth("mouth-open").offset, (0.0, -4.0))

    def test_a_folder_is_dropped_read_given_and_kept(self) -> None:
        folder = folder_of(self.folder / "Porter", {k: f"{k}.png" for k in KINDS})
        self.drop(folder)
        self.assertIn("six drawings named by words", self.status)
        character = self.characters.character
        self.assertEqual((character.name, len(character.drawings.mouths)), ("Porter", 6))
        self.characters.cast.speaker.setCurrentText("Osric")
        self.characters.give()
        self.made()
        self.assertEqual(self.sheet.drawings, self.characters.character.drawings)
        self.answers.given = [(self.folder / "Porter" / "porter.json", "")]
        self.characters.export()
        kept = decode_drawings((folder / "porter.json").read_bytes(), "porter.json")
        self.assertEqual(kept.mouths, character.drawings.mouths)
        self.window.productions.copy_to(self.folder / "copy")
        self.idle()
        again = Production.open(self.folder / "copy.glyphos")
        moved = again.character_for("Osric")
        self.assertTrue((again.drawings_folder(moved) / "open.png").is_file())

    def test_bad_folders_say_so_and_leave_everything(self) -> None:
        before = self.document.production.characters
        folder = folder_of(self.folder / "two", {"closed": "closed.png", "open": "open.png"})
        self.drop(folder)
        self.assertIn("at least 3", self.status)
        self.assertEqual(self.document.production.characters, before)

    def test_a_drawing_that_is_gone_is_said(self) -> None:
        folder = folder_of(self.folder / "Porter", {k: f"{k}.png" for k in KINDS})
        self.drop(folder)
        (folder / "open.png").unlink()
        self.exposing.forget()
        self.drawn.refresh()
        self.idle()
        said = [self.drawn.findings.item(k).text() for k in range(self.drawn.findings.count())]
        self.assertTrue(any("open.png is not there" in s for s in said), said)

    def test_the_sheet_goes_to_a_file(self) -> None:
        path = self.folder / "osric.xsheet.pdf"
        self.answers.given = [(path, "")]
        self.do("sheet-file")
        self.idle()
        self.assertTrue(path.read_bytes().startswith(b"%PDF"))
        self.show("01-mabel-beam")
        self.do("sheet-file")
        self.assertIn("Show a line that this character speaks", self.status)

    def test_the_handoff_page_writes_drawings(self) -> None:
        handoff = self.window.pages["handoff"]
        self.window.show_page("handoff")
        handoff.drawings.setCurrentIndex(handoff.drawings.findData("seconds.txt"))
        handoff.folder.setText(str(self.folder / "out"))
        handoff.write()
        self.idle()
        text = (self.folder / "out" / "04-osric-boots.osric-drawn.seconds.txt").read_text()
        self.assertEqual(len(text.splitlines()), len(self.sheet.mouths))

    def test_several_views_each_with_its_own_set(self) -> None:
        for angle in ("front", "side"):
            folder_of(self.folder / "Turner" / angle, {k: f"{k}.png" for k in KINDS})
        self.drop(self.folder / "Turner")
        self.assertTrue(self.drawn.angles.isVisibleTo(self.drawn.widget))
        self.drawn.angles.setCurrentIndex(1)
        self.drawn.angles.activated.emit(1)
        self.assertEqual(self.drawn.view.name, "side")
        self.drawn.set_pad("open", pad_of({"lips_part": 0.9, "jaw_open": 0.9}))
        hows = [
            {m.name: m.how for m in v.mouths}["open"]
            for v in self.characters.character.drawings.views
        ]
        self.assertEqual(hows, ["both", "hand"])

    def test_what_comes_into_the_folder_later_is_read_again(self) -> None:
        folder = folder_of(self.folder / "Porter", {k: f"{k}.png" for k in KINDS})
        self.drop(folder)
        self.drawn.set_pad("open", pad_of({"lips_part": 0.9, "jaw_open": 0.9}))
        self.drawn.place.right.setValue(33)
        mouth("open").save(folder / "teeth on lip.png")
        (folder / "slight.png").unlink()
        self.drawn.again.click()
        self.idle()
        self.assertIn("teeth on lip is new; slight is gone", self.status)
        self.assertEqual(self.mouth("open").how, "hand")
        self.assertEqual(self.mouth("teeth on lip").how, "name")
        self.document.undo()
        self.assertEqual(self.mouth("slight").how, "both")

    def test_our_sets_can_be_used_as_they_ship(self) -> None:
        self.do("add-pip-drawings")
        self.idle()
        pip = self.characters.character
        self.assertEqual((pip.model, len(pip.drawings.mouths)), ("pip-drawings", 7))
        self.assertTrue(
            self.document.production.drawings_folder(pip).samefile(set_path("pip-drawings"))
        )
        self.characters.choose("osric-drawn")
        self.assertEqual(self.characters.character.model, "osric-drawings")


if __name__ == "__main__":
    unittest.main()
