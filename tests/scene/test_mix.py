"""The sums of the mixer against what standards say they should come to."""

from __future__ import annotations

import unittest

import numpy as np

from glyphos.scene.mix import (
    PEAK,
    RATE,
    STRETCH,
    Part,
    limited,
    limiting,
    mixed,
    normalised,
    resampled,
    true_peak,
)
from tests.scene.scenes import sine


class Sums(unittest.TestCase):
    def test_parts_are_added_where_they_begin_to_the_sample(self) -> None:
        one = np.ones((10, 2), np.float32)
        whole = mixed([Part(one, RATE, 0.001), Part(one[:, 0], RATE, 0.001, gain=-20)], 0.002)
        self.assertEqual(whole.shape, (96, 2))
        np.testing.assert_allclose(whole[48:58], 1.1, atol=1e-6)
        self.assertEqual(int((whole != 0).sum()), 20)

    def test_what_goes_beyond_the_ends_is_left_out(self) -> None:
        ramp = np.arange(100, dtype=np.float32)
        late = mixed([Part(ramp, RATE, 90 / RATE)], 100 / RATE)
        np.testing.assert_array_equal(late[90:, 0], ramp[:10])
        early = mixed([Part(ramp, RATE, -40 / RATE)], 100 / RATE)
        np.testing.assert_array_equal(early[:60, 1], ramp[40:])

    def test_channels(self) -> None:
        """One is heard on both sides; of more than two the first two are."""
        three = np.stack([np.full(4, v, np.float32) for v in (1, 2, 3)], 1)
        np.testing.assert_array_equal(mixed([Part(three, RATE, 0)], 4 / RATE), three[:, :2])
        np.testing.assert_array_equal(
            mixed([Part(three[:, :1], RATE, 0)], 4 / RATE), three[:, [0, 0]]
        )

    def test_fades_are_halves_of_a_cosine(self) -> None:
        level = mixed([Part(np.ones(1000, np.float32), RATE, 0, 0, 500 / RATE, 250 / RATE)], 1000 / RATE)[:, 0]  # fmt: skip
        self.assertAlmostEqual(float(level[249] + level[250]), 1.0, places=5)
        self.assertTrue((np.diff(level[:500]) >= 0).all() and (np.diff(level[750:]) <= 0).all())
        self.assertAlmostEqual(float(level[0]), 0.0, places=4)
        self.assertEqual(float(level[600]), 1.0)

    def test_a_tone_keeps_its_pitch_and_level_when_it_is_resampled(self) -> None:
        t = np.arange(16_000) / 16_000
        made = resampled((0.5 * np.sin(2 * np.pi * 440 * t)).astype("f4"), 16_000)
        self.assertEqual(len(made), RATE)
        wanted = 0.5 * np.sin(2 * np.pi * 440 * np.arange(RATE) / RATE)
        np.testing.assert_allclose(made[2000:-2000], wanted[2000:-2000], atol=2e-3)


class Loudness(unittest.TestCase):
    def test_a_peak_between_samples_is_found(self) -> None:
        """A sine at a quarter of the rate, an eighth of a turn late, is never sampled at its top: its
        samples reach −3.01 dB of it (ITU-R BS.1770-4, annex 2, what true peaks are for)."""
        tone = sine(RATE / 4, 0.5, 0.0, np.pi / 4)
        self.assertAlmostEqual(20 * np.log10(float(np.abs(tone).max())), -3.01, places=2)
        self.assertAlmostEqual(true_peak(tone[1000:-1000]), 0.0, delta=0.3)
        self.assertEqual(true_peak(np.zeros((10, 2), np.float32)), -np.inf)

    def test_stretches_that_are_left_out_hold_no_peak(self) -> None:
        """Against SciPy's resampling of the whole, four samples for each."""
        from scipy.signal import resample_poly

        draw = np.random.default_rng(4)
        for seconds, loud in ((0.3, 0.2), (1.7, 1.4), (0.9, 0.6)):
            n = round(seconds * RATE)
            swell = np.interp(np.arange(n), np.linspace(0, n, 12), draw.uniform(0, loud, 12) ** 2)
            sound = (draw.normal(0, 0.3, (n, 2)) * swell[:, None]).astype("f4")
            if loud > 1:  # where two stretches meet
                sound[STRETCH - 3 : STRETCH + 3] = [[1.9, -1.9], [-1.9, 1.9]] * 3
            fine = np.abs(resample_poly(sound.astype(float), 4, 1, axis=0)).max()
            self.assertAlmostEqual(true_peak(sound), 20 * np.log10(fine), places=6)
            held = limiting(sound)
            self.assertEqual(held is None, 20 * np.log10(fine) <= PEAK)
            if held is not None:
                self.assertLessEqual(true_peak(sound * held[:, None]), PEAK + 1e-6)
                self.assertGreater((held == 1.0).mean(), 0.05)  # far from peaks nothing is touched

    def test_peaks_are_held_and_the_rest_is_not_touched(self) -> None:
        quiet = sine(220, 1.0, -20)
        loud = quiet.copy()
        loud[24_000:24_050] *= 30
        made = limited(loud)
        self.assertLessEqual(true_peak(made), PEAK)
        np.testing.assert_array_equal(made[:20_000], quiet[:20_000])
        np.testing.assert_array_equal(made[28_000:], quiet[28_000:])
        self.assertIs(limited(quiet), quiet)

    def test_a_wished_loudness_is_met_within_half_a_unit_and_without_peaks(self) -> None:
        """EBU R 128 allows ±0.5 LU for programmes; measured by another library."""
        import pyloudnorm

        rng = np.random.default_rng(3)
        speech = np.repeat(rng.normal(size=(50, 1)) ** 2, RATE // 10, 0) * rng.normal(
            size=(5 * RATE, 2)
        )
        for target in (-23.0, -16.0):
            made = normalised((0.02 * speech).astype("f4"), target)
            self.assertAlmostEqual(
                pyloudnorm.Meter(RATE).integrated_loudness(made), target, delta=0.5
            )
            self.assertLessEqual(true_peak(made), PEAK)
        silence = np.zeros((RATE, 2), np.float32)
        np.testing.assert_array_equal(normalised(silence, -23), silence)


if __name__ == "__main__":
    unittest.main()
