"""Any sequence of actions, written whenever, is there again on opening."""

from __future__ import annotations

import tempfile
import unittest
import zlib
from dataclasses import replace
from pathlib import Path

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from glyphos.production.journal import Journal
from glyphos.production.production import Line, Production
from glyphos.production.store import Store
from tests.speech.strategies import readings

ACTIONS = st.lists(
    st.one_of(
        st.tuples(st.just("put"), st.integers(0, 5), readings()),
        st.tuples(st.just("drop"), st.integers(0, 5), st.none()),
        st.tuples(st.just("turn"), st.integers(0, 5), st.none()),
        st.tuples(st.just("name"), st.integers(0, 5), st.none()),
        st.tuples(st.just("settle"), st.just(0), st.none()),
    ),
    min_size=1, max_size=14,
)  # fmt: skip


def act(store: Store, kind: str, number: int, reading: object) -> None:
    production = store.production
    if kind == "settle":
        store.settle()
        return
    if kind == "put":
        production = production.with_line(Line(f"l{number}", "audio/a.wav", reading=reading))
    elif kind == "drop":
        production = production.without({f"l{number}"})
    elif kind == "turn" and production.lines:
        at = number % len(production.lines)
        production = replace(production, lines=production.lines[at:] + production.lines[:at])
    elif kind == "name":
        header = msgspec.structs.replace(production.header, name=f"Show {number}")
        production = replace(production, header=header)
    store.keep(production)


class Stores(unittest.TestCase):
    @given(ACTIONS)
    @settings(max_examples=20, deadline=None)
    def test_what_was_done_is_there_after_a_crash_and_after_closing(self, actions: list) -> None:
        with tempfile.TemporaryDirectory() as folder:
            store = Store.create(Path(folder) / "show", name="Show")
            for action in actions:
                act(store, *action)
            wanted = store.production
            store._lock.close()  # as if the process had ended here
            crashed = Store.open(store.folder)
            self.assertEqual((crashed.production.lines, crashed.production.header.name),
                             (wanted.lines, wanted.header.name))  # fmt: skip
            crashed.close()
            closed = Production.open(store.folder)
            self.assertEqual(closed.lines, wanted.lines)
            names = {p.stem for p in (store.folder / "lines").glob("*.json")}
            self.assertEqual(names, {x.slug for x in wanted.lines})


class Journals(unittest.TestCase):
    @given(st.lists(st.binary(min_size=0, max_size=60).map(lambda b: b.replace(b"\n", b"")), max_size=8),
           st.integers(0, 400), st.binary(max_size=12))  # fmt: skip
    @settings(max_examples=80, deadline=None)
    def test_cut_anywhere_and_dirtied_it_gives_whole_records_in_order(
        self, records: list[bytes], cut: int, dirt: bytes
    ) -> None:
        with tempfile.TemporaryDirectory() as folder:
            journal = Journal(Path(folder) / "j")
            for record in records:
                journal.append([record])
            if journal.path.exists():
                data = journal.path.read_bytes()
                journal.path.write_bytes(data[:cut] + dirt)
                kept = list(Journal(journal.path).records())
                whole = [r for r in kept if r in records]
                honest = records[: len(kept)]
                spoiled = b"%08x" % zlib.crc32(b"") in dirt
                self.assertTrue(kept == honest or spoiled or whole == honest[: len(whole)])
            self.assertEqual(len(list(journal.records())) <= len(records) + 1, True)

    def test_clearing_and_appending_go_on_in_one_file(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            journal = Journal(Path(folder) / "j")
            journal.append([b"one", b"two"])
            self.assertEqual(list(Journal(journal.path).records()), [b"one", b"two"])
            journal.clear()
            self.assertEqual(list(journal.records()), [])
            journal.append([b"three"])
            self.assertEqual(list(Journal(journal.path).records()), [b"three"])
            self.assertEqual(journal.size, journal.path.stat().st_size)
