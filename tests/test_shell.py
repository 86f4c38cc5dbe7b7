"""The shell: real processes, exit codes, clean output."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from glyphos.handoff.curves import from_json
from tests.labels import DATA

TEXT = "Bring me the blue map before the dome opens."
CLIP = str(DATA / "slt_hts-001.flac")


def glyphos(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "glyphos.cli", *arguments], capture_output=True, text=True,
        env=os.environ | {"COLUMNS": "200"}, check=False,
    )  # fmt: skip


class Shell(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_listen_then_perform_equals_performing_at_once(self) -> None:
        done = glyphos("listen", CLIP, "--text", TEXT)
        self.assertEqual(done.returncode, 0, done.stderr)
        document = json.loads(done.stdout)
        self.assertEqual(list(document)[:2], ["format", "version"])
        (self.folder / "r.json").write_text(done.stdout)
        follow = ["--loudness-follow", "0"]
        one = glyphos("perform", str(self.folder / "r.json"), "--fps", "25", *follow)
        two = glyphos("perform", CLIP, "--text", TEXT, "--fps", "25", *follow)
        self.assertEqual(one.stdout, two.stdout)
        motion = from_json(one.stdout.encode())
        self.assertEqual(motion.fps, 25)
        self.assertTrue(np.isfinite(motion.values).all())

    def test_a_text_beside_the_recording_is_its_script(self) -> None:
        out = self.folder / "curves.csv"
        done = glyphos("perform", CLIP, "-o", str(out), "--articulation", "1.4")
        self.assertEqual(done.returncode, 0, done.stderr)
        lines = out.read_text().splitlines()
        self.assertTrue(lines[0].startswith("frame,seconds,jaw_open,lips_part"))
        self.assertTrue(all(len(x.split(",")) == 13 for x in lines))

    def test_failures_are_one_sentence_and_exit_1(self) -> None:
        (self.folder / "empty.txt").touch()
        (self.folder / "bin.txt").write_bytes(b"\0\1\2")
        (self.folder / "latin.txt").write_bytes("caffè".encode("latin-1"))
        (self.folder / "bad.json").write_text('{"format": "glyphos-reading", "version": 1}')
        target = str(self.folder / "no" / "x.json")
        for arguments in (
            ["listen", "missing.wav", "--text", "x"], ["listen", str(self.folder), "--text", "x"],
            ["listen", CLIP, "--script", str(self.folder / "empty.txt")],
            ["listen", CLIP, "--script", str(self.folder / "bin.txt")],
            ["listen", CLIP, "--script", str(self.folder / "latin.txt")],
            ["listen", CLIP, "--text", TEXT, "--language", "elvish"],
            ["listen", CLIP, "--text", TEXT, "-o", target],
            ["perform", str(self.folder / "bad.json")],
            ["perform", CLIP, "--fps", "0"], ["perform", CLIP, "--lead", "900"],
        ):  # fmt: skip
            with self.subTest(arguments[-1]):
                done = glyphos(*arguments)
                self.assertEqual(done.returncode, 1, done.stderr)
                self.assertEqual(done.stdout, "")
                self.assertNotIn("Traceback", done.stderr)
                self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
                self.assertTrue(done.stderr.strip().endswith((".", "?")), done.stderr)
        self.assertEqual(list(self.folder.glob("**/.x*")), [])

    def test_wrong_usage_exits_2_and_help_names_the_commands(self) -> None:
        self.assertEqual(glyphos("listen").returncode, 2)
        self.assertEqual(glyphos("frobnicate").returncode, 2)
        self.assertEqual(glyphos("listen", CLIP, "--script", "a", "--text", "b").returncode, 2)
        done = glyphos("--help")
        self.assertEqual(done.returncode, 0)
        for word in ("listen", "perform", "demo"):
            self.assertIn(word, done.stdout)
