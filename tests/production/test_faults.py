"""Productions on disks that fail, wait and tear, and folders that people changed by hand."""

from __future__ import annotations

import json
import os
import tempfile
import threading
import time
import unittest
from pathlib import Path

import msgspec

from glyphos.errors import DocumentError, NewerError, SaveError
from glyphos.files import write_atomic
from glyphos.production.demo import copy_demo
from glyphos.production.documents import Line
from glyphos.production.journal import Journal
from glyphos.production.kinds import HEAD, line_key
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.production.writer import Writer
from tests.faults import FaultyDisk
from tests.patience import until


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.disk = FaultyDisk()

    def open(self, folder: Path | None = None) -> Store:
        folder = folder or self.folder / "show.glyphos"
        if not folder.exists():
            Production.create(folder, name="Show")
        store = Store.open(folder, self.disk)
        self.addCleanup(store.let_go)
        return store

    def script(self, folder: Path, slug: str = "a") -> str:
        return Production.open(folder).line(slug).script


def line(script: str, slug: str = "a") -> Line:
    return Line(slug, "audio/a.wav", script=script)


class Writing(Folder):
    def test_many_files_that_are_replaced_leave_none_open(self) -> None:
        open_before = len(os.listdir("/proc/self/fd"))
        for text in (b"first", b"second", b"third"):
            files = {self.folder / f"{k}.json": text for k in range(40)}
            self.disk.write_all(files)
            self.assertEqual({p.read_bytes() for p in files}, {text})
        self.assertEqual(len(list(self.folder.iterdir())), 40)
        until(lambda: len(os.listdir("/proc/self/fd")) <= open_before)
        self.assertEqual(len(os.listdir("/proc/self/fd")), open_before)

    def test_a_name_may_be_as_long_as_a_folder_allows(self) -> None:
        most = os.pathconf(self.folder, "PC_NAME_MAX")  # bytes, whatever the letters
        for name in ("n" * most, "ü" * (most // 2), "😀" * (most // 4)):
            write_atomic(self.folder / name, b"all")
            self.assertEqual((self.folder / name).read_bytes(), b"all")

    def test_a_change_that_could_not_be_kept_is_written_when_documents_are(self) -> None:
        store = self.open()
        store.keep(store.production.added([line("old")]))
        store.settle()
        self.disk.fail("append")
        with self.assertRaisesRegex(SaveError, "could not be kept"):
            store.keep(store.production.put(line("new")))
        store.settle()
        self.assertEqual(self.script(store.folder), "new")

    def test_closing_writes_what_could_not_be_kept(self) -> None:
        store = self.open()
        self.disk.fail("append")
        with self.assertRaises(SaveError):
            store.keep(store.production.added([line("new")]))
        store.close()
        self.assertEqual(self.script(store.folder), "new")

    def test_closing_that_fails_holds_on_to_everything(self) -> None:
        store = self.open()
        store.keep(store.production.added([line("new")]))
        self.disk.fail("write")
        with self.assertRaises(SaveError):
            store.close()
        self.assertFalse(store.read_only)
        store.close()
        self.assertEqual(self.script(store.folder), "new")

    def test_what_failed_goes_with_the_next_change_and_survives_a_crash(self) -> None:
        store = self.open()
        self.disk.fail("append")
        with self.assertRaises(SaveError):
            store.keep(store.production.added([line("one")]))
        store.keep(store.production.headed(name="Other"))
        store.let_go()  # as if the process had ended here
        again = Production.open(store.folder)
        self.assertEqual((again.line("a").script, again.header.name), ("one", "Other"))

    def test_a_write_that_tears_leaves_no_half_record(self) -> None:
        store = self.open()
        store.keep(store.production.added([line("one")]))
        self.disk.fail("append", fault="tear")
        with self.assertRaises(SaveError):
            store.keep(store.production.put(line("two")))
        store.keep(store.production.put(line("three")))
        store.let_go()
        self.assertEqual(self.script(store.folder), "three")

    def test_edits_behind_a_torn_end_can_be_read_after_the_next_crash(self) -> None:
        store = self.open()
        store.keep(store.production.added([line("one")]))
        store.let_go()
        journal = store.folder / ".journal"
        journal.write_bytes(journal.read_bytes() + b"0badc0de {half a rec")
        second = self.open(store.folder)
        second.keep(second.production.put(line("two")))
        second.let_go()
        self.assertEqual(self.script(store.folder), "two")

    def test_documents_are_not_cleared_from_the_journal_before_they_are_written(self) -> None:
        store = self.open()
        store.keep(store.production.added([line("one"), line("two", "b")]))
        self.disk.fail("write", after=1)
        with self.assertRaises(SaveError):
            store.settle()
        store.let_go()
        self.assertEqual(self.script(store.folder, "b"), "two")

    def test_one_change_is_in_the_journal_whole_or_not_at_all(self) -> None:
        store = self.open()
        store.keep(store.production.added([line("one"), line("two", "b")]))
        store.let_go()
        journal = store.folder / ".journal"
        data = journal.read_bytes()
        for cut in range(1, len(data), 37):
            journal.write_bytes(data[:cut])
            found = Production.open(store.folder)
            self.assertIn(len(found.lines), (0, 2))
            self.assertEqual(found.slugs, tuple(x.slug for x in found.lines))


class ByHand(Folder):
    def test_a_document_that_was_renamed_is_followed_and_its_edits_are_kept(self) -> None:
        folder = copy_demo(self.folder / "demo")
        (folder / "lines/02-osric-door.json").rename(folder / "lines/door.json")
        store = self.open(folder)
        self.assertEqual(store.problems, [])
        self.assertEqual(store.production.slugs[1], "door")
        edited = msgspec.structs.replace(store.production.line("door"), script="Edited.")
        store.keep(store.production.put(edited))
        store.close()
        self.assertFalse((folder / "lines/02-osric-door.json").exists())
        again = Production.open(folder)
        self.assertEqual((len(again.lines), again.line("door").script), (10, "Edited."))

    def test_a_copied_document_is_another_line(self) -> None:
        folder = copy_demo(self.folder / "demo")
        data = (folder / "lines/02-osric-door.json").read_bytes()
        (folder / "lines/second.json").write_bytes(data)
        store = self.open(folder)
        self.assertEqual(len(store.production.lines), 11)
        self.assertEqual(store.production.slugs[-1], "second")

    def test_a_slug_never_leads_out_of_the_production(self) -> None:
        folder = copy_demo(self.folder / "demo")
        path = folder / "lines/02-osric-door.json"
        document = json.loads(path.read_text())
        document["slug"] = "../../escaped"
        path.write_text(json.dumps(document))
        store = self.open(folder)
        self.assertIn("02-osric-door", store.production.slugs)
        store.close()
        self.assertFalse((self.folder / "escaped.json").exists())
        evil = msgspec.json.encode(
            {"changes": [{"kind": "line", "slug": "../../escaped", "document": document}]}
        )
        Journal(folder / ".journal").append([evil])
        store = self.open(folder)
        self.assertIn("could not be understood", store.problems[0])
        store.close()
        self.assertFalse((self.folder / "escaped.json").exists())

    def test_a_damaged_line_in_a_folder_with_newer_in_its_name_is_set_aside(self) -> None:
        folder = copy_demo(self.folder / "a newer show")
        (folder / "lines/02-osric-door.json").write_text("{")
        store = self.open(folder)
        self.assertEqual(len(store.production.lines), 9)
        self.assertIn("set aside", store.problems[0])
        store.close()
        (folder / "production.json").write_text('{"format": "glyphos-production", "version": 9}')
        with self.assertRaises(NewerError):
            Store.open(folder)

    def test_documents_of_any_damage_are_set_aside_with_a_sentence(self) -> None:
        folder = copy_demo(self.folder / "demo")
        whole = (folder / "lines/01-mabel-beam.json").read_bytes()
        document = json.loads(whole)
        sound = document["reading"]["phrases"][0]["words"][0]["phones"][0]
        for name, data in {
            "utf8": b'{"slug": "\xff\xfe"}',
            "deep": b"[" * 100_000,
            "unknown": whole.replace(f'"ipa": "{sound["ipa"]}"'.encode(), b'"ipa": "9"', 1),
            "order": whole.replace(str(sound["start"]).encode(), b"99.5", 1),
            "endless": whole.replace(str(document["duration"]).encode(), b"1e999", 1),
        }.items():
            with self.subTest(name):
                (folder / "lines/01-mabel-beam.json").write_bytes(data)
                store = self.open(folder)
                self.assertEqual(len(store.production.lines), 9, name)
                self.assertIn("set aside", store.problems[-1])
                store.let_go()

    def test_a_journal_of_the_version_before_is_read(self) -> None:
        store = self.open()
        store.close()
        old = [msgspec.json.encode({"put": line("old way")}),
               msgspec.json.encode({"header": msgspec.structs.replace(store.production.header, name="Old")})]  # fmt: skip
        Journal(store.folder / ".journal").append(old)
        again = Production.open(store.folder)
        self.assertEqual((again.line("a").script, again.header.name), ("old way", "Old"))

    def test_a_document_that_cannot_be_set_aside_stays_where_it_is(self) -> None:
        folder = copy_demo(self.folder / "demo")
        (folder / "lines/02-osric-door.json").write_text("{")
        self.disk.fail("move")
        store = self.open(folder)
        self.assertIn("could not be set aside", store.problems[0])
        self.assertEqual((folder / "lines/02-osric-door.json").read_text(), "{")


class InTheBackground(Folder):
    def writer(self) -> tuple[Writer, list[str]]:
        told: list[str] = []
        writer = Writer(self.open(), told.append)
        self.addCleanup(writer.give_up)
        return writer, told

    def wait(self, condition) -> None:  # type: ignore[no-untyped-def]
        self.assertTrue(until(condition, every=0.005))

    def test_nothing_is_written_on_the_thread_that_asks(self) -> None:
        writer, _ = self.writer()
        self.disk.calls.clear()
        writer.put(writer.store.production.added([line("one")]))
        self.assertEqual(writer.close(), "")
        self.assertTrue(self.disk.calls)
        self.assertNotIn(threading.current_thread().name, {c[2] for c in self.disk.calls})
        self.assertEqual(self.script(writer.store.folder), "one")

    def test_a_failed_write_is_told_and_tried_again_until_it_succeeds(self) -> None:
        writer, told = self.writer()
        self.disk.fail("append")
        self.disk.fail("write")
        writer.put(writer.store.production.added([line("one")]))
        self.wait(lambda: told and told[-1] == "")
        self.assertIn("could not be kept", told[0])
        writer.give_up()
        self.assertEqual(self.script(writer.store.folder), "one")

    def test_typing_is_written_once_the_fingers_rest(self) -> None:
        writer, _ = self.writer()
        writer.put(writer.store.production.added([line("")]))
        self.wait(lambda: self.disk.calls)
        time.sleep(0.05)
        before = len([c for c in self.disk.calls if c[0] == "append"])
        for text in ("a", "ab", "abc", "abcd"):
            writer.put({line_key("a"): line(text)}, typing=True)
        self.wait(lambda: len([c for c in self.disk.calls if c[0] == "append"]) > before)
        writer.give_up()
        self.assertEqual(len([c for c in self.disk.calls if c[0] == "append"]), before + 1)
        self.assertEqual(self.script(writer.store.folder), "abcd")

    def test_closing_tells_what_could_not_be_written_and_stays_open(self) -> None:
        writer, _ = self.writer()
        self.disk.fail("append", 99)
        self.disk.fail("write", 99)
        writer.put(writer.store.production.added([line("one")]))
        self.assertIn("cannot be written", writer.close())
        with self.assertRaisesRegex(DocumentError, "open in another"):
            Store.open(writer.store.folder)
        self.disk.mend()
        self.assertEqual(writer.close(), "")
        self.assertEqual(self.script(writer.store.folder), "one")

    def test_a_slow_disk_takes_the_latest_of_many_changes(self) -> None:
        writer, _ = self.writer()
        self.disk.fail("append", 1, 0.2)
        writer.put(writer.store.production.added([line("0")]))
        for k in range(50):
            writer.put({line_key("a"): line(str(k))})
        self.assertEqual(writer.flush(), "")
        self.assertEqual(self.script(writer.store.folder), "49")
        self.assertLess(len([c for c in self.disk.calls if c[0] == "append"]), 10)
        self.assertEqual(Production.open(writer.store.folder).values[HEAD].lines, ("a",))
