"""Loudness of the whole against the standards, and against another library."""

from __future__ import annotations

import unittest

import numpy as np

from glyphos.loudness import integrated_loudness


def tones(*parts: tuple[float, float], rate: int = 48_000, channels: int = 2) -> np.ndarray:
    """A sine of 1 kHz: (seconds, dB under full scale) one after the other."""
    sizes = np.concatenate([np.full(int(s * rate), 10 ** (db / 20)) for s, db in parts])
    wave = sizes * np.sin(2 * np.pi * 1000 * np.arange(len(sizes)) / rate)
    return np.repeat(wave[:, None], channels, 1)


class Whole(unittest.TestCase):
    def test_the_standard_tone(self) -> None:
        """ITU-R BS.1770-4: a 997 Hz sine of 0 dB full scale in one channel reads −3.01 LKFS."""
        tone = np.sin(2 * np.pi * 997 * np.arange(48_000 * 4) / 48_000).astype(np.float32)[:, None]
        self.assertAlmostEqual(integrated_loudness(tone, 48_000), -3.01, delta=0.02)
        self.assertAlmostEqual(integrated_loudness(tone * 0.1, 48_000), -23.01, delta=0.02)

    def test_signals_of_the_broadcasters(self) -> None:
        """EBU Tech 3341, minimum requirements, signals 1 to 4 (from memory): −23 or −33 LUFS, within 0.1."""
        self.assertAlmostEqual(integrated_loudness(tones((20, -23)), 48_000), -23, delta=0.1)
        self.assertAlmostEqual(integrated_loudness(tones((20, -33)), 48_000), -33, delta=0.1)
        three = tones((10, -36), (60, -23), (10, -36))
        self.assertAlmostEqual(integrated_loudness(three, 48_000), -23, delta=0.1)
        five = tones((10, -72), (10, -36), (60, -23), (10, -36), (10, -72))
        self.assertAlmostEqual(integrated_loudness(five, 48_000), -23, delta=0.1)

    def test_another_library_says_the_same_at_every_rate(self) -> None:
        """pyloudnorm, whose filters are off by a quarter of a unit at 11 kHz."""
        import pyloudnorm

        rng = np.random.default_rng(3)
        for rate, channels, near in ((11_025, 1, 0.3), (16_000, 2, 0.15), (44_100, 5, 0.1), (96_000, 7, 0.05)):  # fmt: skip
            sizes = np.resize(np.repeat(rng.random(12) ** 2, rate // 2), rate * 6)
            sound = 0.1 * sizes[:, None] * rng.standard_normal((rate * 6, channels))
            with self.subTest(rate):
                theirs = pyloudnorm.Meter(rate).integrated_loudness(sound[:, :5])
                self.assertAlmostEqual(integrated_loudness(sound, rate), theirs, delta=near)

    def test_silence_and_what_is_too_short_have_none(self) -> None:
        for sound in (tones((0.3, -6)), tones((2, -80)), np.zeros((48_000, 1))):
            self.assertEqual(integrated_loudness(sound, 48_000), -np.inf)


if __name__ == "__main__":
    unittest.main()
