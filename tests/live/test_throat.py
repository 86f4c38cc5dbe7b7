"""A live mouth follows unusual voices, too."""

from __future__ import annotations

import unittest

import numpy as np

from glyphos.live.ear import PART
from glyphos.live.hearing import Hearing
from glyphos.motion.perform import perform
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
        """Asked for of voices: 0.8."""
        self.assertGreater(np.mean([followed(name, 1.3) for name in CLIPS]), 0.8)


if __name__ == "__main__":
    unittest.main()
