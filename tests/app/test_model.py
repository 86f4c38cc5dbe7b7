"""Document, selection and jobs without a window: steps, and work that is late, dies or is
overtaken."""

from __future__ import annotations

import itertools
import threading
import time
import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

from PySide6.QtCore import Qt

from glyphos.app.model.jobs import Jobs, Told
from glyphos.app.model.talk import Talk
from glyphos.errors import GlyphosError, RecordingError
from tests.app.harness import make_application
from tests.patience import PATIENCE


class Working(unittest.TestCase):
    def setUp(self) -> None:
        self.application = make_application()
        self.talk = Talk()
        self.jobs = Jobs(self.talk)
        self.addCleanup(self.jobs.close)
        self.failed: list[str] = []
        self.said: list[str] = []
        self.got: list[Any] = []
        self.ended: list[str] = []
        self.talk.failed.connect(self.failed.append)
        self.talk.said.connect(self.said.append)

    def test_nothing_is_told_once_it_is_closed(self) -> None:
        """A job that ends later than anybody waits for it: who would hear it may be gone."""
        go, told = threading.Event(), list[object]()
        self.jobs._posted.connect(
            lambda *what: told.append(what), Qt.ConnectionType.DirectConnection
        )
        self.submit(lambda _: go.wait(PATIENCE))
        thread = self.jobs._threads[0]
        with mock.patch(
            "glyphos.app.model.jobs.time.monotonic", side_effect=itertools.count(0, 100)
        ):
            self.jobs.close()
        self.assertTrue(thread.is_alive())
        go.set()
        thread.join(PATIENCE)
        self.assertEqual(told, [])

    def submit(self, work: Callable[[Told], Any], **named: Any) -> Any:
        return self.jobs.submit("Trying", work, self.got.append, ended=self.ended.append, **named)

    def wait(self, condition: Callable[[], Any]) -> None:
        end = time.monotonic() + PATIENCE
        while not condition() and time.monotonic() < end:
            self.application.processEvents()
            time.sleep(0.002)
        self.assertTrue(condition())

    def test_a_result_is_applied_on_the_thread_that_asked(self) -> None:
        threads: list[str] = []
        self.jobs.submit("Trying", lambda _: threading.current_thread().name,
                         lambda name: threads.extend([name, threading.current_thread().name]))  # fmt: skip
        self.wait(lambda: threads)
        self.assertNotEqual(*threads)
        self.assertEqual(threads[1], threading.main_thread().name)

    def test_every_error_arrives_as_a_sentence_and_the_job_ends(self) -> None:
        errors = (RecordingError("No such luck."), ZeroDivisionError("x"), MemoryError(), SystemExit(3),
                  OSError(28, "No space left on device"), KeyboardInterrupt(), IndexError("list"))  # fmt: skip
        for error in errors:

            def work(_: Told, error: BaseException = error) -> None:
                raise error

            self.failed.clear()
            self.submit(work)
            self.wait(lambda: self.failed)
            self.assertTrue(self.failed[0].endswith("."), self.failed)
            self.assertEqual(self.jobs.running, [])
        self.assertEqual(len(self.ended), len(errors))
        self.assertIn("inside Glyphos (IndexError", self.failed[0])

    def test_an_error_while_applying_is_told_and_the_job_ends(self) -> None:
        def broken(_: object) -> None:
            raise KeyError("gone")

        self.jobs.submit("Trying", lambda _: 1, broken, ended=self.ended.append)
        self.wait(lambda: self.ended)
        self.assertIn("KeyError", self.failed[0])

    def test_what_was_cancelled_is_never_applied_even_if_it_does_not_notice(self) -> None:
        gate = threading.Event()
        job = self.submit(lambda _: gate.wait(PATIENCE))
        self.wait(lambda: self.jobs.running)
        job.cancel()
        self.assertEqual((self.jobs.running, self.ended), ([], ["Stopped."]))
        self.assertIn("nothing was changed", self.said[0])
        gate.set()
        self.submit(lambda _: "next")
        self.wait(lambda: self.got)
        self.assertEqual(self.got, ["next"])

    def test_progress_stops_work_that_was_cancelled(self) -> None:
        stopped = threading.Event()

        def work(told: Told) -> None:
            try:
                while True:
                    told(0.5)
                    time.sleep(0.002)
            finally:
                stopped.set()

        job = self.submit(work)
        self.wait(lambda: job.fraction == 0.5)
        job.cancel()
        self.assertTrue(stopped.wait(PATIENCE))
        self.assertEqual(self.failed, [])

    def test_a_scope_that_is_closed_takes_its_work_with_it(self) -> None:
        first, second = object(), object()
        gate = threading.Event()
        self.jobs.scope = first
        self.submit(lambda _: gate.wait(PATIENCE))
        self.submit(lambda _: gate.wait(PATIENCE) and "kept", scope=second)
        self.jobs.cancel(first)
        gate.set()
        self.wait(lambda: self.got)
        self.assertEqual(self.got, ["kept"])

    def test_overtaken_work_is_dropped_with_a_word_or_begun_again(self) -> None:
        value = [1]
        gate = threading.Event()
        self.submit(lambda _: gate.wait(PATIENCE), inputs=lambda: (value[0],))
        value[0] = 2
        gate.set()
        self.wait(lambda: self.ended)
        self.assertEqual(self.got, [])
        self.assertIn("changed meanwhile", self.said[0])

        def again() -> None:
            self.submit(lambda _: value[0], name="n", inputs=lambda: (value[0],), again=again)

        gate.clear()
        self.submit(
            lambda _: gate.wait(PATIENCE), name="n", inputs=lambda: (value[0],), again=again
        )
        value[0] = 3
        gate.set()
        self.wait(lambda: self.got)
        self.assertEqual(self.got, [3])

    def test_a_result_that_is_not_applied_is_let_go(self) -> None:
        """Cancelled, overtaken, begun again, replaced, or there when nobody listens any more."""
        value, freed = [0], list[object]()

        def submit(name: str, **more: Any) -> threading.Event:
            gate, begun = threading.Event(), threading.Event()

            def work(_: Told) -> object:
                begun.set()
                return gate.wait(PATIENCE) and name

            self.submit(work, unused=freed.append, name="n", **more)
            self.assertTrue(begun.wait(PATIENCE))
            return gate

        gate = submit("cancelled")
        self.jobs.running[0].cancel()
        gate.set()
        self.wait(lambda: freed == ["cancelled"])
        gate = submit("replaced")
        submit("applied", instead=True).set()
        gate.set()
        self.wait(lambda: (freed[1:], self.got) == (["replaced"], ["applied"]))
        gate = submit("overtaken", inputs=lambda: (value[0],))
        value[0] = 1
        gate.set()
        self.wait(lambda: freed[2:] == ["overtaken"])
        gate = submit("again", inputs=lambda: (value[0],), again=lambda: submit("new").set())
        value[0] = 2
        gate.set()
        self.wait(lambda: self.got == ["applied", "new"])
        self.assertEqual(freed[3:], ["again"])
        gate = submit("late")
        with mock.patch(
            "glyphos.app.model.jobs.time.monotonic", side_effect=itertools.count(0, 100)
        ):
            self.jobs.close()
        gate.set()
        self.wait(lambda: freed[4:] == ["late"])

    def test_what_cannot_be_let_go_stays_without_a_word(self) -> None:
        value, tried = [0], list[object]()

        def unused(result: object) -> None:
            tried.append(result)
            raise PermissionError(13, "Permission denied")

        with mock.patch("sys.excepthook") as raised:
            self.submit(lambda _: "made", unused=unused, inputs=lambda: (value[0],))
            value[0] = 1
            self.wait(lambda: self.ended)
        self.assertEqual((tried, self.got, self.ended), (["made"], [], [""]))
        raised.assert_not_called()

    def test_two_of_a_name_are_refused_or_replaced(self) -> None:
        gate = threading.Event()
        self.submit(lambda _: gate.wait(PATIENCE), name="listen")
        with self.assertRaisesRegex(GlyphosError, "being done already"):
            self.submit(lambda _: 1, name="listen")
        self.submit(lambda _: "second", name="listen", instead=True)
        self.wait(lambda: self.got)
        gate.set()
        self.application.processEvents()
        self.assertEqual(self.got, ["second"])

    def test_results_that_come_one_by_one_are_applied_in_their_order(self) -> None:
        each: list[int] = []

        def work(told: Told) -> str:
            for k in range(50):
                told.each(k)
            return "all"

        self.submit(work, each=each.append)
        self.wait(lambda: self.got)
        self.assertEqual(each, list(range(50)))

    def test_more_work_than_threads_is_done_in_turn(self) -> None:
        for k in range(40):
            self.submit(lambda _, k=k: k, quiet=True)
        self.wait(lambda: len(self.got) == 40)
        self.assertEqual(sorted(self.got), list(range(40)))
