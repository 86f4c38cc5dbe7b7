"""The recording check, on signals whose figures are known beforehand."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from glyphos.production.demo import copy_demo
from glyphos.proof.recording_check import (
    RecordingCheck,
    check,
    clipped_samples,
)
from tests.labels import DATA


class Figures(unittest.TestCase):
    def test_only_flat_tops_count_as_clipped(self) -> None:
        t = np.arange(16_000) / 16_000
        sine = np.sin(2 * np.pi * 200 * t).astype(np.float32)[:, None]
        self.assertEqual(clipped_samples(0.9 * sine), 0)
        clipped = np.clip(3 * sine, -0.98, 0.98)
        expected = int((np.abs(3 * sine) >= 0.98).sum())
        self.assertAlmostEqual(clipped_samples(clipped), expected, delta=0.02 * expected)


class Findings(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        speech, self.rate = soundfile.read(DATA / "slt_hts-004.flac")
        self.speech = np.concatenate([np.zeros(8000), speech, np.zeros(8000)])
        self.time = np.arange(len(self.speech)) / self.rate
        self.rng = np.random.default_rng(1)

    def found(self, samples: np.ndarray, rate: int | None = None) -> RecordingCheck:
        path = self.folder / "line.wav"
        soundfile.write(path, samples, rate or self.rate, subtype="PCM_16")
        return check(path)

    def kinds(self, result: RecordingCheck) -> set[str]:
        return {f.kind for f in result.findings}

    def noise(self, level: float) -> np.ndarray:
        return self.rng.normal(0, level, len(self.speech))

    def test_a_clean_recording_is_good_and_nothing_is_asked(self) -> None:
        result = self.found(self.speech)
        self.assertEqual((self.kinds(result), result.worst, result.clean), ({"all"}, "good", False))

    def test_noise_is_measured_and_graver_the_louder_it_is(self) -> None:
        """White noise of standard deviation σ has a level of 20·log10 σ."""
        some, much = (
            self.found(self.speech + self.noise(0.01)),
            self.found(self.speech + self.noise(0.05)),
        )
        self.assertAlmostEqual(some.noise_floor, -40, delta=1.5)
        self.assertAlmostEqual(much.noise_floor, -26, delta=1.5)
        self.assertEqual((some.worst, much.worst), ("poor", "bad"))
        self.assertTrue(some.clean)

    def test_hum_and_music_are_told_from_noise(self) -> None:
        hum = sum(
            a * np.sin(2 * np.pi * f * self.time) for f, a in ((60, 0.02), (120, 0.01), (180, 0.01))
        )
        self.assertIn("hum", self.kinds(self.found(self.speech + hum + self.noise(0.001))))
        chord = sum(0.01 * np.sin(2 * np.pi * f * self.time) for f in (220, 277.2, 329.6, 440))
        self.assertIn("music", self.kinds(self.found(self.speech + chord + self.noise(0.001))))
        self.assertEqual(self.kinds(self.found(self.speech + self.noise(0.02))), {"noise"})

    def test_channels_telephone_clipping_quiet_and_silences(self) -> None:
        both = np.stack([self.noise(0.02), self.speech], axis=1)
        stereo = self.found(both)
        self.assertEqual(stereo.channel, 2)
        self.assertIn("channels", self.kinds(stereo))
        same = self.found(np.stack([self.speech, self.speech], axis=1))
        self.assertNotIn("channels", self.kinds(same))
        self.assertIn("bandwidth", self.kinds(self.found(self.speech[::4], self.rate // 4)))
        self.assertIn("clipping", self.kinds(self.found(np.clip(self.speech * 8, -0.98, 0.98))))
        self.assertIn("quiet", self.kinds(self.found(self.speech * 0.05)))
        long = self.found(np.concatenate([np.zeros(5 * self.rate), self.speech]))
        self.assertIn("from" if "from" in long.findings[0].text else "start", long.findings[0].text)
        self.assertEqual(self.kinds(long), {"silence"})
        self.assertRegex(long.findings[0].text, r"^A long silence takes 5\.\d s at the start\.$")
        quiet = np.zeros(5 * self.rate)
        twice = self.found(np.concatenate([quiet, self.speech, quiet, self.speech]))
        self.assertRegex(twice.findings[0].text, r"^There are 2 long silences; the longest takes 5")

    def test_the_poor_recording_of_the_demo_has_music_under_it(self) -> None:
        folder = copy_demo(self.folder / "demo")
        result = check(folder / "audio" / "06-osric-poor.flac")
        self.assertTrue({"music", "quiet"} <= self.kinds(result))
        for name in ("01-mabel-beam", "03-pip-wind", "09-ospite-italiano"):
            self.assertEqual(check(folder / "audio" / f"{name}.flac").worst, "good")
        for clip in DATA.glob("*.wav"):
            self.assertNotIn("music", self.kinds(check(clip)), clip)


class Cleaning(unittest.TestCase):
    def test_a_cleaned_copy_has_less_noise_and_the_same_sounds(self) -> None:
        from glyphos.speech.conditioning import reduce_noise

        speech, rate = soundfile.read(DATA / "slt_hts-004.flac", dtype="float32")
        silence = np.zeros(rate // 2, np.float32)
        clean = np.concatenate([silence, speech, silence])
        noisy = clean + np.random.default_rng(2).normal(0, 0.01, len(clean)).astype(np.float32)
        made = reduce_noise(noisy)
        self.assertEqual(len(made), len(noisy))
        quiet = slice(0, rate // 3)
        gain = 20 * np.log10(made[quiet].std() / noisy[quiet].std())
        self.assertLess(gain, -4)
        loud = np.abs(clean) > 0.1
        self.assertGreater(np.corrcoef(made[loud], clean[loud])[0, 1], 0.98)
