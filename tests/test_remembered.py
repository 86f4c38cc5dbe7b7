"""What is kept of sounds, and what a recording that is listened to again costs."""

from __future__ import annotations

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from glyphos.remembered import Remembered
from glyphos.speech import hearing
from glyphos.speech.recording import open_recording

from .labels import DATA

SOUNDS = np.arange(12, dtype=np.float32).reshape(4, 3)


class Keeping(unittest.TestCase):
    def test_the_longest_unasked_goes_and_what_is_too_large_never_comes(self) -> None:
        kept = Remembered[list[int]](3, len)
        made = [kept.of(s, lambda k=k: [k]) for k, s in enumerate(SOUNDS[:3])]  # type: ignore[misc]
        self.assertIs(kept.of(SOUNDS[0], list), made[0])
        kept.of(SOUNDS[3], lambda: [3])
        self.assertIs(kept.of(SOUNDS[0], list), made[0])
        self.assertEqual(kept.of(SOUNDS[1], lambda: [9]), [9])
        large = kept.of(SOUNDS[2], lambda: [0] * 4, "large")
        self.assertIsNot(kept.of(SOUNDS[2], lambda: [0] * 4, "large"), large)
        self.assertIs(kept.of(SOUNDS[0], list), made[0])

    def test_what_failed_is_tried_again(self) -> None:
        kept = Remembered[int](3)
        with self.assertRaises(ZeroDivisionError):
            kept.of(SOUNDS[0], lambda: 1 // 0)
        self.assertEqual(kept.of(SOUNDS[0], lambda: 5), 5)

    def test_another_kind_of_number_or_another_wish_is_another_sound(self) -> None:
        kept = Remembered[int](9)
        bits = SOUNDS[0].view(np.int32).view(np.float32)
        self.assertEqual(kept.of(bits, lambda: 1), 1)
        self.assertEqual(kept.of(np.frombuffer(bits.tobytes() * 2, np.float64), lambda: 2), 2)
        self.assertEqual(kept.of(bits, lambda: 3, "wish"), 3)
        self.assertEqual(kept.of(bits.copy(), lambda: 4), 1)
        kept.forget()
        self.assertEqual(kept.of(bits, lambda: 4), 4)


class Listening(unittest.TestCase):
    def test_a_recording_is_scored_once_and_one_that_was_altered_anew(self) -> None:
        recording = open_recording(DATA / "slt_hts-001.flac")
        hearing._kept.forget()
        with mock.patch.object(hearing, "score", side_effect=hearing.score) as scored:
            first = hearing.hear(recording)
            self.assertIs(hearing.hear(replace(recording, samples=recording.samples.copy())), first)
            self.assertEqual(scored.call_count, 1)
            with self.assertRaises(ValueError):
                first.table[0, 0] = 0
            other = recording.samples.copy()
            other[8000] += 0.01
            self.assertIsNot(hearing.hear(replace(recording, samples=other)), first)

    def test_what_was_cancelled_leaves_nothing_behind(self) -> None:
        recording = open_recording(DATA / "slt_hts-001.flac")
        hearing._kept.forget()

        def stop(_: float) -> None:
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            hearing.hear(recording, progress=stop)
        self.assertEqual(len(hearing.hear(recording).table), recording.samples.size // 160 + 1)
