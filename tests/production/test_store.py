"""Nothing is lost: kills at any moment, full disks, damage by hand, two openers."""

from __future__ import annotations

import os
import random
import resource
import signal
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import msgspec

from glyphos.errors import DocumentError, SaveError
from glyphos.hands.crew import Hand
from glyphos.production.copying import save_copy
from glyphos.production.demo import copy_demo
from glyphos.production.documents import Line
from glyphos.production.kinds import HEAD, LEX, Changes, line_key
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.phones import from_dictionary
from glyphos.speech.saying import PlaceholderVoice


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def store(self, name: str = "show.glyphos") -> Store:
        store = Store.create(self.folder / name, name="Show")
        self.addCleanup(store.close)
        return store


def numbered(production: Production, number: int) -> Changes:
    """What action `number` is: a line put, changed or dropped, another header, a word."""
    kind = number % 6
    if kind == 3:
        return production.headed(name=f"Show {number}")
    if kind == 4 and len(production.lines) > 2:
        return production.without({production.lines[0].slug})
    if kind == 5:
        return {LEX: production.lexicon.with_entry("dome", from_dictionary(["D", "UW1", "M"]))}
    line = Line(f"line-{number % 7}", "audio/a.wav", script=f"Action {number}")
    return put(production, line)


def put(production: Production, line: Line) -> Changes:
    return production.put(line) if production.has(line.slug) else production.added([line])


class Kills(Folder):
    def test_after_kill_at_any_moment_the_last_action_is_there(self) -> None:
        """200 real processes are killed at random moments of acting and writing documents."""
        hand = Hand()  # a small process, of which another is quickly made
        self.addCleanup(hand.close)
        wrong, number = hand.run(killed_again_and_again, (self.folder / "show.glyphos", 200)).value
        self.assertEqual(wrong, "")
        self.assertGreater(number, 400)


def killed_again_and_again(folder: Path, times: int) -> tuple[str, int]:
    """What was found on the disk that may not be there, and how many actions there were."""
    Store.create(folder, name="Show").close()
    rng, number = random.Random(7), 0
    state = Production.open(folder)
    for _ in range(times):
        acknowledged = act_until_killed(folder, number, rng.uniform(0.0, 0.02))
        states = [state]
        for k in range(number, number + acknowledged + 1):
            states.append(states[-1].changed(numbered(states[-1], k)))
        again = Store.open(folder)
        found, problems = again.production, again.problems
        again.close()
        if problems:
            return str(problems), number
        # The action in progress when it was killed may or may not have been kept.
        for extra in (0, 1):
            wanted = states[acknowledged + extra]
            if found.values == wanted.values:
                number, state = number + acknowledged + extra, found
                break
        else:
            return f"after action {number + acknowledged} the disk holds something else", number
    return "", number


def act_until_killed(folder: Path, first: int, seconds: float) -> int:
    """Run actions in a child process, kill it some time after the first; how many it did."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        act_for_ever(folder, first, write)
    os.close(write)
    count = len(os.read(read, 1))
    time.sleep(seconds)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    while data := os.read(read, 4096):
        count += len(data)
    os.close(read)
    return count


def act_for_ever(folder: Path, number: int, pipe: int) -> None:
    try:
        store = Store.open(folder)
        while True:
            store.keep(numbered(store.production, number))
            os.write(pipe, b".")
            number += 1
            if number % 4 == 0:
                store.settle()
    finally:
        os._exit(1)


class Keeping(Folder):
    def test_a_change_is_in_the_journal_before_its_document(self) -> None:
        store = self.store()
        store.keep(put(store.production, Line("a", "audio/a.wav")))
        self.assertFalse((store.folder / "lines" / "a.json").exists())
        self.assertGreater((store.folder / ".journal").stat().st_size, 0)
        store.settle()
        self.assertTrue((store.folder / "lines" / "a.json").exists())
        self.assertEqual((store.folder / ".journal").stat().st_size, 0)
        store.keep(store.production.without({"a"}))
        store.settle()
        self.assertFalse((store.folder / "lines" / "a.json").exists())

    def test_a_torn_last_record_is_left_out(self) -> None:
        store = Store.create(self.folder / "x", name="X")
        store.keep(put(store.production, Line("a", "audio/a.wav", script="one")))
        store.keep(put(store.production, Line("a", "audio/a.wav", script="two")))
        data = (store.folder / ".journal").read_bytes()
        store.let_go()
        for cut in range(1, 60, 7):
            (store.folder / ".journal").write_bytes(data[:-cut])
            again = Store.open(store.folder)
            self.assertEqual(again.production.line("a").script, "one" if cut > 1 else "two")
            again.let_go()

    def test_the_same_production_opened_twice_is_told(self) -> None:
        store = self.store()
        with self.assertRaisesRegex(DocumentError, "open in another Glyphos"):
            Store.open(store.folder)
        store.close()
        Store.open(store.folder).close()

    def test_a_damaged_document_is_set_aside_and_the_rest_opens(self) -> None:
        folder = copy_demo(self.folder / "demo")
        (folder / "lines" / "02-osric-door.json").write_text('{"slug": ')
        store = Store.open(folder)
        self.addCleanup(store.close)
        self.assertEqual(len(store.production.lines), 9)
        self.assertIn("set aside as 02-osric-door.damaged-1", store.problems[0])
        self.assertEqual((folder / "lines" / "02-osric-door.damaged-1").read_text(), '{"slug": ')

    def test_a_damaged_header_is_made_again_from_the_lines(self) -> None:
        folder = copy_demo(self.folder / "demo")
        (folder / "production.json").write_text("[]")
        store = Store.open(folder)
        self.addCleanup(store.close)
        self.assertEqual(len(store.production.lines), 10)
        self.assertTrue((folder / "production.damaged-1").exists())

    def test_a_newer_document_is_refused_and_left_alone(self) -> None:
        folder = copy_demo(self.folder / "demo")
        (folder / "production.json").write_text('{"format": "glyphos-production", "version": 2}')
        with self.assertRaisesRegex(DocumentError, "newer"):
            Store.open(folder)
        Path(folder / "production.json").unlink()

    def test_a_full_disk_is_told_and_the_change_is_tried_again(self) -> None:
        """The limit on a file's size stands in for a full disk: the write itself fails."""
        store = self.store()
        old_handler = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        old = resource.getrlimit(resource.RLIMIT_FSIZE)
        big = put(store.production, Line("a", "audio/a.wav", script="word " * 5000))
        try:
            resource.setrlimit(resource.RLIMIT_FSIZE, (4000, old[1]))
            with self.assertRaisesRegex(SaveError, "could not be kept"):
                store.keep(big)
        finally:
            resource.setrlimit(resource.RLIMIT_FSIZE, old)
            signal.signal(signal.SIGXFSZ, old_handler)
        self.assertEqual((store.folder / ".journal").stat().st_size, 0)
        store.keep(big)
        store.close()
        self.assertEqual(Production.open(store.folder).lines, (big[line_key("a")],))

    def test_a_read_only_folder_can_be_looked_at(self) -> None:
        folder = copy_demo(self.folder / "demo")
        with mock.patch("builtins.open", side_effect=PermissionError(13, "Permission denied")):
            store = Store.open(folder)
        self.assertTrue(store.read_only)
        self.assertEqual(len(store.production.lines), 10)
        with self.assertRaisesRegex(SaveError, "copy elsewhere"):
            store.keep(store.production.without({"01-mabel-beam"}))
        store.settle()
        self.assertTrue((folder / "lines" / "01-mabel-beam.json").exists())

    def test_a_copy_holds_everything(self) -> None:
        production = Production.open(copy_demo(self.folder / "demo"))
        take = Path("takes", "03-pip-wind", "take-01.wav")
        (production.folder / take).parent.mkdir(parents=True)
        (production.folder / take).write_bytes(b"as it was said")
        voices = {"Pip": PlaceholderVoice(pitch=70)}
        header = msgspec.structs.replace(production.header, voices=voices)
        away = msgspec.structs.replace(production.lines[0], audio="/away/on/a/drive.wav")
        lost = msgspec.structs.replace(production.lines[1], audio="audio/lost.wav")
        (self.folder / "lost.wav").write_bytes(b"another of that name")
        other = msgspec.structs.replace(production.lines[2], audio="../lost.wav")
        production = production.changed({HEAD: header, **production.put(away, lost, other)})
        told: list[float] = []
        save_copy(production, self.folder / "copy.glyphos", progress=told.append)
        self.assertEqual((self.folder / "copy.glyphos" / take).read_bytes(), b"as it was said")
        self.assertEqual(told, sorted(told))
        again = Production.open(self.folder / "copy.glyphos")
        self.assertEqual([x.script for x in again.lines], [x.script for x in production.lines])
        self.assertTrue(all(again.audio_path(x).exists() for x in again.lines[2:]))
        self.assertEqual(
            [x.audio for x in again.lines[:2]], ["/away/on/a/drive.wav", "audio/lost.wav"]
        )
        self.assertEqual(again.header, msgspec.structs.replace(header, name="copy"))
