"""Nothing a person did is ever lost or changed behind their back, whatever comes late or dies."""

from __future__ import annotations

import os
import shutil
import signal
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

import msgspec
from PySide6.QtWidgets import QPushButton

from glyphos.app.main import tell_mishaps
from glyphos.motion.mood import MoodSpan
from glyphos.production.demo import copy_demo
from glyphos.production.kinds import HEAD
from glyphos.speech import edits
from glyphos.speech.parts import Edge, Part
from glyphos.speech.reading import Reading
from glyphos.speech.recognise import Draft
from tests.app.harness import WindowCase
from tests.faults import dying, late
from tests.labels import DATA

LISTEN = "glyphos.speech.listening.listen_line"
CHECK = "glyphos.speech.compare.disagreements"
BATCH = "glyphos.batch.listening.listen_many"
CUT = "glyphos.production.cutting.cut_line"


class Overtaken(WindowCase):
    def other_demo(self) -> None:
        """Another production with lines of the same names."""
        self.open(copy_demo(self.folder / "other.glyphos"))

    def pin(self, word: int) -> None:
        self.selection.select(Part("word", word))
        self.do("pin-part")

    def test_lines_heard_for_one_production_never_land_in_another(self) -> None:
        with late(BATCH) as gate:
            self.do("listen-all")
            self.wait(gate.reached.is_set)
            self.window.productions.open(copy_demo(self.folder / "other.glyphos"))
            self.wait(lambda: self.document.folder.name == "other.glyphos")
            before = self.document.production
            gate.open()
            self.idle()
        self.assertIs(self.document.production, before)
        self.assertEqual(self.names(), [])
        self.assertFalse(self.window.batch.running)

    def test_listening_for_one_production_never_lands_in_another(self) -> None:
        for command, target in (
            ("listen", LISTEN),
            ("script-check", CHECK),
        ):
            with late(target) as gate:
                self.do(command)
                self.wait(gate.reached.is_set)
                self.document.close()
                self.open(copy_demo(self.folder / f"{command}.glyphos"))
                before = self.document.production
                gate.open()
                self.idle()
            self.assertIs(self.document.production, before)

    def test_a_pin_given_while_listening_stays(self) -> None:
        with late(LISTEN) as gate:
            self.do("listen")
            self.wait(gate.reached.is_set)
            self.pin(4)
            self.change_line("Name speaker", speaker="Maude")
            pinned = (self.words()[4].start, self.words()[4].end)
            gate.open()
            self.idle()
        self.assertTrue(self.words()[4].placed)
        self.assertEqual((self.words()[4].start, self.words()[4].end), pinned)
        self.assertEqual(self.line.speaker, "Maude")

    def test_a_name_and_a_pin_given_during_a_retake_stay(self) -> None:
        take = self.folder / "take.flac"
        shutil.copy(self.document.production.audio_path(self.line), take)
        with late("glyphos.speech.realign.retake") as gate:
            self.hearing.retake(take)
            self.wait(gate.reached.is_set)
            self.change_line("Name speaker", speaker="Maude")
            self.pin(3)
            gate.open()
            self.idle()
        self.assertEqual((self.line.speaker, self.line.audio), ("Maude", "audio/take.flac"))
        self.assertTrue(self.line.offered)  # the pin is not lost: it can be set again

    def test_what_is_done_while_a_line_is_cut_is_cut_with_it(self) -> None:
        self.answers.given = ["at long pauses"]
        with late(CUT) as gate:
            self.do("cut")
            self.wait(gate.reached.is_set)
            self.change_line("Name speaker", speaker="Maude")
            self.change_line("Name speaker", "02-osric-door", speaker="Otto")
            self.pin(1)
            gate.open()
            self.idle()
        production = self.document.production
        pieces = [x for x in production.lines if x.slug.startswith("01-mabel-beam")]
        self.assertGreater(len(pieces), 1)
        self.assertEqual({x.speaker for x in pieces}, {"Maude"})
        self.assertEqual(production.line("02-osric-door").speaker, "Otto")
        self.assertTrue(list(pieces[0].reading.words())[1].placed)

    def test_a_line_deleted_while_it_is_listened_to_stays_deleted(self) -> None:
        with late(LISTEN) as gate:
            self.do("listen")
            self.wait(gate.reached.is_set)
            self.do("delete-line")
            gate.open()
            self.idle()
        self.assertNotIn("01-mabel-beam", self.document.production.slugs)

    def test_lines_added_at_the_same_time_all_come_in(self) -> None:
        paths = [DATA / f"slt_hts-{n}.flac" for n in ("001", "004")]
        self.window.productions.add(paths)
        self.window.productions.add(paths)
        self.do("delete-line")
        self.idle()
        self.assertEqual(len(self.shown()), 12)
        self.assertEqual(len(set(self.shown())), 12)

    def test_files_dropped_one_after_the_other_into_an_empty_window_share_a_production(
        self,
    ) -> None:
        self.assertEqual(self.document.close(), "")
        with late("glyphos.production.adding.add_lines") as gate:
            self.window.productions.add([DATA / "slt_hts-001.flac"])
            self.window.productions.add([DATA / "slt_hts-004.flac"])
            self.wait(gate.reached.is_set)
            gate.open()
            self.idle()
        self.assertEqual(sorted(self.shown()), ["slt-hts-001", "slt-hts-004"])
        self.assertEqual(list((self.folder / "unsaved").glob("*.glyphos")), [self.document.folder])

    def test_files_dropped_into_an_empty_window_do_not_close_what_is_opened_then(self) -> None:
        self.assertEqual(self.document.close(), "")
        with late("glyphos.production.adding.add_lines") as gate:
            self.window.productions.add([DATA / "slt_hts-001.flac"])
            self.wait(gate.reached.is_set)
            self.window.productions.open(self.production)
            self.wait(lambda: self.document.is_open)
            gate.open()
            self.idle()
        self.assertEqual(self.document.folder, self.production)
        self.assertEqual(len(self.shown()), 9)
        self.assertIn("bring slt_hts-001.flac in again", self.status)
        self.assertEqual(list((self.folder / "unsaved").glob("*")), [])

    def test_a_person_s_work_comes_before_what_a_run_heard(self) -> None:
        self.show("03-pip-wind")
        self.selection.choose(("03-pip-wind", "05-mabel-hush"))
        with late(BATCH) as gate:
            self.do("listen-all")
            self.wait(gate.reached.is_set)
            self.pin(1)
            mine = self.reading
            gate.open()
            self.idle()
        self.assertIs(self.reading, mine)
        self.assertIn("changed meanwhile", self.status)

    def test_a_result_that_comes_between_is_not_undone_with_the_next_step(self) -> None:
        header = self.document.header
        few = tuple(
            x for x in header.lines if not x.startswith(("07", "08"))
        )  # the others take long
        self.document.change("Few", {HEAD: msgspec.structs.replace(header, lines=few)})
        self.do("listen-all")
        self.wait(lambda: len(self.names()) > 1)
        self.change_line("Name speaker", "05-mabel-hush", speaker="Maude")
        self.idle(90)
        self.assertEqual(self.names(), ["Few", "Listen to lines", "Name speaker"])
        heard = [x.slug for x in self.document.production.lines if x.reading is not None]
        self.do("undo")
        self.assertEqual(self.document.kept_line("05-mabel-hush").speaker, "Mabel")
        self.assertEqual(
            [x.slug for x in self.document.production.lines if x.reading is not None], heard
        )
        self.do("undo")
        self.assertLess(
            sum(x.reading is not None for x in self.document.production.lines), len(heard)
        )

    def test_an_edge_that_is_held_while_something_arrives_is_put_where_the_hand_is(self) -> None:
        self.selection.select(Part("word", 4))
        self.do("start-later")  # edges will be found again for this
        edge = Edge(self.flat.first[9] + 1)
        time = self.flat.edge_time(edge)
        self.desk.drag_edge(edge, time + 0.02)
        self.idle()
        self.desk.drag_edge(edge, time + 0.03)
        self.desk.drop()
        self.settled()
        self.assertAlmostEqual(self.flat.edge_time(edge), time + 0.03, places=3)
        self.assertTrue(self.flat.pinned(Edge(self.flat.first[4])))
        self.assertEqual(self.names(), ["Nudge edge", "Move edge"])

    def test_what_was_undone_comes_back_as_it_was_whatever_was_found_since(self) -> None:
        self.selection.select(Part("word", 4))
        self.desk.nudge(frames=4, end=True)
        first = self.reading
        self.selection.select(Part("word", 9))
        self.do("start-later")
        placed = self.flat.edge_time(Edge(self.flat.first[9]))
        self.do("undo")
        self.settled()  # for the first step alone
        self.assertNotEqual(self.reading.phrases, first.phrases)
        self.do("redo")
        self.assertEqual(self.flat.edge_time(Edge(self.flat.first[9])), placed)
        self.assertTrue(self.flat.pinned(Edge(self.flat.first[9])))


class Asked(WindowCase):
    """Thinking takes time, too: an answer goes to the line as it is by then."""

    def after(self, answer: Any, **changes: Any) -> Callable[[], Any]:
        """An answer before which something of the line becomes another."""

        def given() -> Any:
            self.change_line("Meanwhile", **changes)
            return answer

        return given

    def test_a_language_is_chosen_for_the_line_as_it_is(self) -> None:
        self.answers.given = [self.after("Italian (it)", speaker="Wren")]
        self.do("language")
        self.assertEqual((self.line.language, self.line.speaker), ("it", "Wren"))

    def moved(self) -> Reading:
        """The reading with an edge where it may be found meanwhile."""
        flat = self.flat
        edge = Edge(flat.first[2])
        return edits.move_edge(self.reading, edge, flat.edge_time(edge) + 0.02)

    def test_an_answer_holds_though_edges_were_found_meanwhile(self) -> None:
        self.selection.select(Part("word", 1))
        moved = self.moved()
        self.answers.given = [self.after("ʒ", reading=moved)]
        self.do("change-sound")
        self.assertEqual(self.flat.phones[self.flat.first[1]].ipa, "ʒ")
        self.selection.select(Part("word", 1))
        self.do("pronunciation")
        dialog = self.dialog()
        later = self.moved()
        self.change_line("Meanwhile", reading=later)
        dialog.own.setText("d oʊ m z")
        dialog.accept()
        self.wait(lambda: len(list(self.reading.words())[1].phones) == 4)
        self.assertEqual(self.flat.words[0], later.phrases[0].words[0])

    def test_a_sound_of_a_reading_that_is_gone_is_not_changed(self) -> None:
        phrases = self.reading.phrases
        for name in ("change-sound", "insert-sound"):
            self.selection.select(Part("word", 1))
            fewer = msgspec.structs.replace(self.reading, phrases=phrases[1:])
            self.answers.given = [self.after("ʒ", reading=fewer)]
            self.do(name)
            self.assertTrue(self.line.reading is fewer)
            self.assertIn("changed meanwhile", self.status)
            self.document.undo()
        self.selection.select(Part("word", 1))
        self.answers.given = ["ʒ"]
        self.do("change-sound")
        self.assertEqual(self.flat.phones[self.flat.sound_range(Part("word", 1))[0]].ipa, "ʒ")

    def test_the_line_is_cut_as_it_is_by_then(self) -> None:
        mood = (MoodSpan("joy", 3.0, 4.0),)
        self.answers.given = [self.after("at long pauses", speaker="Maude", script="Otherwise.")]
        with late(CUT) as gate:
            self.do("cut")
            self.wait(gate.reached.is_set)
            self.change_line("Feel", moods=mood)
            gate.open()
            self.idle()
        pieces = [x for x in self.document.production.lines if x.slug.startswith("01-mabel-beam")]
        self.assertGreater(len(pieces), 1)
        self.assertEqual({x.speaker for x in pieces}, {"Maude"})
        self.assertTrue(any(x.moods for x in pieces))

    def test_listening_asked_for_before_the_recording_was_read_begins_then_and_only_on_that_line(
        self,
    ) -> None:
        for moved_on in (False, True):
            with self.subTest(moved_on=moved_on):
                slug, other = ("02-osric-door", "03-pip-wind")
                self.show(other)
                before = {s: self.document.kept_line(s).reading for s in (slug, other)}
                self.context.derived._sounds.clear()
                with late("glyphos.app.model.derived.open_sound"):
                    self.selection.show(slug)
                    self.assertIsNone(self.current.opened)
                    self.do("listen")
                    self.assertIn("goes on by itself", self.status)
                    if moved_on:
                        self.selection.show(other)
                self.idle()
                self.wait(lambda: not self.context.jobs.running)
                now = {s: self.document.kept_line(s).reading for s in (slug, other)}
                self.assertIs(now[other], before[other])
                self.assertEqual(now[slug] is before[slug], moved_on)
                self.assertNotIn("goes on", self.status)

    def test_what_is_heard_without_a_script_is_of_the_line_as_it_is(self) -> None:
        asked: list[str] = []

        def heard(_: object, *, language: str, **__: object) -> Any:
            asked.append(language)
            return self.reading, Draft("")

        self.answers.given = [self.after(0, language="it")]
        with mock.patch("glyphos.voice.unwritten.listen_unwritten", heard):
            self.do("listen-unscripted")
            self.idle()
        self.assertEqual(asked, ["it"])


class AskedInDrawings(WindowCase):
    in_drawings = True

    def test_a_list_made_elsewhere_joins_pins_that_were_given_meanwhile(self) -> None:
        self.show("04-osric-boots")
        self.wait(lambda: self.context.exposing.sheet is not None and self.context.exposing.settled)
        path = self.folder / "list.txt"
        path.write_text("30 oval\n40 closed\n")
        pins: list[int] = []

        def given() -> list[Path]:
            self.transport.seek(0.05)
            self.do("drawing-pin")
            pins.append(len(self.line.held))
            return [path]

        self.answers.given = [given]
        self.do("drawings-in")
        self.idle()
        self.assertEqual((pins, len(self.line.held)), ([1], 3))


class Dying(WindowCase):
    def test_work_that_ends_in_an_error_nobody_thought_of_is_told_and_over(self) -> None:
        for command, target in (
            ("listen", LISTEN), ("script-check", CHECK),
            ("check", "glyphos.proof.recording_check.check"), ("listen-all", BATCH),
        ):  # fmt: skip
            with self.subTest(command), dying(target, IndexError("a word without sounds")):
                self.do(command)
                self.idle()
                self.assertIn("inside Glyphos", self.status)
                self.assertFalse(self.window.bottom.cancel_button.isVisible())
            self.assertFalse(self.window.batch.running or self.hearing.busy)

    def test_an_error_in_what_qt_calls_is_told_too(self) -> None:
        with mock.patch("sys.__excepthook__") as logged:
            tell_mishaps(self.talk)  # the hook of this test alone
            button = QPushButton()
            button.clicked.connect(lambda: [].pop())
            button.click()
            self.wait(lambda: "inside Glyphos (IndexError" in self.status)
        logged.assert_called_once()

    def test_a_process_that_is_killed_takes_only_its_line_and_says_so(self) -> None:
        from glyphos.batch.listening import listen_many, work_for
        from tests.killing import killed_works

        works = [work_for(self.document.production, x) for x in self.document.production.lines[2:5]]
        with mock.patch("glyphos.batch.listening.listen_together", killed_works):
            heard = {h.slug: h for h in listen_many(works, workers=1)}
        self.assertIn("ended by signal 9", heard["03-pip-wind"].problem)
        self.assertEqual(heard["04-osric-boots"].problem, "")
        self.assertEqual(len(heard), 3)
        self.assertTrue(hasattr(signal, "SIGKILL") and os.getpid())

    def test_cancel_frees_the_window_at_once_even_from_work_that_does_not_listen(self) -> None:
        with late(LISTEN) as gate:
            self.do("listen")
            self.wait(gate.reached.is_set)
            self.window.bottom.cancel_button.click()
            self.assertFalse(self.hearing.busy)
            self.assertIn("nothing was changed", self.status)
            gate.open()
        self.do("listen")
        self.assertTrue(self.hearing.busy)
        self.idle()
