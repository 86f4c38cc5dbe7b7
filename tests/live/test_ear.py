"""The ear that knows many people: its bands, its layers, and that it may be fed as one likes."""

from __future__ import annotations

import unittest
from importlib.resources.abc import Traversable
from pathlib import Path
from unittest import mock

import numpy as np
from faster_whisper.feature_extractor import FeatureExtractor

from glyphos.live import ear as whole
from glyphos.live import keeping
from glyphos.live.ear import AHEAD, BACK, BANDS, HEADS, Answer, Bands, Ear, Known, mel_filters
from glyphos.speech.recording import open_recording

DATA = Path(__file__).parents[1] / "data"


def spoken(name: str = "slt_hts-001.flac") -> np.ndarray:
    return np.asarray(open_recording(DATA / name).samples, np.float32)


def values_of(answers: list[Answer]) -> np.ndarray:
    return np.array([[*a.values, a.shut, a.speech] for a in answers])


class Hears(unittest.TestCase):
    def test_its_bands_are_those_that_the_recogniser_learned_with(self) -> None:
        """Beside the feature extractor of the faster-whisper package."""
        other = FeatureExtractor()
        np.testing.assert_allclose(mel_filters(), other.mel_filters.T, atol=1e-6)
        sound = spoken()[: 160 * 200]
        with mock.patch.object(whole, "FALL", 0.0):
            ours = Bands().push(sound)
        shifted = np.concatenate(
            [np.zeros(whole.EARLY, np.float32), sound]
        )  # ours come that much earlier
        theirs = other(shifted).T[: len(ours)]
        level = (ours - theirs)[100:]  # beneath a peak that falls slowly
        loud = theirs[100:] > theirs.max() - 1.5
        self.assertLess(np.ptp(level[loud]), 0.02)

    def test_however_it_is_fed_it_answers_alike_and_in_time(self) -> None:
        sound, draw = spoken()[:24_000], np.random.default_rng(3)
        at_once = values_of(Ear().push(sound))
        self.assertEqual(len(at_once), len(sound) // 160 - AHEAD)
        ear, answers, at = Ear(), list[Answer](), 0
        while at < len(sound):
            size = int(draw.choice([1, 37, 160, 161, 512, 4000]))
            answers += ear.push(sound[at : at + size])
            at += size
            due = min(at, len(sound)) // 160 - AHEAD
            self.assertIn(len(answers) - max(0, due), (0, 1))
        np.testing.assert_allclose(values_of(answers), at_once, atol=2e-3)
        self.assertEqual(ear.push(np.zeros(0, np.float32)), [])

    def test_its_layers_are_attention_that_looks_back(self) -> None:
        """Row by row as "Attention Is All You Need" (Vaswani et al. 2017) writes it, normalised before, from memory."""
        back = 7
        with mock.patch.object(whole, "BACK", back):
            layer = whole._Looking(whole._weights(), "second.")
            x = np.random.default_rng(4).normal(0, 1, (20, 384)).astype(np.float32)
            got = np.concatenate(
                [layer.push(x[:1]), layer.push(x[1:12]), layer.push(x[12:13]), layer.push(x[13:])]
            )
        w = {
            k.removeprefix("second."): v.astype(float)
            for k, v in whole._weights().items()
            if k.startswith("second.")
        }

        def normal(row: np.ndarray, name: str) -> np.ndarray:
            return (row - row.mean()) / np.sqrt(row.var() + 1e-5) * w[f"{name}_g"] + w[f"{name}_b"]

        asked = np.array(
            [normal(row, "before") @ w["ask_w"] + w["ask_b"] for row in x.astype(float)]
        )
        query, key, value = (
            asked[:, k * 384 : (k + 1) * 384].reshape(20, HEADS, 64) for k in range(3)
        )
        for t in range(20):
            near = range(max(0, t - back + 1), t + 1)
            seen = []
            for h in range(HEADS):
                odds = np.exp([query[t, h] @ key[s, h] / 8 for s in near])
                seen.append(
                    sum(o * value[s, h] for o, s in zip(odds / odds.sum(), near, strict=True))
                )
            row = x[t] + np.concatenate(seen) @ w["own_w"] + w["own_b"]
            up = normal(row, "then") @ w["up_w"] + w["up_b"]
            bent = 0.5 * up * (1 + np.tanh(np.sqrt(2 / np.pi) * (up + 0.044715 * up**3)))
            np.testing.assert_allclose(got[t], row + bent @ w["down_w"] + w["down_b"], atol=2e-3)

    def test_nothing_grows_and_a_place_comes_again_after_half_a_minute(self) -> None:
        ear, sound = Ear(), np.resize(spoken(), 16_000 * 33)
        made = values_of(ear.push(sound))
        self.assertTrue(np.isfinite(made).all())
        self.assertGreater(ear._at, 1500)
        self.assertEqual(ear._looking[0]._keys.shape[1], BACK - 1)
        self.assertLess(len(ear._bands._buffer), 400)
        self.assertEqual(ear._mel.shape[1], BANDS)
        parted = made[:, 1]
        self.assertGreater(
            parted[3100:].std(), 0.5 * parted[1000:2000].std()
        )  # it goes on listening

    def test_the_same_is_heard_of_a_voice_that_is_far_away(self) -> None:
        near, far = (values_of(Ear().push(k * spoken()))[60:] for k in (1.0, 0.2))
        for channel in (0, 1, 11):
            self.assertGreater(np.corrcoef(near[:, channel], far[:, channel])[0, 1], 0.97)
        self.assertLess(np.abs(near[:, 1] - far[:, 1]).mean(), 0.01)

    def test_each_frame_has_its_place(self) -> None:
        plain, other = Ear(), Ear()
        places = other._w["places"].copy()
        places[5, ::2] += 1  # a layer does not see what is the same in all
        other._w = {**other._w, "places": places}
        one, two = (values_of(e.push(spoken()[:8000])) for e in (plain, other))
        np.testing.assert_array_equal(one[:9], two[:9])
        self.assertGreater(np.abs(one[9] - two[9]).max(), 1e-4)


class Knows(unittest.TestCase):
    def test_a_speaker_is_known_by_what_it_remembers(self) -> None:
        ear, plain = Ear(), Ear()
        draw = np.random.default_rng(5)
        ear.known = Known(draw.normal(0, 1, len(ear.remembered)).astype(np.float32), 0.5, 9)
        for one, other in zip(ear.push(spoken()), plain.push(spoken()), strict=True):
            more = float(other.remembered @ ear.known.weights) + 0.5
            self.assertAlmostEqual(one.shut, other.shut + more, places=3)
            np.testing.assert_array_equal(one.values, other.values)

    def test_what_is_known_of_a_voice_goes_with_the_ears_it_was_learnt_by(self) -> None:
        known = keeping.packed(Known(np.ones(4, np.float32), 0.5, 9))
        self.assertIsNotNone(keeping.unpacked(known))
        live = keeping.files("glyphos.data") / "live"
        self.addCleanup(keeping.ears.cache_clear)
        for name in (f"ear-{part}.npz" for part in whole.PARTS):
            keeping.ears.cache_clear()
            with mock.patch.object(keeping, "files", lambda _, n=name: _Root(_Another(live, n))):
                self.assertIsNone(keeping.unpacked(known), name)


class _Root:
    def __init__(self, live: _Another) -> None:
        self._live = live

    def __truediv__(self, name: str) -> _Another:
        return self._live


class _Another:
    """The folder of ears with one file that says something else."""

    def __init__(self, folder: Traversable, name: str) -> None:
        self._folder, self._name = folder, name

    def __truediv__(self, name: str) -> object:
        other = mock.Mock(read_bytes=lambda: b"other")
        return other if name == self._name else self._folder / name


if __name__ == "__main__":
    unittest.main()
