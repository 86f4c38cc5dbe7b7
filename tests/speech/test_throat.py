"""Children and giants: voices with another length of throat are found as well as others.

Source of the times: the synthesisers' own labels; played quicker or slower, formants and labels move alike.
"""

from __future__ import annotations

import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
import soxr

from glyphos.speech import frontend, hearing, held, throat
from glyphos.speech.acoustic import load_model
from glyphos.speech.hearing import Conditioned
from glyphos.speech.listen import listen
from glyphos.speech.recording import Recording
from tests.examples import FUZZ
from tests.labels import DATA, errors, found, synthesiser_labels

CLIPS = [f"{v}-{n}" for v in ("kal_diphone", "flite_awb", "flite_rms") for n in ("001", "004")]


def played(name: str, slower: float) -> Recording:
    """A clip played slower and lower by a factor."""
    samples, rate = soundfile.read(DATA / f"{name}.flac", dtype="float32")
    made = np.asarray(soxr.resample(samples, rate, 16_000 * slower), np.float32)
    return Recording(Path(f"{name}.wav"), made, rate, 1, len(made) / 16_000, float(np.abs(made).max()))  # fmt: skip


def stretch(recording: Recording) -> float:
    signal = Conditioned(recording.samples)
    return throat.stretch_of(load_model(), signal, held.heard(frontend.cepstra(signal)))


class Throats(unittest.TestCase):
    def listened(self, slower: float) -> tuple[float, float]:
        """Mean error of starts, seconds of the clip as it was, and the share of words that are doubtful."""
        every: list[float] = []
        doubtful: list[bool] = []
        for name in CLIPS if FUZZ else CLIPS[::2]:
            reading = listen(played(name, slower), (DATA / f"{name}.txt").read_text())
            labels = synthesiser_labels(DATA / f"{name}.lab", "en")
            every += errors(found(reading, "en"), [(t * slower, label) for t, label in labels])
            doubtful += [w.doubtful for w in reading.words()]
        return float(np.mean(np.abs(every))) / slower, float(np.mean(doubtful))

    def test_a_child_and_a_giant_are_understood(self) -> None:
        for slower, most in ((1 / 1.5, 0.0135), (1.3, 0.0105)):
            with self.subTest(slower):
                error, doubtful = self.listened(slower)
                self.assertLess(error, most)
                self.assertLess(doubtful, 0.05)
                hearing._kept.forget()
                self.addCleanup(hearing._kept.forget)
                with mock.patch.object(hearing, "stretch_of", return_value=1.0):
                    self.assertGreater(self.listened(slower)[1], 0.3)  # what it is good for

    def test_it_is_the_throat_that_is_found(self) -> None:
        for name in CLIPS[::2]:
            usual = stretch(played(name, 1.0))
            self.assertLess(abs(np.log(usual)), 0.16)
            self.assertGreater(stretch(played(name, 1 / 1.5)), 1.2)
            self.assertLess(stretch(played(name, 1.3)), 0.9)

    def test_frames_that_are_asked_are_those_of_the_whole(self) -> None:
        sound = np.random.default_rng(0).normal(0, 0.1, 40_000).astype(np.float32)
        whole = frontend.power_spectra(sound, 0, frontend.frame_count(len(sound)))
        for asked in (
            np.arange(0, 250, 3),
            np.array([0, 120, 250]),
        ):  # close, and far from each other
            np.testing.assert_array_equal(frontend.power_at(sound, asked), whole[asked])

    def test_stretched_filters_cover_what_the_others_do(self) -> None:
        for by in (*throat.SHORTER, *throat.LONGER):
            filters = frontend.mel_filters(by)
            self.assertTrue((filters.sum(axis=0) > 0).all(), by)
            top = np.flatnonzero(filters.any(axis=1)).max()
            self.assertAlmostEqual(top * frontend.RATE / frontend.NFFT, frontend.HIGH_HZ, delta=60)


if __name__ == "__main__":
    unittest.main()
