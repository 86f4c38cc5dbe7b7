"""A live mouth learns whether a child or a giant speaks, while they do."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np

from glyphos.live import ears, hearing
from glyphos.live.ear import PART
from glyphos.live.front import Front
from glyphos.live.hearing import Hearing
from glyphos.live.throat import Throat
from glyphos.motion.perform import perform
from glyphos.speech import frontend
from glyphos.speech.acoustic import load_model
from glyphos.speech.listen import listen
from tests.examples import FUZZ
from tests.labels import DATA
from tests.live.test_live import best
from tests.speech.test_throat import played

CLIPS = ("flite_rms-004", "kal_diphone-004")[: None if FUZZ else 1]


def followed(name: str, slower: float) -> float:
    """Correlation of live and offline lips_part of a clip that is said twice; the second time counts."""
    recording = played(name, slower)
    truth = perform(listen(recording, (DATA / f"{name}.txt").read_text()), fps=100)
    samples, live = np.tile(recording.samples, 2), Hearing()
    made = [
        h.values[PART]
        for k in range(0, len(samples), 4000)
        for h in live.push(samples[k : k + 4000])
    ]
    return best(np.array(made)[len(recording.samples) // 160 :], truth.channel("lips_part"))[0]


class Throats(unittest.TestCase):
    def test_a_giant_is_followed(self) -> None:
        self.assertGreater(np.mean([followed(name, 1.3) for name in CLIPS]), 0.85)

    def test_ears_that_know_few_people_need_to_be_told_of_a_giant(self) -> None:
        with mock.patch.object(ears, "INNER", 0.0):
            known = np.mean([followed(name, 1.3) for name in CLIPS])
            with mock.patch.object(hearing, "Front", lambda _: Front()):
                unknown = np.mean([followed(name, 1.3) for name in CLIPS])
        self.assertGreater(known, unknown + 0.02)

    def test_it_is_found_within_two_seconds_and_learned_anew(self) -> None:
        throat = Throat(load_model())
        front = Front(throat)
        giant, usual = (played("flite_rms-004", s).samples for s in (1.3, 1.0))
        at = 0
        while throat.stretch == 1.0 and at < 32_000:
            mean = front.mean.copy()
            front.push(giant[at : at + 160])
            at += 160
        self.assertLess(throat.stretch, 0.9)
        power = throat.heard  # what was learned of the speaker moves along with the frequencies
        moved = frontend.cepstra_of(power, throat.stretch).mean(0) - frontend.cepstra_of(
            power
        ).mean(0)
        np.testing.assert_allclose(front.mean - mean, moved, atol=1.0)
        self.assertGreater(np.abs(moved).max(), 5.0)
        front.calibrate()
        for _ in range(3):
            front.push(usual)
        self.assertEqual(throat.stretch, 1.0)

    def test_nobody_waits_for_it(self) -> None:
        """A question a frame: what is asked in one is short, and silence asks nothing."""
        model = load_model()
        with mock.patch.object(
            type(model), "score_static", autospec=True, side_effect=type(model).score_static
        ) as asked:
            throat, most = Throat(model), 0
            for power in np.abs(np.random.default_rng(0).normal(1e6, 1e5, (400, 257))).astype(
                np.float32
            ):
                before = asked.call_count
                throat.push(power, True)
                most = max(most, asked.call_count - before)
            self.assertEqual(most, 1)
            self.assertGreater(asked.call_count, 4)
            asked.reset_mock()
            quiet = Throat(model)
            for _ in range(400):
                quiet.push(np.ones(257, np.float32), False)
            self.assertEqual(asked.call_count, 0)


if __name__ == "__main__":
    unittest.main()
