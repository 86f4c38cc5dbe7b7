"""Processes that are lent: each does one thing at a time, ends when it is told to, and takes nothing with it."""

from __future__ import annotations

import os
import threading
import time
import unittest

import numpy as np

from glyphos.errors import Cancelled, RecordingError
from glyphos.hands.crew import Crew, Hand, Limits, LostError, TaskError
from tests.patience import PATIENCE


def doubled(x: float) -> float:
    return 2 * x


def slowly(seconds: float) -> str:
    time.sleep(seconds)
    return "done"


def gone() -> None:
    os._exit(7)


def wrong() -> None:
    raise RecordingError("It holds nothing.")


class Processes(unittest.TestCase):
    def test_a_crew_does_what_a_function_here_does(self) -> None:
        crew = Crew(2)
        self.addCleanup(lambda: crew.shutdown(cancel_futures=True))
        self.assertEqual(
            [f.result() for f in [crew.submit(doubled, k) for k in range(6)]], [0, 2, 4, 6, 8, 10]
        )
        self.assertLessEqual(len(crew.hands.pids), 2)
        with self.assertRaises(TaskError) as caught:
            crew.submit(wrong).result()
        self.assertEqual(str(caught.exception), "It holds nothing.")
        with self.assertRaises(LostError) as lost:
            crew.submit(gone).result()
        self.assertIn("with code 7", str(lost.exception))
        self.assertEqual(crew.submit(doubled, 4).result(), 8)  # by another process
        self.assertGreaterEqual(crew.done(doubled, np.float64(1.5)).result().cpu, 0.0)

    def test_one_that_is_stopped_ends_at_once(self) -> None:
        hand, stop = Hand(), threading.Event()
        threading.Timer(1.0, stop.set).start()
        began = time.monotonic()
        with self.assertRaises(Cancelled):
            hand.run(slowly, (600,), Limits(), stop)
        self.assertLess(time.monotonic() - began, PATIENCE)
        self.assertEqual(hand.pid, 0)
