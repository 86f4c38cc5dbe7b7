"""What may be said, as a graph of model states: words with alternatives, pauses between them.

States stand in spoken order, so that any stretch of time touches a short run of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .acoustic import STATES, AcousticModel
from .phones import Unit

Pronunciation = tuple[Unit, ...]
PAUSE = -1  # word number of a pause, in the path
FILLER_STATES = 10  # a stretch of unscripted speech lasts at least this many frames
ALTERNATIVE = np.log(0.7)  # later pronunciations are a little less likely
PAUSE_ENTRY = np.log(0.3)
FILLER_ENTRY = -30.0


@dataclass(frozen=True)
class Graph:
    """Arrays over states; `entry_from[i]` lists the states that lead into `entries[i]`."""

    senone: NDArray[np.int32]  # column of the score matrix
    stay: NDArray[np.float32]
    advance: NDArray[np.float32]  # from the state before; −inf at an entry
    entries: NDArray[np.int32]
    entry_from: NDArray[np.int32]  # (entries, width), padded with the state count
    entry_cost: NDArray[np.float32]
    final: NDArray[np.int32]
    word: NDArray[np.int32]  # word number, or −(gap + 1) for a pause or filler
    variant: NDArray[np.int32]
    unit: NDArray[np.int32]  # unit number within the variant
    filler: NDArray[np.bool_]

    def costlier(self, more: float) -> Graph:
        """The same, where unscripted speech costs so much more a frame."""
        cost = np.where(self.filler, np.float32(more), np.float32(0))
        return replace(
            self, stay=self.stay - cost, advance=self.advance - cost,
            entry_cost=self.entry_cost - cost[self.entries, None],
        )  # fmt: skip


class _Builder:
    def __init__(self, model: AcousticModel) -> None:
        self.model = model
        self.rows: list[tuple[int, float, float, int, int, int, bool]] = []
        self.entries: list[int] = []
        self.sources: list[list[int]] = []
        self.costs: list[float] = []
        self.leave_of: list[float] = []

    def chain(
        self, phones: Sequence[str], units: Sequence[int], word: int, variant: int,
        sources: list[int], cost: float,
    ) -> int:  # fmt: skip
        """Append a run of phones that `sources` lead into; returns its last state."""
        model = self.model
        self.entries.append(len(self.rows))
        self.sources.append(sources)
        self.costs.append(cost)
        first = True
        for phone, unit in zip(phones, units, strict=True):
            c = model.index(phone)
            for k in range(STATES):
                advance = -np.inf if first else self.leave_of[-1]
                first = False
                row = (c * STATES + k, float(model.stay[c, k]), advance, word, variant, unit)
                self.rows.append((*row, False))
                self.leave_of.append(float(model.leave[c, k]))
        return len(self.rows) - 1

    def filler(self, column: int, word: int, sources: list[int]) -> int:
        """Append a stretch of any speech at all, scored by the `column` for it."""
        self.entries.append(len(self.rows))
        self.sources.append(sources)
        self.costs.append(FILLER_ENTRY)
        for k in range(FILLER_STATES):
            stay = 0.0 if k == FILLER_STATES - 1 else -np.inf
            self.rows.append((column, stay, -np.inf if k == 0 else 0.0, word, 0, 0, True))
            self.leave_of.append(0.0)
        return len(self.rows) - 1


def build(
    model: AcousticModel,
    words: Sequence[Sequence[Pronunciation]],
    *,
    filler_column: int | None = None,
    pause_before: bool = True,
    pause_after: bool = True,
) -> Graph:
    """Graph of `words` (each a list of alternatives) with optional pauses around every one.

    pause_before, pause_after: whether there may be one at the very start and the very end.

    With `filler_column`, unscripted speech may stand wherever a pause may.
    """
    made = _Builder(model)
    exits: list[int] = []
    for number in range(len(words) + 1):
        if (number == 0 and not pause_before) or (number == len(words) and not pause_after):
            if number < len(words):
                exits = _word(made, words[number], number, exits)
            continue
        gap = -(number + 1)
        after = [made.chain(["SIL"], [0], gap, 0, list(exits), PAUSE_ENTRY)]
        if filler_column is not None:
            filler = made.filler(filler_column, gap, [*exits, after[0]])
            after += [filler, made.chain(["SIL"], [0], gap, 1, [filler], PAUSE_ENTRY)]
        exits = [*exits, *after]
        if number == len(words):
            break
        exits = _word(made, words[number], number, exits)
    return _finish(made, exits)


def _word(
    made: _Builder, variants: Sequence[Pronunciation], number: int, exits: list[int]
) -> list[int]:
    """Append every alternative of a word; returns their last states."""
    ends = []
    for variant, units in enumerate(variants):
        phones = [m for u in units for m in u.model]
        numbers = [i for i, u in enumerate(units) for _ in u.model]
        cost = 0.0 if variant == 0 else ALTERNATIVE
        ends.append(made.chain(phones, numbers, number, variant, exits, float(cost)))
    return ends


def _finish(made: _Builder, final: list[int]) -> Graph:
    count = len(made.rows)
    width = max(1, max(len(s) for s in made.sources))
    sources = np.full((len(made.entries), width), count, np.int32)
    costs = np.full((len(made.entries), width), -np.inf, np.float32)
    for i, (states, cost) in enumerate(zip(made.sources, made.costs, strict=True)):
        sources[i, : len(states)] = states
        costs[i, : len(states)] = [cost + made.leave_of[s] for s in states]
    columns = list(zip(*made.rows, strict=True))
    return Graph(
        senone=np.array(columns[0], np.int32),
        stay=np.array(columns[1], np.float32),
        advance=np.array(columns[2], np.float32),
        entries=np.array(made.entries, np.int32),
        entry_from=sources,
        entry_cost=costs,
        final=np.array(final, np.int32),
        word=np.array(columns[3], np.int32),
        variant=np.array(columns[4], np.int32),
        unit=np.array(columns[5], np.int32),
        filler=np.array(columns[6], np.bool_),
    )
