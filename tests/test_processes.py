"""A process that works for another one does not outlive it."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import unittest
from pathlib import Path

CHILD = "import sys, time; from glyphos.processes import end_with; end_with(int(sys.argv[1])); time.sleep(600)"
PARENT = f"""
import os, subprocess, sys, time
child = subprocess.Popen([sys.executable, "-c", {CHILD!r}, str(os.getpid())])
print(child.pid, flush=True)
time.sleep(600)
"""


class Killed(unittest.TestCase):
    def test_it_ends_with_its_parent(self) -> None:
        root = str(Path(__file__).parents[1])
        parent = subprocess.Popen(
            [sys.executable, "-c", PARENT], env={**os.environ, "PYTHONPATH": root}, stdout=subprocess.PIPE,
            text=True,
        )  # fmt: skip
        assert parent.stdout is not None
        self.assertTrue(parent.stdout.readline())  # the child is there
        parent.send_signal(signal.SIGKILL)
        parent.wait()
        self.assertEqual(parent.stdout.read(), "")  # the pipe ends once the child lets go of it
        parent.stdout.close()


if __name__ == "__main__":
    unittest.main()
