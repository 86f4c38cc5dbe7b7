"""The Queue in the window: many lines through the engine, watched, held, stopped, and opened from there."""

from __future__ import annotations

import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import msgspec

from glyphos.errors import ScriptError
from glyphos.production.kinds import line_key
from tests.app.harness import WindowCase
from tests.batch.doing import quick
from tests.patience import PATIENCE


class Queue(WindowCase):
    own_window = True

    def setUp(self) -> None:
        super().setUp()
        self.window.commands.do("page-handoff")
        self.handoff = self.window.pages["handoff"]
        self.out = self.folder / "out"
        self.handoff.folder.setText(str(self.out))
        self.handoff.which.setCurrentIndex(2)  # all lines
        self.panel, self.queue = self.handoff.queue, self.context.queue

    def files(self) -> list[str]:
        return sorted(p.name for p in self.out.iterdir() if p.name[0] != ".") if self.out.exists() else []  # fmt: skip

    def rows(self) -> list[list[str]]:
        tree = self.panel.list
        return [[tree.topLevelItem(k).text(c) for c in range(2)] for k in range(tree.topLevelItemCount())]  # fmt: skip

    def doing_quickly(self) -> None:
        """The work of tests in place of the real one, as quick as it can be."""
        from glyphos.batch.engine import Here

        made = lambda recipe, **_: Here(2, doing=quick)  # noqa: E731
        self.enterContext(mock.patch("glyphos.batch.running.engine_for", made))

    def named(self, *slugs: str) -> None:
        """Lines under other names, which say what becomes of them."""
        production = self.document.production
        line = production.line("03-pip-wind")
        made = [msgspec.structs.replace(line, slug=s, reading=None) for s in slugs]
        self.document.change("x", production.replaced("03-pip-wind", made))

    def test_all_lines_are_listened_to_looked_through_and_written(self) -> None:
        self.assertFalse(self.panel.isVisible())
        self.handoff.listen.setChecked(True)
        self.handoff.report.setChecked(True)
        self.assertIn("5 lines listened to first", self.handoff.note.text())
        steps = len(self.document.history.done)
        self.handoff.write()
        self.assertTrue(self.panel.isVisible())
        self.wait(lambda: self.queue.now is None)
        self.assertIn("9 files written to", self.status)
        self.assertEqual(
            len(self.document.history.done), steps + 1
        )  # all that was heard is one step
        self.assertTrue(all(x.reading is not None for x in self.document.production.lines))
        self.assertEqual(len([n for n in self.files() if n.endswith(".curves.csv")]), 9)
        self.assertTrue((self.out / "report.html").exists())
        rows = self.rows()
        self.assertEqual(len(rows), 9)
        self.assertIn(
            "✗1", " ".join(text for _, text in rows[:5])
        )  # what needs a look stands first
        self.assertIn("9 of 9 lines", self.panel.said.text())
        # A window of 640 pixels with its title bar is still low enough, here and on all other pages
        self.assertLessEqual(self.window.minimumSizeHint().height(), 640 - 37)
        item = self.panel.list.topLevelItem(0)
        self.panel.list.setCurrentItem(item)
        self.window.commands.do("queue-open")
        self.assertEqual((self.window.page.name, self.selection.slug), ("score", item.text(0)))
        self.window.commands.do("undo")
        self.assertTrue(any(x.reading is None for x in self.document.production.lines))

    def test_paused_stopped_and_failed(self) -> None:
        self.doing_quickly()
        self.named(
            "bad1", *(f"slow{k}" for k in range(40))
        )  # more than are done until it is paused, on any machine
        self.handoff.listen.setChecked(True)
        self.handoff.write()
        self.wait(lambda: len(self.queue.entries[-1].outcomes) >= 2)
        self.window.commands.do("queue-pause")
        self.assertIn("paused", self.panel.said.text())
        self.assertEqual(self.ambiguous(), set())
        self.wait(lambda: self.jobs.find("queue") is not None)
        done = -1
        while done != len(self.queue.entries[-1].outcomes):  # what is in work still ends
            done = len(self.queue.entries[-1].outcomes)
            until = time.monotonic() + 0.8
            self.wait(lambda t=until: time.monotonic() > t)
        self.assertLess(done, 41)
        with self.assertRaises(ScriptError):
            self.queue.start(list(self.document.production.lines), self.handoff.recipe(), self.out)
        self.window.commands.do("queue-pause")
        self.wait(lambda: len(self.queue.entries[-1].outcomes) > done)
        self.window.commands.do("queue-stop")
        self.wait(lambda: self.queue.now is None)
        self.assertIn("ended", self.panel.said.text())
        self.assertIn("failed: It holds nothing.", self.rows()[0][1])
        self.assertEqual(self.document.production.line("bad1").problem, "It holds nothing.")

    def test_what_a_person_does_meanwhile_is_left_as_it_is(self) -> None:
        """Results are applied to what they were made from, or not at all."""
        self.doing_quickly()
        self.named("slow1", "slow2")
        self.handoff.listen.setChecked(True)
        self.handoff.write()
        line = self.document.production.line("slow2")
        edited = msgspec.structs.replace(line, script="By hand meanwhile.")
        self.document.change("type", {line_key("slow2"): edited})
        self.wait(lambda: self.queue.now is None)
        now = self.document.production.line("slow2")
        self.assertEqual((now.script, now.reading), ("By hand meanwhile.", None))
        self.assertIn("changed meanwhile", self.status)

    def test_another_production_is_opened_while_it_runs(self) -> None:
        self.doing_quickly()
        self.named(*(f"slow{k}" for k in range(6)))
        self.handoff.listen.setChecked(True)
        self.handoff.write()
        self.wait(lambda: self.queue.entries[-1].outcomes)
        other = self.folder / "other.glyphos"
        from glyphos.production.production import Production

        Production.create(other, name="Other")
        self.open(other)
        self.idle()
        self.assertEqual(self.document.production.lines, ())
        self.assertIsNone(self.queue.now)

    def test_selected_lines_go_through_at_once_and_again_in_no_time(self) -> None:
        self.selection.choose(("01-mabel-beam", "05-mabel-hush"))
        self.handoff.which.setCurrentIndex(1)
        self.handoff.character.setCurrentIndex(self.handoff.character.findData("glb"))
        for state in ("done", "there already"):
            self.handoff.write()
            self.wait(lambda: self.queue.now is None)
            self.assertEqual({text.split(" · ")[0] for _, text in self.rows()}, {state})
        self.assertEqual(len(self.files()), 4)
        self.assertEqual(Path(self.out / "01-mabel-beam.mabel.glb").read_bytes()[:4], b"glTF")

    def test_what_many_lines_come_to_is_worked_out_beside(self) -> None:
        from glyphos.handoff.deliver import plan

        page, line = self.window.pages["handoff"], self.line
        more = [msgspec.structs.replace(line, slug=f"more-{k}") for k in range(600)]
        self.document.change("More", self.document.production.added(more))
        threads: list[threading.Thread] = []

        def beside(*wished: object) -> object:
            threads.append(threading.current_thread())
            return plan(*wished)

        with mock.patch("glyphos.app.pages.handoff.page.plan", beside):
            page.names.setText("a-{line}")
            self.change_line("Name", speaker="Tom")
            self.wait(lambda: page.note.text().startswith("604 files at 24"))
        self.assertNotIn(threading.main_thread(), threads)
        self.assertIn("a-01-mabel-beam.curves.csv", page.list.item(0).text())
        self.assertEqual((page.list.count(), page.list.item(500).text()), (501, "and 104 more"))

    def test_what_many_lines_come_to_is_not_told_of_one(self) -> None:
        from glyphos.handoff.deliver import plan

        page, line = self.window.pages["handoff"], self.line
        more = [msgspec.structs.replace(line, slug=f"more-{k}") for k in range(300)]
        begun, gate = threading.Event(), threading.Event()

        def late(*wished: object) -> object:
            if threading.current_thread() is not threading.main_thread():
                begun.set()
                gate.wait(PATIENCE)
            return plan(*wished)

        with mock.patch("glyphos.app.pages.handoff.page.plan", late):
            self.document.change("More", self.document.production.added(more))
            self.wait(begun.is_set)
            page.which.setCurrentIndex(0)  # the line that is shown
            gate.set()
            self.idle()
        self.assertEqual(page.list.count(), 1)
        self.assertIn("1 file at 24", page.note.text())


if __name__ == "__main__":
    unittest.main()
