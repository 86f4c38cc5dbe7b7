"""Sounds that are called or drawn out are held as long as they last, and left in no more time than others."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from tests.examples import examples
from tests.motion.promised import TABLE, broken, reading_of

RATES = (24, 60)


lengths = st.floats(0.04, 0.2) | st.floats(0.25, 1.2)
sounds = st.lists(st.tuples(st.sampled_from(TABLE), lengths), min_size=2, max_size=8)


class Promises(unittest.TestCase):
    @examples(40)
    @given(sounds, st.sampled_from(RATES), st.floats(0, 1))
    def test_every_promise_holds_for_long_sounds_too(self, said, fps, hold) -> None:  # type: ignore[no-untyped-def]
        reading, delivery = reading_of(said), Delivery(hold=hold, stress_follow=0.0)
        self.assertEqual(broken(perform(reading, delivery, fps=fps), reading, delivery), [])


class DrawnOut(unittest.TestCase):
    """Common practice, no source: callers and singers hold the shape, not the way to it."""

    def held(self, sound: str, seconds: float, channel: str, fps: int, hold: float = 0.5) -> np.ndarray:  # fmt: skip
        """A channel while a sound lasts, but for 130 ms at its ends, between others."""
        reading = reading_of([("d", 0.07), ("ɛ", 0.1), (sound, seconds), ("k", 0.08), ("ɑ", 0.12)])
        delivery = Delivery(hold=hold)
        motion = perform(reading, delivery, fps=fps)
        phone = list(reading.phones())[2]
        lead = delivery.lead / 1000
        first, last = (round((t - lead) * fps) for t in (phone.start + 0.13, phone.end - 0.13))
        return np.asarray(motion.channel(channel)[first : last + 1])

    def test_a_vowel_stays_as_open_as_it_is(self) -> None:
        for sound in ("ɑ", "i", "u", "ɚ", "æ"):
            for seconds in (0.5, 1.0, 2.5):
                for fps in RATES:
                    for hold in (0.0, 0.5, 1.0):
                        with self.subTest(sound, seconds=seconds, fps=fps, hold=hold):
                            part = self.held(sound, seconds, "lips_part", fps, hold)
                            self.assertGreater(part.min(), 0.7 * np.median(part))
                            self.assertLess(part.max(), 1.6 * np.median(part))

    def test_lips_stay_shut_in_a_hum(self) -> None:
        for seconds in (0.5, 2.0):
            self.assertLess(self.held("m", seconds, "lips_part", 24).max(), 0.005)

    def test_a_hiss_keeps_its_gap_and_the_jaw_up(self) -> None:
        for sound in ("s", "ʃ"):
            self.assertGreater(self.held(sound, 1.2, "lips_part", 60).min(), 0.12)
            self.assertLess(self.held(sound, 1.2, "jaw_open", 60).max(), 0.2)

    def test_a_diphthong_holds_its_first_part_and_ends_in_its_second(self) -> None:
        rounded = self.held("oʊ", 1.5, "lips_round", 60)
        first = rounded[: int(0.7 * len(rounded))]
        self.assertLess(np.ptp(first), 0.1)
        self.assertGreater(rounded[-1], first.mean() + 0.05)


if __name__ == "__main__":
    unittest.main()
