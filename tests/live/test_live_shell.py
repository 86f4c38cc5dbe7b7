"""`glyphos live` from the outside."""

from __future__ import annotations

import contextlib
import json
import re
import socket
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from glyphos.booth.kept import LIVE
from glyphos.booth.takes import takes_of
from glyphos.production.demo import copy_demo
from glyphos.production.store import Store
from tests.patience import PATIENCE
from tests.shell import invoke

DATA = Path(__file__).parents[1] / "data"


class Shell(unittest.TestCase):
    def run_it(self, *words: object, code: int = 0) -> str:
        ran = invoke(["live", *map(str, words)])
        self.assertEqual(ran.exit_code, code, ran.output + str(ran.exception))
        return str(ran.output) + str(ran.exception or "")

    def test_a_recording_speaks_into_udp_and_is_kept(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "live.glyphos"
        self.assertEqual(invoke(["new", str(folder)]).exit_code, 0)
        receiver = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.addCleanup(receiver.close)
        receiver.bind(("127.0.0.1", 0))
        receiver.settimeout(PATIENCE)
        heard: list[dict[str, object]] = []

        def listen() -> None:
            while (data := receiver.recv(65_536)) != b"over":
                heard.append(json.loads(data))

        thread = threading.Thread(target=listen)
        thread.start()
        told = self.run_it("--input", DATA / "slt_hts-001.flac", "--udp", receiver.getsockname()[1], "--seconds", 2,
                           "--record", folder, "--life", 0, "--character", "mabel")  # fmt: skip
        receiver.sendto(b"over", receiver.getsockname())
        thread.join(PATIENCE)
        found = re.search(r"(\d+) packets in ([\d.]+) s; sound to packet (\d+) ms", told)
        assert found is not None
        self.assertGreaterEqual(len(heard), int(found[1]))
        self.assertGreater(len(heard), 10)  # 100, where the machine has nothing else to do
        slug = re.search(r"([\w-]+): a line now", told)
        assert slug is not None, told
        with contextlib.closing(Store.open(folder)) as store:
            self.assertGreater(store.production.line(slug[1]).duration, 1.2)
        self.assertEqual(len(takes_of(folder, slug[1])), 1)
        self.assertEqual(takes_of(folder, LIVE), [])
        self.assertNotIn("blink_left", heard[0]["channels"])

    def test_a_speaker_is_known_beforehand(self) -> None:
        words = ("--input", DATA / "slt_hts-001.flac", "--udp", 9, "--seconds", 0.3, "--calibrate")
        told = self.run_it(*words, DATA / "flite_awb-001.flac")
        self.assertIn("flite_awb-001.flac: the voice is learnt; its lips were shut 8 times", told)
        self.assertIn("There is no file", self.run_it(*words, "gone.wav", code=1))
        told = self.run_it(*words, DATA / "bobby.wav", code=1)  # which is not the sentence
        self.assertIn("does not sound like “Bob and my mum", told)
        show = copy_demo(Path(self.enterContext(tempfile.TemporaryDirectory())) / "show.glyphos")
        told = self.run_it(*words, show, "--speaker", "osric")
        self.assertIn("osric: the voice is learnt; its lips were shut 9 times", told)
        empty = show.with_name("empty.glyphos")
        self.assertEqual(invoke(["new", str(empty)]).exit_code, 0)
        for more, said, code in (
            ((empty,), "no line that was listened to says yet who speaks it", 1),
            ((show,), "there are lines of Mabel, Osric, Pip", 1),
            ((show, "--speaker", "Ann"), "No line of Ann", 1),
            ((show, "--language", "de"), "--language is for", 2),
            ((DATA / "bobby.wav", "--speaker", "Ann"), "--speaker is for", 2),
            ((DATA / "bobby.wav", "--no-learning"), "--learning is for", 2),
        ):
            self.assertIn(said, self.run_it(*words, *more, code=code))

    def test_what_cannot_be(self) -> None:
        self.assertIn("Nobody would hear of it", self.run_it(code=1))
        self.assertIn("no production", self.run_it("--udp", 9, "--record", "/nowhere", code=1))
        self.assertIn(
            "There is no file gone.wav", self.run_it("--udp", 9, "--input", "gone.wav", code=1)
        )
        with mock.patch("glyphos.booth.microphone.device_names", return_value=["Built-in"]):
            told = self.run_it("--udp", 9, "--input", "Booth", code=1)
        self.assertIn("no microphone “Booth” (there are: Built-in)", told)
        self.assertIn("is no address", self.run_it("--osc", "here:x", code=1))
        for port in (99_999, -5):
            told = self.run_it("--web", port, "--input", DATA / "slt_hts-001.flac", code=1)
            self.assertIn("no such port; choose another", told)
        told = self.run_it(
            "--udp", 9, "--input", DATA / "slt_hts-001.flac", "--seconds", 0.1, "--language", "it"
        )
        self.assertIn("Words in it cannot be made out here", told)
        for words in (
            ("--no-learning", "--language", "en"),
            ("--rate", 0),
            ("--articulation", 3),
            ("--life", -1),
            ("--seconds", -3),
        ):
            self.run_it("--udp", 9, *words, code=2)


if __name__ == "__main__":
    unittest.main()
