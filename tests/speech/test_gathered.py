"""Long recordings lie on disk, sound the same, and their reading can be stopped."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from glyphos.motion.loudness import measure
from glyphos.speech import gathered
from glyphos.speech.gathered import Gathered
from glyphos.speech.recording import open_recording, read_for_playing


class Long(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict("os.environ", {"XDG_CACHE_HOME": str(self.folder / "c")}))

    def test_many_samples_are_the_same_on_disk_as_in_memory(self) -> None:
        blocks = [np.random.default_rng(k).normal(size=1000).astype(np.float32) for k in range(9)]
        short, long = Gathered(), Gathered()
        for block in blocks:
            short.add(block)
        with mock.patch.object(gathered, "MOST", 2500):
            for block in blocks:
                long.add(block)
        self.assertIsInstance(long.samples(), np.memmap)
        self.assertNotIsInstance(short.samples(), np.memmap)
        np.testing.assert_array_equal(long.samples(), short.samples())
        self.assertEqual(len(long), 9000)

    def test_a_long_recording_is_read_to_disk_and_can_be_stopped(self) -> None:
        path = self.folder / "long.wav"
        tone = 0.3 * np.sin(np.arange(48_000 * 20) * 0.05)
        soundfile.write(path, tone.astype(np.float32), 48_000)
        plain = open_recording(path)
        with mock.patch.object(gathered, "MOST", 100_000):
            told: list[float] = []
            mapped = open_recording(path, progress=told.append)
            self.assertIsInstance(read_for_playing(path), np.memmap)
        np.testing.assert_array_equal(mapped.samples, plain.samples)
        self.assertEqual(told, sorted(told))
        self.assertGreater(len(told), 2)
        np.testing.assert_allclose(
            measure(mapped.samples, 16_000).level, measure(plain.samples, 16_000).level
        )

        def stop(_: float) -> None:
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            open_recording(path, progress=stop)
