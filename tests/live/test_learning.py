"""A voice that is learnt while it speaks."""

from __future__ import annotations

import threading
import unittest
from unittest import mock

import numpy as np

from glyphos.live.ear import Known
from glyphos.live.face import LiveFace
from glyphos.live.learning import (
    BEFORE,
    FIRST,
    KEPT,
    LATEST,
    MORE,
    PAUSE,
    RETRY,
    Learning,
    can_learn,
    learn_heard,
)
from glyphos.live.speaker import CalibrationError
from glyphos.progress import Progress
from glyphos.speech.recording import open_recording
from tests.labels import DATA
from tests.live.test_lines import KNOWN
from tests.patience import PATIENCE

FRAME = np.ones(160, np.float32)
SOON = round(FIRST * 100)  # frames


class While(unittest.TestCase):
    """Frames in, what is learnt out; who learns is a stand-in."""

    def setUp(self) -> None:
        self.asked: list[int] = []  # frames that it was to learn from
        self.applied: list[Known] = []
        self.go = threading.Event()
        self.go.set()
        self.problem = False
        self.learning = Learning("en", "", self.applied.append, self.learn)

    def learn(self, samples: np.ndarray, language: str, model: str, progress: Progress) -> Known:
        self.asked.append(len(samples) // 160)
        self.go.wait(PATIENCE)
        progress(0.5)
        if self.problem:
            raise CalibrationError("What was said is hardly understood.")
        return KNOWN

    def say(self, spoken: int, still: int = 0) -> None:
        for speaks in [True] * spoken + [False] * still:
            self.learning.push(FRAME, speaks)
        self.learning.wait(PATIENCE)

    def test_it_begins_once_enough_was_said_and_they_pause_and_again_with_more(self) -> None:
        self.say(0, 500)
        self.say(SOON - 1, PAUSE + 5)
        self.assertEqual(self.asked, [])
        self.say(1, PAUSE)
        self.assertEqual((self.asked, self.applied), ([BEFORE + SOON + 2 * PAUSE + 5], [KNOWN]))
        self.say((MORE - 1) * SOON - 1, PAUSE)
        self.assertEqual(len(self.asked), 1)
        self.say(1 + LATEST)  # who never pauses is not waited for
        self.assertEqual(len(self.asked), 2)
        for _ in range(9):
            self.say(1000, 500)
        self.assertEqual(len(self.applied), 3)
        self.assertEqual(self.asked[-1], 6000)  # a minute, the last

    def test_long_pauses_are_left_out(self) -> None:
        self.say(SOON // 2, 3000)
        self.say(SOON, PAUSE)
        self.assertEqual(self.asked, [SOON // 2 + KEPT + SOON + PAUSE])

    def test_what_was_not_understood_is_tried_again_with_more(self) -> None:
        self.problem = True
        self.say(SOON, PAUSE)
        self.problem = False
        self.assertEqual(self.applied, [])
        self.say((RETRY - 1) * SOON - 1, PAUSE)
        self.assertEqual(self.applied, [])
        self.say(1, PAUSE)
        self.assertEqual(self.applied, [KNOWN])

    def test_it_may_end_while_sound_is_taken_in(self) -> None:
        def end(_: object) -> bool:
            self.learning.end()
            return False

        with mock.patch.object(Learning, "_busy", property(end)):
            self.say(SOON, PAUSE)
        self.assertEqual(self.applied, [])
        self.say(SOON, PAUSE)
        self.assertLessEqual(len(self.asked), 1)

    def test_once_it_has_ended_nothing_is_applied(self) -> None:
        self.go.clear()
        for _ in range(SOON):
            self.learning.push(FRAME, True)
        for _ in range(PAUSE):
            self.learning.push(FRAME, False)
        self.learning.end()
        self.go.set()
        self.learning.wait(PATIENCE)
        self.assertEqual((len(self.asked), self.applied), (1, []))
        self.say(5 * SOON, PAUSE)
        self.assertEqual(len(self.asked), 1)


class Heard(unittest.TestCase):
    def test_words_that_are_made_out_tell_when_lips_are_shut(self) -> None:
        """Two sentences of a public-domain reader: of 18 p, b and m (counted by hand in the text) nearly all are there."""
        clips = [open_recording(DATA / f"librivox-{n}.wav").samples for n in ("0870", "0920")]
        known = learn_heard(np.concatenate(clips), "en", "")
        self.assertGreaterEqual(known.closures, 16)

    def test_noise_teaches_nothing(self) -> None:
        noise = np.random.default_rng(0).normal(0, 0.02, 48_000).astype(np.float32)
        with self.assertRaisesRegex(Exception, "No words"):
            learn_heard(noise, "en", "")
        self.assertTrue(can_learn("en-gb"))
        self.assertFalse(can_learn("it"))
        self.assertFalse(can_learn("en", "/nowhere"))  # a preferred model that is gone


class Face(unittest.TestCase):
    def test_a_face_learns_until_its_speaker_is_known_otherwise(self) -> None:
        face = LiveFace(mock.Mock(), [])
        self.addCleanup(face.close)
        face.learn()
        first = face._learning
        first._apply(KNOWN)
        self.assertIs(face._hearing._ear.known, KNOWN)
        self.assertEqual(face.health.learnt, 12)
        face.calibrate()  # somebody else
        self.assertIsNot(face._learning, first)
        self.assertTrue(first._ended.is_set())
        second = face._learning
        face.know(None)
        self.assertTrue(second._ended.is_set())
        self.assertEqual((face._learning, face.health.learnt), (None, 0))
        face.learn("it")  # whose words nobody makes out
        self.assertIsNone(face._learning)


if __name__ == "__main__":
    unittest.main()
