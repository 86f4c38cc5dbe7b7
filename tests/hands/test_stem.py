"""The process that hands branch off from: what it has loaded they have, and nobody of them outlives whom they work for."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from glyphos.batch import proofs
from glyphos.batch.listening import LOADED
from glyphos.errors import Cancelled
from glyphos.hands.branching import stem
from glyphos.hands.crew import NONE, Crew, Hand, Hands, LostError
from tests.hands.asked import gone, has, number, told, with_a_helper
from tests.patience import PATIENCE, until

RARE = "nturl2path"  # of the standard library, which nothing else here loads
OWNER = """
import sys, time
from glyphos.hands.crew import Crew
from tests.hands.asked import number
crew = Crew(1)
print(*crew.submit(number).result(), flush=True)
time.sleep(60)
"""
LEAVING = """
import atexit
from glyphos.hands.crew import Hand
from tests.hands.asked import number
hand = Hand("", ())
numbers = hand.run(number, ()).value
hand.close()
print(*numbers, flush=True)
input()
atexit.register(print, "waits", flush=True)
"""


def there(pid: int) -> bool:
    """Whether a process runs; one that only waits to be told of does not."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


class Branching(unittest.TestCase):
    def hand(self, *given: str, folder: str = "") -> Hand:
        hand = Hand(folder, given)
        self.addCleanup(hand.close)
        return hand

    def wait(self, done: Callable[[], object]) -> None:
        self.assertTrue(until(done))

    def test_what_is_to_be_loaded_is_there_from_the_start_and_it_keeps_to_one_thread(self) -> None:
        self.assertFalse(self.hand().run(has, (RARE,)).value)
        loaded = (*LOADED, *proofs.LOADED, RARE, "no.such.module", "os:no_such_function")
        hand = self.hand(*loaded)
        for name in (RARE, "av", "glyphos.speech.recognise"):
            self.assertTrue(hand.run(has, (name,)).value, name)
        _, parent = hand.run(number, ()).value
        self.assertEqual(len(os.listdir(f"/proc/{parent}/task")), 1)

    def test_hands_live_in_the_surroundings_of_who_asks(self) -> None:
        self.hand().run(number, ())  # so that the stem was there before
        with mock.patch.dict(os.environ, {"GLYPHOS_TRIED": "now"}):
            self.assertEqual(self.hand().run(told, ("GLYPHOS_TRIED",)).value[0], "now")
        self.assertEqual(self.hand().run(told, ("GLYPHOS_TRIED",)).value[0], "")

    def test_what_hands_leave_in_temporary_folders_goes_with_them(self) -> None:
        hands = Hands()
        made = Path(hands.run(told, ("PATH",)).value[1])
        self.assertTrue(made.is_dir())
        hands.close()
        self.assertFalse(made.exists())
        self.assertEqual(hands.pids, [])
        self.assertTrue(Path(hands.run(told, ("PATH",)).value[1]).is_dir())  # it can go on
        hands.close()

    def test_a_hand_that_dies_takes_its_helpers_along(self) -> None:
        hand = self.hand()
        helper = hand.run(with_a_helper, ()).value
        self.assertTrue(there(helper))
        with self.assertRaises(LostError) as caught:
            hand.run(gone, ())
        self.assertIn("with code 3", str(caught.exception))
        self.wait(lambda: not there(helper))

    def test_when_the_stem_dies_its_hands_do_and_the_next_begins_another(self) -> None:
        hand = self.hand()
        own, parent = hand.run(number, ()).value
        os.kill(parent, signal.SIGKILL)
        self.wait(lambda: not there(own))
        other, second = hand.run(number, ()).value
        self.assertNotEqual(second, parent)
        self.assertTrue(there(other))
        stem.close()
        self.wait(lambda: not there(other) and not there(second))
        self.assertTrue(hand.run(has, ("os",)).value)

    def test_one_that_is_not_wanted_any_more_ends(self) -> None:
        stem.close()
        hand, stop = self.hand(*LOADED), threading.Event()
        stop.set()
        with self.assertRaises(Cancelled):
            hand.run(number, (), NONE, stop)
        self.assertEqual(hand.pid, 0)
        _, parent = self.hand().run(number, ()).value
        children = Path(f"/proc/{parent}/task/{parent}/children")
        self.wait(lambda: len(children.read_text().split()) == 1)

    def test_nobody_outlives_whom_they_work_for(self) -> None:
        owner = subprocess.Popen([sys.executable, "-c", OWNER], stdout=subprocess.PIPE, text=True)
        self.addCleanup(owner.wait)
        assert owner.stdout is not None
        self.addCleanup(owner.stdout.close)
        hand, parent = map(int, owner.stdout.readline().split())
        self.assertTrue(there(hand) and there(parent))
        owner.kill()
        self.wait(lambda: not there(hand) and not there(parent))

    def test_control_c_while_it_is_waited_for_at_the_end_says_nothing(self) -> None:
        owner = subprocess.Popen([sys.executable, "-c", LEAVING], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                                 stderr=subprocess.PIPE, text=True, preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler))  # fmt: skip
        assert owner.stdout is not None and owner.stdin is not None
        _, parent = map(int, owner.stdout.readline().split())
        os.kill(parent, signal.SIGSTOP)  # so that it takes its time to end
        owner.stdin.write("\n")
        owner.stdin.flush()
        self.assertEqual(owner.stdout.readline(), "waits\n")
        time.sleep(0.2)
        owner.send_signal(signal.SIGINT)
        owner.wait(PATIENCE)
        os.kill(parent, signal.SIGKILL)  # it holds the pipes
        self.assertEqual(owner.communicate(timeout=PATIENCE)[1], "")

    def test_many_at_once(self) -> None:
        crew = Crew(6)
        self.addCleanup(lambda: crew.shutdown(cancel_futures=True))
        pairs = [f.result() for f in [crew.submit(number) for _ in range(40)]]
        self.assertEqual(len({parent for _, parent in pairs}), 1)
        self.assertEqual({pid for pid, _ in pairs}, set(crew.hands.pids))


if __name__ == "__main__":
    unittest.main()
