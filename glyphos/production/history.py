"""Undo and redo by keys: a step holds what it changed, before and after, and nothing else.

Something that arrives later (edges found again, one more line listened to) amends the step that
asked for it, wherever that stands by now: steps done since are patched alike, so that each still
takes back exactly what it did.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from .kinds import Changes, Key

MOMENT = 1.5  # seconds within which steps of the same name on the same keys are one
Patch = Callable[[Any], Any]  # a value as it is to the value as it shall be


@dataclass
class Step:
    """Something named that was done, with the values of the keys it touched."""

    number: int
    name: str
    before: dict[Key, Any]
    after: dict[Key, Any]
    at: float  # seconds of some clock

    @property
    def keys(self) -> frozenset[Key]:
        return frozenset(self.after)


class History:
    """Steps done and undone; unlimited, values are shared and immutable."""

    def __init__(self) -> None:
        self.done: list[Step] = []
        self.undone: list[Step] = []
        self._numbers = itertools.count(1)

    def add(
        self, name: str, before: Changes, after: Changes, *, at: float, merge: bool = False
    ) -> Step:
        """Something was done; what had been undone can no longer be redone.

        merge: into the last step, if it is of the same name, on the same keys and of a moment ago.
        """
        last = self.done[-1] if self.done and not self.undone else None
        if (
            merge
            and last
            and last.name == name
            and last.keys == set(after)
            and at - last.at < MOMENT
        ):
            last.after.update(after)
            last.at = at
            return last
        step = Step(next(self._numbers), name, dict(before), dict(after), at)
        self.done.append(step)
        self.undone.clear()
        return step

    def find(self, number: int) -> Step | None:
        """A step that is done and not undone, by its number."""
        return next((s for s in reversed(self.done) if s.number == number), None)

    def amend(
        self, number: int, patches: Mapping[Key, Patch], values: Changes
    ) -> dict[Key, Any] | None:
        """Let a step have done more; returns what the values of the keys are then.

        values: of the keys as they are now. None: the step was undone or never was.
        """
        step = self.find(number)
        if step is None:
            return None
        later = [*self.done[self.done.index(step) + 1 :], *reversed(self.undone)]
        made = {}
        for key, patch in patches.items():
            others = [s for s in later if key in s.after]
            if key not in step.after:
                step.before[key] = others[0].before[key] if others else values.get(key)
                step.after[key] = step.before[key]
            step.after[key] = patch(step.after[key])
            for other in others:
                other.before[key] = patch(other.before[key])
                other.after[key] = patch(other.after[key])
            made[key] = patch(values.get(key))
        return made

    def undo(self) -> Step | None:
        if not self.done:
            return None
        self.undone.append(self.done.pop())
        return self.undone[-1]

    def redo(self) -> Step | None:
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
