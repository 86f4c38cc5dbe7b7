"""The stage's own process: the newest wish of each view, problems as sentences, deaths."""

from __future__ import annotations

import io
import threading
import time
import unittest
from dataclasses import astuple
from pathlib import Path
from unittest import mock

import msgspec
import numpy as np

from glyphos.characters.builtin import builtin
from glyphos.errors import StageError
from glyphos.stage.client import StageClient
from glyphos.stage.messages import Ask, Reply, Request, receive, send
from glyphos.stage.pace import Pace
from glyphos.stage.renderer import Stage
from glyphos.stage.views import VIEWS
from glyphos.stage.worker import Heads, main
from tests.patience import PATIENCE, until

FRONT = astuple(VIEWS["front"])


class Answers:
    """Collects what a client gives back, in whatever thread."""

    def __init__(self) -> None:
        self.given: list[tuple[str, object, str]] = []
        self._come = threading.Condition()

    def to(self, name: str):  # type: ignore[no-untyped-def]
        def done(pixels: object, problem: str) -> None:
            with self._come:
                self.given.append((name, pixels, problem))
                self._come.notify_all()

        return done

    def wait(self, count: int, seconds: float = PATIENCE) -> None:
        with self._come:
            self._come.wait_for(lambda: len(self.given) >= count, seconds)


def wish(model: str = "pip", size: int = 64, **values: float) -> Request:
    return Request([Ask(model, FRONT, values=values)], (size, size))


class Client(unittest.TestCase):
    def setUp(self) -> None:
        self.client, self.answers = StageClient(), Answers()
        self.addCleanup(self.client.close)

    def test_pictures_come_as_they_were_wished_for(self) -> None:
        self.client.draw("a", wish(jaw_open=1.0, lips_part=1.0), self.answers.to("open"))
        self.answers.wait(1)
        self.client.draw("a", wish(), self.answers.to("shut"))
        self.answers.wait(2)
        (_, first, _), (_, second, _) = self.answers.given
        self.assertEqual(first.shape, (64, 64, 4))  # type: ignore[attr-defined]
        self.assertGreater(np.abs(np.asarray(first, int) - np.asarray(second, int)).max(), 60)

    def test_of_one_view_only_the_newest_wish_is_drawn(self) -> None:
        self.client.draw("a", wish(), self.answers.to("first"))
        self.answers.wait(1)
        for k in range(30):
            self.client.draw("a", wish(jaw_open=k / 30), self.answers.to(str(k)))
        self.client.draw("b", wish(), self.answers.to("other"))
        until(lambda: {"29", "other"} <= {n for n, _, _ in self.answers.given})
        names = [n for n, _, _ in self.answers.given]
        self.assertIn("29", names)
        self.assertIn("other", names)
        self.assertLess(len(names), 25)

    def test_a_wish_that_was_dropped_is_not_drawn(self) -> None:
        self.client.draw("a", wish(), self.answers.to("first"))
        self.client.draw("b", wish(), self.answers.to("dropped"))
        self.client.drop("b")
        self.answers.wait(1)
        time.sleep(0.3)
        self.assertNotIn("dropped", [n for n, _, _ in self.answers.given])

    def test_a_wish_that_cannot_be_told_is_a_sentence_and_the_next_picture_comes(self) -> None:
        self.client.draw("a", wish(jaw_open=object()), self.answers.to("bad"))  # type: ignore[arg-type]
        self.answers.wait(1)
        self.client.draw("a", wish(), self.answers.to("good"))
        self.answers.wait(2)
        (_, bad, problem), (_, good, _) = self.answers.given
        self.assertIsNone(bad)
        self.assertIn("cannot be drawn", problem)
        self.assertIsNotNone(good)

    def test_a_bad_model_is_a_sentence_and_the_next_picture_comes(self) -> None:
        self.client.draw("a", wish("/nowhere/head.glb"), self.answers.to("bad"))
        self.answers.wait(1)
        self.assertIn("no file", self.answers.given[0][2])
        self.client.draw("a", wish(), self.answers.to("good"))
        self.answers.wait(2)
        self.assertEqual(self.answers.given[1][2], "")

    def test_a_driver_that_dies_again_and_again_is_given_up_with_a_sentence(self) -> None:
        with mock.patch("subprocess.Popen", side_effect=dying):
            for k in range(4):
                self.client.draw("a", wish(), self.answers.to(str(k)))
                self.answers.wait(k + 1)
        self.assertIn("Mesa", self.client.trouble)
        self.assertIn("drawings", self.answers.given[-1][2])

    def test_closing_while_something_is_drawn_ends_the_process(self) -> None:
        self.client.draw("a", wish(size=512), self.answers.to("late"))
        time.sleep(0.2)
        self.client.close()
        self.assertIsNone(self.client._process)
        self.client.draw("a", wish(), self.answers.to("after"))
        self.assertEqual(self.answers.given[-1][1], None)


def dying(*_: object, **__: object):  # type: ignore[no-untyped-def]
    process = mock.MagicMock()
    process.stdout = io.BytesIO(b"")
    process.stdin = io.BytesIO()
    return process


class Worker(unittest.TestCase):
    """The process's own loop, run here."""

    def answers(self, *requests: bytes) -> list[Reply]:
        source, sink = io.BytesIO(), io.BytesIO()
        for data in requests:
            source.write(len(data).to_bytes(4, "little") + data)
        source.seek(0)
        main(source, sink)
        sink.seek(0)
        found = []
        while (data := receive(sink)) is not None:
            reply = msgspec.msgpack.decode(data, type=Reply)
            sink.read(reply.size[0] * reply.size[1] * 4)
            found.append(reply)
        return found

    def test_it_says_that_it_is_ready_draws_and_ends_with_its_input(self) -> None:
        data = msgspec.msgpack.encode(wish(size=32))
        ready, drawn, bad = self.answers(data, b"\x01")
        self.assertEqual((ready.size, ready.problem), ((0, 0), ""))
        self.assertEqual(drawn.size, (32, 32))
        self.assertTrue(bad.problem.endswith("."))

    def test_pictures_that_come_too_late_are_drawn_lightly_and_those_that_stay_whole(self) -> None:
        hurried = msgspec.structs.replace(wish(size=100), within=1e-6)
        asked = [msgspec.msgpack.encode(r) for r in (*[hurried] * 6, wish(size=100))]
        drawn, how = Stage.draw, []

        def watched(*given, **named):  # type: ignore[no-untyped-def]
            how.append(named["light"])
            return drawn(*given, **named)

        with mock.patch.object(Stage, "draw", watched):
            sizes = {r.size for r in self.answers(*asked)[1:]}
        self.assertEqual(sizes, {(100, 100)})
        self.assertEqual(how, [False, False, False, True, True, True, False])

    def test_they_are_whole_again_once_there_is_time(self) -> None:
        pace, size = Pace(), (100, 200)
        for _ in range(6):
            pace.took(size, 0.016, 0.03)
        self.assertTrue(pace.light(size, 0.016))
        for seconds in (*[0.009] * 100, *[0.006] * 39, 0.009):
            pace.took(size, 0.016, seconds)  # 9 ms would be 13 for a whole one: too near
        self.assertTrue(pace.light(size, 0.016))
        self.assertFalse(pace.light(size, 0.0))
        self.assertFalse(pace.light((50, 50), 0.016))
        for _ in range(40):
            pace.took(size, 0.016, 0.006)
        self.assertFalse(pace.light(size, 0.016))

    def test_without_opengl_it_says_so_for_good(self) -> None:
        with mock.patch("glyphos.stage.worker.Stage", side_effect=StageError("There is none.")):
            (only,) = self.answers()
        self.assertEqual((only.problem, only.final), ("There is none.", True))

    def test_heads_are_read_again_when_their_file_changes_and_forgotten_in_turn(self) -> None:
        stage = mock.MagicMock()
        heads = Heads(stage)
        self.assertIs(heads.get("pip", ""), builtin("pip"))
        with mock.patch("glyphos.stage.worker.KEPT", 2):
            for name in ("mabel", "osric"):
                heads.get(name, "")
        stage.forget.assert_called_once_with(builtin("pip"))

    def test_messages_are_whole_or_none(self) -> None:
        sink = io.BytesIO()
        send(sink, wish(), b"more")
        whole = sink.getvalue()
        self.assertEqual(msgspec.msgpack.decode(receive(io.BytesIO(whole)), type=Request), wish())  # type: ignore[arg-type]
        for cut in (0, 2, 10):
            self.assertIsNone(receive(io.BytesIO(whole[:cut])))
        self.assertTrue(Path(builtin("pip").path).is_file())


if __name__ == "__main__":
    unittest.main()
