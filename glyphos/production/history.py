"""Undo and redo: a stack of values, each with the name of what led to it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Generic, TypeVar

T = TypeVar("T")


@dataclass(frozen=True)
class Step(Generic[T]):
    """A value before and after something named was done."""

    name: str
    before: T
    after: T


class History(Generic[T]):
    """Steps done and undone; unlimited, values are shared and immutable."""

    def __init__(self) -> None:
        self.done: list[Step[T]] = []
        self.undone: list[Step[T]] = []

    def add(self, name: str, before: T, after: T) -> None:
        """Something was done; what had been undone can no longer be redone."""
        self.done.append(Step(name, before, after))
        self.undone.clear()

    def amend(self, after: T, name: str | None = None) -> None:
        """The last step led to another value after all (an edge dragged on, edges found again)."""
        last = self.done[-1]
        self.done[-1] = Step(name or last.name, last.before, after)

    def undo(self) -> Step[T] | None:
        if not self.done:
            return None
        self.undone.append(self.done.pop())
        return self.undone[-1]

    def redo(self) -> Step[T] | None:
        if not self.undone:
            return None
        self.done.append(self.undone.pop())
        return self.done[-1]

    @property
    def undo_name(self) -> str:
        return self.done[-1].name if self.done else ""

    @property
    def redo_name(self) -> str:
        return self.undone[-1].name if self.undone else ""
