"""Sounds that are called or drawn out are found as long as they are, by the synthesisers' own times."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from glyphos.speech import frontend, held
from glyphos.speech.listen import listen
from tests.labels import DATA, synthesiser_labels

VOICES = ("kal_diphone", "slt_hts", "flite_awb", "flite_rms")


def drawn_out(
    samples: NDArray[np.float32], middle: int, size: int, more: int
) -> NDArray[np.float32]:
    """The samples with the stretch around `middle` said over and over, each time faded into the next."""
    half = size // 2
    piece, fade = samples[middle - half : middle + half], np.linspace(0, 1, half, dtype=np.float32)
    made = [samples[:middle]]
    for _ in range(max(1, more // half)):
        made.append(piece[half:] * (1 - fade) + piece[:half] * fade)
    return np.concatenate([*made, samples[middle:]])


def called(folder: Path, voice: str, seconds: float) -> tuple[Path, float]:
    """“blue map”, cut out of a sentence, its first vowel held so much longer: a file, and when /m/ begins in it by the
    synthesiser's own times."""
    samples, rate = soundfile.read(DATA / f"{voice}-001.flac", dtype="float32")
    labels = synthesiser_labels(DATA / f"{voice}-001.lab", "en")
    at = next(i for i, (_, name) in enumerate(labels) if name == "UW")
    begin, vowel, m, end = (labels[at + k][0] for k in (-2, 0, 1, 4))
    first, last = int(begin * rate), int(end * rate)
    middle = int((0.6 * vowel + 0.4 * m) * rate) - first
    long = drawn_out(samples[first:last], middle, int(0.08 * rate), int(seconds * rate))
    quiet = np.zeros(int(0.3 * rate), np.float32)
    path = folder / f"{voice}.wav"
    soundfile.write(path, np.concatenate([quiet, long, quiet]), rate)
    return path, 0.3 + m - begin + (len(long) - (last - first)) / rate


class Held(unittest.TestCase):
    def test_a_vowel_that_is_drawn_out_lasts_as_long_as_it_sounds(self) -> None:
        # Source: segment times written by Debian's festival and flite voices.
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for voice in VOICES:
            path, m = called(folder, voice, 1.2)
            reading = listen(path, "Blue map")
            blue, mapped = reading.words()
            with self.subTest(voice):
                self.assertAlmostEqual(mapped.start, m, delta=0.04)
                self.assertAlmostEqual(blue.phones[2].end, m, delta=0.25)  # it dies away before /m/
                self.assertGreater(blue.phones[2].end - blue.phones[2].start, 1.2)
                self.assertEqual(reading.unread, ())

    def test_what_is_as_long_as_in_talk_is_not_held(self) -> None:
        samples, _ = soundfile.read(DATA / "librivox-0870.wav", dtype="float32")
        found = held.heard(frontend.cepstra(samples))
        self.assertLess(found.held.mean(), 0.2)
        self.assertGreater(found.speech.mean(), 0.4)


if __name__ == "__main__":
    unittest.main()
