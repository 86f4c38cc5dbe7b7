"""Bad recordings: nothing fails, and what is lost has bounds (`make bench` prints it)."""

from __future__ import annotations

import unittest

import numpy as np

from glyphos.speech.listen import listen
from glyphos.speech.recognise import listen_without_script
from glyphos.speech.recording import open_recording
from tests.labels import DATA
from tests.speech.worse import WORSE, made_worse

# Seconds that starts of sounds may move on average (of the recordings here; no source).
LOST = {"telephone": 0.025, "music": 0.03, "room": 0.04, "whisper": 0.06, "shout": 0.02}


class Worse(unittest.TestCase):
    def test_nothing_fails_and_the_loss_is_bounded(self) -> None:
        for name in ("librivox-0920.wav", "slt_hts-004.flac"):
            recording = open_recording(DATA / name)
            script = (DATA / name).with_suffix(".txt").read_text()
            plain = [p.start for p in listen(recording, script).phones()]
            for how in WORSE:
                with self.subTest(f"{name} {how}"):
                    found = listen(made_worse(recording, how), script)
                    starts = [p.start for p in found.phones()]
                    self.assertEqual(len(starts), len(plain))
                    self.assertLess(np.abs(np.subtract(starts, plain)).mean(), LOST[how])

    def test_words_are_made_out_over_a_telephone_and_music(self) -> None:
        recording = open_recording(DATA / "librivox-0920.wav")
        for how in ("telephone", "music", "room"):
            self.assertIn("respectable", listen_without_script(made_worse(recording, how)).text)
