"""No sentence fails: varied sentences in synthetic voices of several languages, as said and
with mistakes in their scripts."""

from __future__ import annotations

import random
import unittest
from pathlib import Path

import numpy as np
import soxr

from glyphos.speech.espeak import speak
from glyphos.speech.hearing import hear
from glyphos.speech.listen import listen_to
from glyphos.speech.reading import Reading
from glyphos.speech.recording import Recording
from tests.examples import FUZZ
from tests.speech.test_edits import in_order

SETS = Path(__file__).parents[2] / "tools" / "sets"


def said(text: str, language: str) -> Recording:
    """`text` in the placeholder voice, with silence around it."""
    spoken = speak(text, language=language, speed=150)
    quiet = np.zeros(spoken.rate // 4, np.float32)
    samples = np.concatenate([quiet, spoken.samples, quiet])
    mono = np.asarray(soxr.resample(samples, spoken.rate, 16_000), np.float32)
    return Recording(Path("said.wav"), mono, spoken.rate, 1, len(mono) / 16_000, 0.5)


class Many(unittest.TestCase):
    def check(self, r: Reading, words: int) -> None:
        self.assertEqual(sum(1 for _ in r.words()), words)
        self.assertTrue(in_order(r))
        self.assertTrue(all(0 <= w.confidence <= 1 for w in r.words()))

    def test_every_sentence_of_the_sets_is_aligned_with_and_without_mistakes(self) -> None:
        """60 English and 25 Italian sentences, each as said, with a word missing, one exchanged,
        one too many: 340 alignments, none of which may fail. Every twelfth of them, but in `make fuzz`."""
        rng = random.Random(11)
        done = 0
        for language in ("english", "italian"):
            code = language[:2]
            texts = (SETS / f"{language}.txt").read_text(encoding="utf-8").splitlines()
            for text in texts if FUZZ else texts[::12]:
                recording = said(text, code)
                evidence = hear(recording)
                words = text.split()
                at = rng.randrange(len(words))
                versions = [
                    words, [*words[:at], *words[at + 1 :]],
                    [*words[:at], "window", *words[at + 1 :]], [*words[:at], "window", *words[at:]],
                ]  # fmt: skip
                for version in versions:
                    if not version:
                        continue
                    r = listen_to(
                        recording, evidence, " ".join(version), language=code, check=False
                    )
                    self.assertGreater(sum(1 for _ in r.words()), 0)
                    self.assertTrue(in_order(r), text)
                    done += 1
        self.assertGreaterEqual(done, 300 if FUZZ else 25)

    def test_the_clearly_wrong_word_is_the_least_sure(self) -> None:
        """In most sentences a word exchanged for another one stands out as the least sure."""
        rng = random.Random(3)
        worst = total = 0
        for text in (
            (SETS / "english.txt").read_text(encoding="utf-8").splitlines()[: 16 if FUZZ else 10]
        ):
            words = text.split()
            at = rng.randrange(1, len(words) - 1)
            if len(words[at]) < 4:
                continue
            wrong = [*words[:at], "fisherman", *words[at + 1 :]]
            recording = said(text, "en")
            r = listen_to(recording, hear(recording), " ".join(wrong), check=False)
            sure = {k: w.confidence for k, w in enumerate(r.words())}
            order = sorted(sure, key=lambda k: sure[k])
            texts = [w.text for w in r.words()]
            worst += texts.index("fisherman") in order[:2]
            total += 1
        self.assertGreaterEqual(worst / total, 0.8)
