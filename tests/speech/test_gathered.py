"""Long recordings lie on disk, sound the same, and their reading can be stopped."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
import soxr

from glyphos.motion.loudness import measure
from glyphos.speech import gathered, recording
from glyphos.speech.gathered import Gathered
from glyphos.speech.recording import open_for_playing, open_recording


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
            self.assertIsInstance(open_for_playing(path)[1], np.memmap)
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

    def test_for_playing_a_file_is_read_once_and_heard_as_for_listening(self) -> None:
        blocks = recording._sound_blocks
        path, tone = self.folder / "two.wav", 0.3 * np.sin(np.arange(32_000) * 0.05)
        half = (0.75 * tone, 1)  # the mix of both, and how often the file is read
        for right, channel, (mixed, reads) in (
            (0.5 * tone, None, half), (0.5 * tone, 1, half), (-tone, None, (tone, 2)),
        ):  # fmt: skip
            soundfile.write(path, np.stack([tone, right], 1), 32_000, subtype="FLOAT")
            with mock.patch.object(recording, "_sound_blocks", side_effect=blocks) as opened:
                heard, played = open_for_playing(path, channel=channel)
            self.assertEqual(opened.call_count, reads)  # what cancels out is left out
            alone = open_recording(path, channel=channel)
            np.testing.assert_array_equal(heard.samples, alone.samples)
            wanted = soxr.resample(mixed.astype(np.float32), 32_000, 48_000)
            np.testing.assert_allclose(played, wanted, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
