"""What is kept on disk because it takes long: found again, never half, never too much, never in the way."""

from __future__ import annotations

import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from glyphos.caches import Shelf, cache_folder
from glyphos.characters.builtin import set_path
from glyphos.characters.drawings import opening
from glyphos.errors import ModelError


class Shelves(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder)}))
        self.made = 0

    def make(self) -> bytes:
        self.made += 1
        return b"made" * 10

    def files(self) -> list[Path]:
        return [p for p in self.folder.rglob("*") if p.is_file()]

    def test_what_was_made_once_is_there_for_the_next_process(self) -> None:
        for _ in range(2):
            self.assertEqual(Shelf("tried", 1000).of(b"source", self.make), b"made" * 10)
        self.assertEqual(self.made, 1)
        Shelf("tried", 1000).of(b"another", self.make)
        Shelf("otherwise", 1000).of(b"source", self.make)
        self.assertEqual(self.made, 3)

    def test_what_is_torn_or_altered_is_made_anew(self) -> None:
        shelf = Shelf("tried", 1000)
        for damage in (lambda b: b[:-20], lambda b: b"x" + b[1:], lambda b: b""):
            shelf.of(b"source", self.make)
            (path,) = self.files()
            path.write_bytes(damage(path.read_bytes()))
            self.made = 0
            self.assertEqual(shelf.of(b"source", self.make), b"made" * 10)
            self.assertEqual(self.made, 1)

    def test_what_is_sealed_is_read_by_who_has_the_source_alone(self) -> None:
        shelf = Shelf("tried", 1000, sealed=True)
        for _ in range(2):
            self.assertEqual(shelf.of(b"source", self.make), b"made" * 10)
        self.assertEqual(self.made, 1)
        (path,) = self.files()
        self.assertNotIn(b"made", path.read_bytes())
        self.assertEqual(path.stat().st_mode & 0o077, 0)

    def test_the_longest_unused_goes(self) -> None:
        shelf = Shelf("tried", 120)  # room for two
        shelf.of(b"a", self.make)
        os.utime(self.files()[0], (1, 1))
        shelf.of(b"b", self.make)
        os.utime(next(p for p in self.files() if p.stat().st_mtime > 1), (2, 2))
        shelf.of(b"a", self.make)  # used again
        shelf.of(b"c", self.make)
        self.made = 0
        shelf.of(b"a", self.make)
        shelf.of(b"c", self.make)
        self.assertEqual((self.made, len(self.files())), (0, 2))

    def test_where_nothing_can_be_kept_it_is_made(self) -> None:
        file = self.folder / "file"
        file.touch()
        with mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(file)}):
            self.assertIsNone(cache_folder())
            self.assertEqual(Shelf("tried", 1000).of(b"source", self.make), b"made" * 10)
        with mock.patch("os.replace", side_effect=OSError(28, "No space left on device")):
            self.assertEqual(Shelf("tried", 1000).of(b"source", self.make), b"made" * 10)
        self.assertEqual(self.files(), [file])

    def test_it_lies_at_home_unless_another_place_is_said(self) -> None:
        for said in ("", "relative/place"):  # which the specification says to ignore
            with mock.patch.dict(os.environ, {"XDG_CACHE_HOME": said, "HOME": str(self.folder)}):
                self.assertEqual(cache_folder(), self.folder / ".cache" / "glyphos")
        homeless = mock.patch.object(Path, "home", side_effect=RuntimeError("no home"))
        with mock.patch.dict(os.environ, {"XDG_CACHE_HOME": ""}), homeless:
            self.assertIsNone(cache_folder())

    def test_vector_drawings_are_drawn_once(self) -> None:
        import resvg_py

        path = set_path("pip") / "mouth-closed.svg"
        opening._open.clear()
        pixels = opening.open_picture(path).pixels.copy()
        opening._open.clear()
        with mock.patch.object(resvg_py, "svg_to_bytes", side_effect=AssertionError):
            again = opening.open_picture(path).pixels
            self.assertTrue((again == pixels).all())
            with self.assertRaisesRegex(ModelError, "cannot be drawn"):  # not in that size
                opening.open_picture(path, drawn=64)


if __name__ == "__main__":
    unittest.main()
