"""Any sequence of actions, written whenever, is there again on opening."""

from __future__ import annotations

import tempfile
import unittest
import zlib
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from glyphos.production.documents import Line
from glyphos.production.journal import Journal
from glyphos.production.production import Production
from glyphos.production.store import Store
from tests.examples import examples
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
    production, slug = store.production, f"l{number}"
    if kind == "settle":
        store.settle()
    elif kind == "put":
        line = Line(slug, "audio/a.wav", reading=reading)
        store.keep(production.put(line) if production.has(slug) else production.added([line]))
    elif kind == "drop":
        store.keep(production.without({slug}))
    elif kind == "turn" and production.lines:
        at = number % len(production.slugs)
        store.keep(production.ordered(production.slugs[at:] + production.slugs[:at]))
    elif kind == "name":
        store.keep(production.headed(name=f"Show {number}"))


class Stores(unittest.TestCase):
    @given(ACTIONS)
    @examples(20)
    def test_what_was_done_is_there_after_a_crash_and_after_closing(self, actions: list) -> None:
        with tempfile.TemporaryDirectory() as folder:
            store = Store.create(Path(folder) / "show", name="Show")
            for action in actions:
                act(store, *action)
            wanted = store.production
            store.let_go()  # as if the process had ended here
            crashed = Store.open(store.folder)
            self.assertEqual(crashed.values, wanted.values)
            self.assertEqual(crashed.problems, [])
            crashed.close()
            closed = Production.open(store.folder)
            self.assertEqual(closed.lines, wanted.lines)
            names = {p.stem for p in (store.folder / "lines").glob("*.json")}
            self.assertEqual(names, {x.slug for x in wanted.lines})


class Journals(unittest.TestCase):
    @given(st.lists(st.binary(min_size=0, max_size=60).map(lambda b: b.replace(b"\n", b"")), max_size=8),
           st.integers(0, 400), st.binary(max_size=12))  # fmt: skip
    @examples(40)
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
