"""Undo by keys: a step takes back what it did and nothing else, whatever came between."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from glyphos.production.history import MOMENT, History
from tests.examples import examples

A, B = ("line", "a"), ("line", "b")


class Steps(unittest.TestCase):
    def setUp(self) -> None:
        self.history = History()
        self.values = {A: 0, B: 0}

    def do(self, name: str, at: float = 0.0, merge: bool = False, **new: int) -> int:
        changes = {("line", k): v for k, v in new.items()}
        before = {k: self.values[k] for k in changes}
        self.values |= changes
        return self.history.add(name, before, changes, at=at, merge=merge).number

    def amend(self, number: int, key: tuple[str, str], by: int) -> bool:
        made = self.history.amend(number, {key: lambda v: v + by}, self.values)
        self.values |= made or {}
        return made is not None

    def undo(self) -> str:
        step = self.history.undo()
        self.values |= step.before
        return step.name

    def redo(self) -> str:
        step = self.history.redo()
        self.values |= step.after
        return step.name

    def test_a_result_between_two_steps_is_not_undone_with_them(self) -> None:
        first = self.do("listen", a=1)
        self.do("edit", b=5)
        self.assertTrue(self.amend(first, A, 10))
        self.assertEqual(self.undo(), "edit")
        self.assertEqual(self.values, {A: 11, B: 0})
        self.assertEqual(self.undo(), "listen")
        self.assertEqual(self.values, {A: 0, B: 0})

    def test_an_amended_step_keeps_what_was_done_to_the_same_value_since(self) -> None:
        first = self.do("find", a=1)
        self.do("name", a=3)
        self.amend(first, A, 10)
        self.assertEqual(self.values[A], 13)
        self.undo()
        self.assertEqual(self.values[A], 11)
        self.redo()
        self.assertEqual(self.values[A], 13)
        self.undo()
        self.undo()
        self.assertEqual(self.values[A], 0)

    def test_a_step_that_was_undone_cannot_be_amended(self) -> None:
        first = self.do("one", a=1)
        self.undo()
        self.assertFalse(self.amend(first, A, 10))
        self.assertEqual(self.values[A], 0)

    def test_steps_merge_only_on_the_same_keys_under_the_same_name_within_a_moment(self) -> None:
        self.do("type", 0.0, True, a=1)
        self.do("type", 0.5, True, a=2)
        self.do("type", 0.6, True, b=1)
        self.do("type", 0.7, True, a=3)
        self.do("other", 0.8, True, a=4)
        self.do("other", 0.8 + MOMENT + 0.1, True, a=5)
        self.assertEqual(
            [s.name for s in self.history.done], ["type", "type", "type", "other", "other"]
        )
        self.undo()
        self.undo()
        self.undo()
        self.assertEqual(self.values, {A: 2, B: 1})

    def test_what_is_done_after_undo_ends_redo(self) -> None:
        self.do("one", a=1)
        self.do("two", a=2)
        self.undo()
        self.assertEqual((self.history.undo_name, self.history.redo_name), ("one", "two"))
        self.do("three", a=3)
        self.assertIsNone(self.history.redo())

    @given(st.lists(st.tuples(st.sampled_from(["do", "undo", "redo", "amend"]), st.sampled_from([A, B]),
                              st.integers(1, 9)), max_size=30))  # fmt: skip
    @examples(30)
    def test_undoing_everything_gives_back_the_beginning(self, actions: list) -> None:
        self.setUp()
        for kind, key, number in actions:
            if kind == "do":
                self.do("step", **{key[1]: self.values[key] + number})
            elif kind == "amend" and self.history.done:
                step = self.history.done[number % len(self.history.done)]
                self.amend(step.number, key, 100 * number)
            elif kind == "undo" and self.history.done:
                self.undo()
            elif kind == "redo" and self.history.undone:
                self.redo()
        end = dict(self.values)
        undone = len(self.history.done)
        while self.history.done:
            self.undo()
        self.assertEqual(self.values, {A: 0, B: 0})
        for _ in range(undone):
            self.redo()
        self.assertEqual(self.values, end)
