"""Temporary folders that are held: what a killed process left goes with the next, and nothing else does."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from glyphos.held import HeldFolder

HOLDER = """
import time
from glyphos.hands.crew import Hands
from tests.hands.asked import number
hands = Hands()
hands.run(number, ())
print(hands._folder.name, flush=True)
time.sleep(600)
"""


class Held(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, TMPDIR=str(self.folder)))
        self.enterContext(mock.patch("tempfile.tempdir", str(self.folder)))

    def names(self) -> set[str]:
        return {p.name for p in self.folder.iterdir()}

    def test_what_a_killed_process_left_goes_with_the_next_of_its_kind(self) -> None:
        holder = subprocess.Popen([sys.executable, "-c", HOLDER], stdout=subprocess.PIPE, text=True)
        self.addCleanup(holder.wait)
        self.addCleanup(holder.kill)
        assert holder.stdout is not None
        self.addCleanup(holder.stdout.close)
        left = Path(holder.stdout.readline().strip())
        (left / "large").write_bytes(b"x" * 1000)
        for name in ("glyphos-hands-of_a_person", "glyphos-shared-abcd1234", "mine"):
            (self.folder / name).mkdir()
        (self.folder / "glyphos-hands-linked00").symlink_to(self.folder / "mine")
        others = self.names() - {left.name}

        def next_one() -> None:
            for path in self.folder.iterdir():
                os.utime(path, (0, 0))
            HeldFolder("glyphos-hands-").close()

        next_one()
        self.assertEqual(self.names(), others | {left.name})  # it is still worked in
        holder.kill()
        holder.wait()
        next_one()
        self.assertEqual(self.names(), others)

    def test_one_that_was_made_just_now_may_not_be_held_yet(self) -> None:
        (self.folder / "glyphos-shared-abcd1234").mkdir()
        HeldFolder("glyphos-shared-").close()
        self.assertEqual(self.names(), {"glyphos-shared-abcd1234"})


if __name__ == "__main__":
    unittest.main()
