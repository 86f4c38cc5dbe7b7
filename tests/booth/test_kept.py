"""What was spoken into a live face: takes that wait become lines, one that cannot be read stays."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from glyphos.booth.kept import LIVE, left, lines_of, settle
from glyphos.booth.takes import PLACE, TakeWriter, takes_of
from glyphos.production.documents import slugify
from glyphos.production.store import Store


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "p.glyphos"
        self.store = Store.create(self.folder, name="P")
        self.addCleanup(self.store.close)

    def speak(self, seconds: float = 1.0) -> Path:
        writer = TakeWriter(self.folder, LIVE)
        writer.write(
            0.1
            * np.random.default_rng(0).standard_normal(round(48_000 * seconds)).astype(np.float32)
        )
        take = writer.close()
        assert take is not None
        return take.path

    def test_an_hour_that_waits_is_not_read_to_be_counted(self) -> None:
        path = self.speak()
        with mock.patch("soundfile.read", side_effect=AssertionError("it is read")):
            self.assertEqual(left(self.folder), [path])
            self.assertNotEqual(self.speak(), path)  # and its number is the next
            settle(self.folder, "spoken", path)
        self.assertAlmostEqual(takes_of(self.folder, "spoken")[0].seconds, 1.0, delta=0.01)
        TakeWriter(self.folder, LIVE)._file.close()  # killed before there was anything
        self.assertEqual(len(left(self.folder)), 1)

    def test_its_place_is_no_line_s_own(self) -> None:
        self.assertNotEqual(slugify(LIVE, ()), LIVE)

    def test_takes_become_lines_and_belong_to_them(self) -> None:
        one, two = self.speak(), self.speak(2.0)
        self.assertEqual(left(self.folder), [one, two])
        self.assertEqual(left(self.folder, running=two), [one])
        made = lines_of(self.store.production, [one, two])
        self.assertEqual([x.slug for x in made.lines], ["spoken", "spoken-2"])
        self.assertAlmostEqual(made.lines[1].duration, 2.0, delta=0.01)
        self.store.keep(self.store.production.added(made.lines))
        for line, path in zip(made.lines, made.takes, strict=True):
            settle(self.folder, line.slug, path)
            self.assertEqual(len(takes_of(self.folder, line.slug)), 1)
            self.assertTrue((self.folder / line.audio).exists())
        self.assertEqual(left(self.folder), [])

    def test_one_that_cannot_be_read_stays_and_the_others_become_lines(self) -> None:
        one, two = self.speak(), self.speak()
        one.write_bytes(b"no sound at all")
        made = lines_of(self.store.production, [one, two])
        self.assertEqual(made.takes, (two,))
        self.assertEqual(len(made.refused), 1)
        settle(self.folder, made.lines[0].slug, two)
        self.assertTrue(one.exists())
        (self.folder / PLACE / "spoken-9").write_text("a file where a folder should be")
        settle(self.folder, "spoken-9", one)  # it stays and is offered again
        self.assertTrue(one.exists())


if __name__ == "__main__":
    unittest.main()
