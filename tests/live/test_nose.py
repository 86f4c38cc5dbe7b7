"""What is followed of a speaker's nose: against it m and n of any nose are the same."""

from __future__ import annotations

import unittest

import numpy as np

from glyphos.live.hearing import Hearing
from glyphos.live.nose import BEFORE, SEEN, Nose
from glyphos.speech.acoustic import load_model
from tests.speech.test_throat import played

MODEL = load_model()
M_N = np.zeros(13)  # what tells an m from an n here
M_N[4] = 8.0


def scores(phone: str) -> np.ndarray:
    """Of a frame that is surely this."""
    made = np.zeros(len(MODEL.phones) * 3)
    made[3 * MODEL.index(phone) : 3 * MODEL.index(phone) + 3] = 60.0
    return made


def heard(nose: Nose, own: np.ndarray, spoken: str) -> list[np.ndarray]:
    """What is given of the middle of each sound of ten frames."""
    out = []
    for sound in spoken:
        phone = {"m": "M", "n": "N", "a": "AA"}[sound]
        cepstra = own + (M_N if sound == "m" else 0.0) + (50.0 if sound == "a" else 0.0)
        out.append([nose.push(cepstra.astype(np.float32), scores(phone)) for _ in range(10)][5])
    return out


class Noses(unittest.TestCase):
    def test_m_and_n_of_any_nose_come_to_the_same(self) -> None:
        draw = np.random.default_rng(0)
        last = []
        for _ in range(4):
            *_, m, a, n = heard(Nose(MODEL), draw.normal(0, 12, 13), "namanana" * 12 + "man")
            last.append([m, n])
            np.testing.assert_allclose(a[: SEEN - 1], 0, atol=1e-3)  # no nasal, nothing to say
            np.testing.assert_allclose(m[13:], [1, 0.95], atol=0.06)
        sounds = np.array(last)[..., :13]
        self.assertLess(np.ptp(sounds, axis=0).max(), 0.15)
        np.testing.assert_allclose((sounds[:, 0] - sounds[:, 1])[:, 4], 0.8, atol=0.05)

    def test_a_first_nasal_is_measured_against_those_before_it(self) -> None:
        nose = Nose(MODEL)
        first = [nose.push(np.zeros(13, np.float32), scores("M")) for _ in range(BEFORE + 1)]
        np.testing.assert_array_equal(first[0], first[-1])
        self.assertEqual(first[0][-1], 0)

    def test_calibrating_forgets_it(self) -> None:
        hearing = Hearing()
        samples = played("flite_rms-004", 1.0).samples
        for k in range(0, len(samples), 800):
            hearing.push(samples[k : k + 800])
        nose = hearing._ear._seeing._nose
        known = nose.mean.copy()
        self.assertGreater(np.abs(known - Nose(MODEL).mean).max(), 1.0)
        hearing.calibrate()
        np.testing.assert_array_equal(nose.mean, Nose(MODEL).mean)


if __name__ == "__main__":
    unittest.main()
