"""Productions on disk."""

from __future__ import annotations

import json
import os
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import msgspec

from glyphos.errors import DocumentError, SaveError
from glyphos.files import write_atomic
from glyphos.production.demo import copy_demo
from glyphos.production.documents import Line, slugify
from glyphos.production.kinds import HEAD
from glyphos.production.production import Production
from glyphos.production.store import Store


class Demo(unittest.TestCase):
    def test_copies_of_days_before_go_unless_somebody_changed_or_opened_them(self) -> None:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.enterContext(mock.patch("tempfile.tempdir", folder))
        seen, changed, opened, fresh = (copy_demo() for _ in range(4))
        Store.open(seen).close()  # looked at, no more
        store = Store.open(changed)
        store.keep({HEAD: msgspec.structs.replace(store.production.header, name="Mine")})
        store.close()
        store = Store.open(opened)
        self.addCleanup(store.close)
        for copy in (seen, changed, opened):
            days = time.time() - 200_000
            os.utime(copy.parent, (days, days))
        copy_demo()
        self.assertEqual(
            [p.exists() for p in (seen, changed, opened, fresh)], [False, True, True, True]
        )


class Documents(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_what_is_saved_is_read_again(self) -> None:
        production = Production.create(self.folder / "a", name="A", fps="23.976")
        production = production.changed(
            production.added([Line("one", "audio/one.wav", "Pip", "Beep.")])
        )
        production.save()
        again = Production.open(self.folder / "a")
        self.assertEqual(again.lines, production.lines)
        self.assertEqual(again.header.fps, "23.976")
        self.assertEqual(
            list(json.loads((self.folder / "a/lines/one.json").read_text()))[:2],
            ["format", "version"],
        )

    def test_newer_and_damaged_documents_are_told_and_left_alone(self) -> None:
        folder = copy_demo(self.folder / "demo")
        for text, expected in (
            ('{"version": 9}', "newer"),
            ("{", "damaged"),
            ('{"version": 1}', "damaged"),
        ):
            (folder / "production.json").write_text(text)
            with self.assertRaisesRegex(DocumentError, expected):
                Production.open(folder)
            self.assertEqual((folder / "production.json").read_text(), text)

    def test_the_demo_is_complete(self) -> None:
        production = Production.open(copy_demo(self.folder / "demo"))
        self.assertGreaterEqual(len(production.lines), 6)
        self.assertEqual({x.speaker for x in production.lines}, {"Mabel", "Osric", "Pip"})
        self.assertGreater(max(x.duration for x in production.lines), 120)
        self.assertIsNotNone(production.lines[0].reading)
        self.assertTrue(all(production.audio_path(x).is_file() for x in production.lines))

    def test_a_failed_write_leaves_the_old_file_and_no_crumbs(self) -> None:
        target = self.folder / "target"
        target.mkdir()
        with self.assertRaises(SaveError):
            write_atomic(target, b"x")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["target"])
        with self.assertRaisesRegex(SaveError, "not empty"):
            Production.create(self.folder, name="B")

    def test_names_of_files_are_plain_and_unlike(self) -> None:
        self.assertEqual(slugify("Où est l'étoile?", set()), "ou-est-l-etoile")
        self.assertEqual(slugify("a", {"a", "a-2"}), "a-3")


class Titles(unittest.TestCase):
    def test_a_line_is_called_by_its_first_words_that_are_said(self) -> None:
        for script, title in (
            ("(INT. ATTIC (NIGHT))\n\n[M01]\nMABEL:\n(low) Look up.\nNow.", "(low) Look up."),
            ("OSRIC (low): Not me.", "Not me."), ("Remember: look.\nNow.", "Remember: look."),
            ("(sighs)\n(laughs)", "(sighs)"), ("/hm/", "/hm/"), ("…\n「はい」", "「はい」"), ("  \n", "a.wav"),
        ):  # fmt: skip
            self.assertEqual(Line("a", "audio/a.wav", script=script).title, title)
