"""What lines of a production tell of a voice, what is kept of it, and learning beside a face that speaks."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import ClassVar
from unittest import mock

import msgspec
import numpy as np
import soundfile

from glyphos.errors import Cancelled
from glyphos.live import keeping
from glyphos.live.beside import beside
from glyphos.live.ear import Ear, Known
from glyphos.live.keeping import packed, unpacked
from glyphos.live.lines import heard_lines, heard_speakers, known_by
from glyphos.live.speaker import SENTENCES, CalibrationError
from glyphos.production.documents import Line
from glyphos.production.production import Production
from glyphos.progress import Progress
from glyphos.speech.saying import say
from tests.live.test_speaker import LINES, said, told

KNOWN = Known(np.linspace(-1, 1, len(Ear().remembered)).astype(np.float32), -0.5, 12)


class Lines(unittest.TestCase):
    """A production whose lines eSpeak NG speaks, with its own times: as sure as lines can be."""

    folder: ClassVar[Path]
    production: ClassVar[Production]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory())) / "show.glyphos"
        empty, lines = Production.create(cls.folder, name="Show"), []
        (cls.folder / "audio").mkdir(exist_ok=True)
        for slug, speaker, text in (("bob", "Ann", SENTENCES["en"]), ("van", " ann", LINES[0]), ("night", "Ben", "Good night."),
                                    ("new", "Cleo", LINES[1]), ("stand-in", "Ann", LINES[2])):  # fmt: skip
            samples, _ = said(text)
            soundfile.write(cls.folder / "audio" / f"{slug}.wav", samples, 16_000)
            lines.append(Line(slug, f"audio/{slug}.wav", speaker, text, reading=say(text).reading, duration=len(samples) / 16_000))  # fmt: skip
        lines[3] = msgspec.structs.replace(lines[3], reading=None)
        lines[4] = msgspec.structs.replace(lines[4], placeholder="espeak")
        cls.production = empty.changed(empty.added(lines))

    def test_lines_that_somebody_said_and_that_were_listened_to_are_theirs(self) -> None:
        self.assertEqual(sorted(n.casefold() for n in heard_speakers(self.production)), ["ann", "ben"])  # fmt: skip
        self.assertEqual([x.slug for x, _ in heard_lines(self.production, "ANN ")], ["bob", "van"])
        with self.assertRaisesRegex(CalibrationError, "No line of Cleo .* lines of .*Ben"):
            heard_lines(self.production, "Cleo")

    def test_they_tell_what_a_sentence_does(self) -> None:
        lines = heard_lines(self.production, "Ann")
        known = known_by(lines, "Ann")
        read = told()
        more = sum(p in ("p", "b", "m") for p, _, _ in said(LINES[0])[1])
        self.assertEqual(known.closures, read.closures + more)
        self.assertGreater(np.corrcoef(known.weights, read.weights)[0, 1], 0.7)
        with mock.patch("glyphos.live.lines.known_from", side_effect=AssertionError):
            np.testing.assert_array_equal(known_by(lines, "Ann").weights, known.weights)
        moved = [(x, audio.with_name("gone.wav") if x.slug == "van" else audio) for x, audio in lines]  # fmt: skip
        self.assertEqual(known_by(moved, "Ann").closures, read.closures)

    def test_who_says_too_little_or_is_hardly_understood_is_not_known(self) -> None:
        with self.assertRaisesRegex(CalibrationError, "of Ben .* shut 0 times, too few"):
            known_by(heard_lines(self.production, "Ben"), "Ben")
        (line, audio), _ = heard_lines(self.production, "Ann")
        phrases = [
            msgspec.structs.replace(
                p, words=tuple(msgspec.structs.replace(w, confidence=0.5) for w in p.words)
            )
            for p in line.reading.phrases
        ]
        doubted = msgspec.structs.replace(
            line, reading=msgspec.structs.replace(line.reading, phrases=tuple(phrases))
        )
        with self.assertRaisesRegex(CalibrationError, "shut 0 times"):
            known_by([(doubted, audio)], "Ann")
        sure = msgspec.structs.replace(doubted, confirmed=True)
        self.assertGreater(known_by([(sure, audio)], "Ann").closures, 10)


class Kept(unittest.TestCase):
    def test_what_is_known_comes_back_for_the_same_ears_alone(self) -> None:
        found = unpacked(packed(KNOWN))
        assert found is not None
        np.testing.assert_array_equal(found.weights, KNOWN.weights)
        self.assertEqual((found.more, found.closures), (KNOWN.more, KNOWN.closures))
        broken = Known(np.full(len(KNOWN.weights), np.nan, np.float32), 0.0, 9)
        for data in (b"", b"{}", packed(KNOWN)[:-3], packed(broken)):
            self.assertIsNone(unpacked(data))
        data = packed(KNOWN)
        with mock.patch.object(keeping, "ears", lambda: b"others"):
            self.assertIsNone(unpacked(data))


def learnt(more: float, progress: Progress) -> Known:
    progress(0.5)
    if more < 0:
        raise CalibrationError("Too little was said.")
    if more > 1:
        while True:
            progress(0.75)
    return Known(KNOWN.weights, more, 7)


class Beside(unittest.TestCase):
    def test_it_tells_what_was_learnt_or_why_nothing_was_and_may_be_stopped(self) -> None:
        self.assertEqual(beside(learnt, 0.5).more, 0.5)
        with self.assertRaisesRegex(CalibrationError, "^Too little was said.$"):
            beside(learnt, -1.0)
        shares: list[float] = []

        def stop(share: float) -> None:
            shares.append(share)
            if share == 0.75:
                raise Cancelled("Stopped.")

        with self.assertRaises(Cancelled):
            beside(learnt, 2.0, progress=stop)
        self.assertEqual(shares[-1], 0.75)


if __name__ == "__main__":
    unittest.main()
