"""The acoustic model and the front end, against the library whose model it is."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
import pocketsphinx
import soundfile
from scipy.special import logsumexp
from scipy.stats import norm

from glyphos.speech import acoustic, frontend, ipa, phones
from glyphos.speech.align import Evidence, align, fill_last_column
from glyphos.speech.hearing import DITHERED, LEVEL, Conditioned
from tests.labels import DATA


class FrontEnd(unittest.TestCase):
    def test_what_is_heard_of_a_stretch_is_the_same_as_of_the_whole(self) -> None:
        samples = np.random.default_rng(1).normal(0, 0.1, 2 * DITHERED + 777).astype(np.float32)
        heard = Conditioned(samples)
        whole = heard[: len(samples)]
        self.assertAlmostEqual(float(np.abs(whole).max()), LEVEL, places=3)
        self.assertGreater(np.abs(np.diff(Conditioned(0 * samples[:900])[:900])).min(), 0)
        for first, end in ((0, 10), (DITHERED - 7, DITHERED + 9), (5, 2 * DITHERED + 3), (2 * DITHERED, len(samples))):  # fmt: skip
            np.testing.assert_array_equal(heard[first:end], whole[first:end])

    def test_cepstra_equal_the_librarys(self) -> None:
        # Source: cepstra that the pocketsphinx library itself writes (`mfclogdir`), noise removal off.
        samples, rate = soundfile.read(DATA / "librivox-0930.wav", dtype="int16")
        self.assertEqual(rate, 16000)
        with tempfile.TemporaryDirectory() as folder:
            model = Path(folder) / "model"
            shutil.copytree(Path(pocketsphinx.get_model_path("en-us/en-us")), model)
            kept = (
                (model / "feat.params").read_text().replace("-remove_noise yes", "-remove_noise no")
            )
            (model / "feat.params").write_text(kept)
            decoder = pocketsphinx.Decoder(
                hmm=str(model), mfclogdir=folder, loglevel="FATAL", lm=None, dither=False
            )
            decoder.add_keyphrase("k", "hello")
            decoder.activate_search("k")
            decoder.start_utt()
            decoder.process_raw(samples.tobytes(), full_utt=True)
            decoder.end_utt()
            data = next(iter(Path(folder).glob("*.mfc"))).read_bytes()
        theirs = np.frombuffer(data[4:], ">f4").reshape(-1, frontend.CEPSTRA)
        # Their first window begins at sample 0; ours is centred on it.
        moved = samples[frontend.WINDOW // 2 :].astype(np.float32) / 32768
        ours = frontend.cepstra(moved)[: len(theirs)]
        inner = slice(5, min(len(ours), len(theirs)) - 5)
        difference = np.abs(ours[inner] - theirs[inner])
        self.assertLess(np.median(difference), 0.02)


class Model(unittest.TestCase):
    def test_weights_are_nearly_probabilities(self) -> None:
        model = acoustic.load_model()
        self.assertEqual(len(model.phones), 42)
        for weights in model.weights:
            self.assertTrue(np.all(np.abs(weights.sum(axis=1) - 0.96) < 0.06))

    def test_transitions_are_probabilities(self) -> None:
        model = acoustic.load_model()
        total = np.exp(model.stay) + np.exp(model.leave)
        self.assertTrue(np.all((total > 0.5) & (total < 1.0001)))

    def test_scores_are_the_mixtures_of_a_statistics_library(self) -> None:
        """Of few frames and of many; the library: SciPy."""
        model, random = acoustic.load_model(), np.random.default_rng(1)
        streams = tuple(random.normal(0, 2, (9, 13)).astype(np.float32) for _ in range(3))
        wanted = np.zeros((9, 42, 3))
        for x, linear, weights in zip(streams, model.linear, model.weights, strict=True):
            by_mean, by_square, _ = np.split(linear.astype(float), [13, 26])
            var = -0.5 / by_square
            density = norm.logpdf(x[:, :, None], by_mean * var, np.sqrt(var)).sum(1)
            shares = np.log(weights.astype(float))
            wanted += logsumexp(density.reshape(9, 42, 128, 1) + shares, axis=2)
        for n in (1, 9):
            scores = model.score((streams[0][:n], streams[1][:n], streams[2][:n]))
            np.testing.assert_allclose(scores, wanted[:n].reshape(n, 126), atol=2e-3)


class Alignment(unittest.TestCase):
    def test_a_made_up_path_is_found_exactly(self) -> None:
        """Scores that name one state a frame leave the aligner no choice."""
        model = acoustic.load_model()
        order = [("SIL", 12), ("M", 9), ("AA", 15), ("SIL", 20), ("P", 9), ("IY", 18), ("SIL", 10)]
        rows = []
        for name, length in order:
            for k in range(length):
                rows.append(model.index(name) * 3 + min(2, 3 * k // length))
        scores = np.full((len(rows), 126), -30.0, np.float32)
        scores[np.arange(len(rows)), rows] = 0.0
        words = [[phones.from_dictionary(["M", "AA1"])], [phones.from_dictionary(["P", "IY1"])]]
        table = np.concatenate([scores, scores[:, :1]], axis=1)
        fill_last_column(model, table)
        made = align(Evidence(model, table), words)
        starts = [s.start for w in made.words for s in w.sounds]
        np.testing.assert_allclose(starts, np.array([11.5, 20.5, 55.5, 64.5]) / 100, atol=0.004)
        self.assertEqual(made.unread, ())


class Phones(unittest.TestCase):
    def test_every_letter_of_the_chart_has_a_stand_in(self) -> None:
        known = set(acoustic.load_model().phones)
        for letter in ipa.letters():
            with self.subTest(letter):
                self.assertTrue(phones.nearest(letter))
                self.assertLessEqual(set(phones.nearest(letter)), known - {"SIL"})

    def test_dictionary_spelling_survives_the_way_to_ipa_and_back(self) -> None:
        for word in ("M EY1 B AH0 L", "JH AH1 JH", "TH IH1 NG K ER0", "OY1 L"):
            self.assertEqual(phones.to_dictionary(phones.from_dictionary(word.split())), word)

    def test_doubled_consonants_are_long_ones(self) -> None:
        self.assertEqual([u.ipa for u in phones.from_ipa("p_ˈa_ss_a")], ["p", "a", "sː", "a"])
