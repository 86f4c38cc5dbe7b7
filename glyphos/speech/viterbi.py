"""Finding the best path through a graph of states, and where its boundaries most likely lie.

`best_path` is Viterbi's algorithm over all states at once; of many, within a window of states around the best one,
which is widened until a path comes to the end. `expected_changes` runs forward–backward in a narrow band around that
path and gives each boundary its *expected* time, which is far steadier than the best path's own. The loops over frames
are compiled from `viterbi.c` where there is a compiler (`compiled`), and the same here where there is none.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..progress import Progress
from . import compiled
from .graph import Graph

Array = NDArray[np.float32]
Ints = NDArray[np.int32]
Doubles = NDArray[np.float64]
Codes = NDArray[np.uint8] | NDArray[np.uint16]

WHOLE = 6000  # states that are all kept
WINDOW = 2000  # of more, those around the best one. Where a speaker is hardly understood, speech that nobody wrote
AHEAD = 0.75  # seems the better path for long, and the right one is far ahead: so much of the window lies there
WIDER = 4  # times as many where no path came to the end,
MOST = 400_000_000  # as long as no more than so many, over all frames, are to be kept
COMMIT = 30_000  # frames that are decided at once on recordings over ten minutes, to bound memory
LAG = 30_000  # frames that are looked at beyond those
STEP = 500  # frames that are gone through at once, and between two tellings of progress
BAND = 9
ACOUSTIC_SCALE = 0.15
BLOCK = 20_000  # frames of forward–backward worked out at once, to bound memory


def best_path(graph: Graph, scores: Array, *, progress: Progress | None = None) -> Ints:
    """State of every frame on the best path. `scores`: (frames, columns) log likelihoods."""
    states = len(graph.senone)
    window = states if states <= WHOLE else WINDOW
    most = min(states, max(window, MOST // min(len(scores), COMMIT + LAG)))
    while True:
        path, ended = _searched(graph, scores, min(window, most), progress)
        if ended or window >= most:
            return path
        window *= WIDER


def _searched(
    graph: Graph, scores: Array, window: int, progress: Progress | None
) -> tuple[Ints, bool]:
    """The best path within a window, and whether it comes to the end of the graph."""
    frames, states = len(scores), len(graph.senone)
    value = np.full(states + 1, -np.inf, np.float32)
    starts = graph.entries[(graph.entry_from == states).all(axis=1)]
    later = graph.entries[_reachable_at_start(graph)]
    first = np.unique(np.concatenate([starts, later]))
    value[first] = scores[0, graph.senone[first]]
    path = np.zeros(frames, np.int32)
    trace = _Trace(graph)
    base = 0  # frame of the first kept trace row
    low, high = 0, min(states, window)  # the states outside are at −∞
    steps = _steps(graph, scores.shape[1], window)
    t = 1
    while t < frames:
        count = min(STEP, frames - t, COMMIT + LAG - len(trace))
        lows, codes, low, high = steps.take(value, scores[t : t + count], low, high)
        trace.add(lows, codes)
        t += count
        if progress is not None:
            progress(t / frames)
        if len(trace) >= COMMIT + LAG:
            leading = low + int(np.argmax(value[low:high]))
            trace.follow(leading, path, base)
            # Only what comes from there goes on, or the parts of the path would not meet
            others = trace.ancestors(COMMIT) != path[base + COMMIT]
            value[low:high][others] = -np.inf
            trace.forget(COMMIT)
            base += COMMIT
    end = int(graph.final[np.argmax(value[graph.final])])
    ended = bool(np.isfinite(value[end]))
    trace.follow(end if ended else int(np.argmax(value)), path, base)
    return path, ended


class _Trace:
    """Where each state came from, a frame a row: 0 from itself, 1 from the one before, else by which of its
    entries (from 2 on)."""

    def __init__(self, graph: Graph) -> None:
        self._graph = graph
        self._rows: list[tuple[int, Codes]] = []
        self._entry = np.zeros(
            len(graph.senone) + 1, np.int32
        )  # of a state, its place among entries
        self._entry[graph.entries] = np.arange(len(graph.entries))

    def __len__(self) -> int:
        return len(self._rows)

    def add(self, lows: Ints, codes: Codes) -> None:
        """Frames in a row: where the window of each begins, and its codes."""
        self._rows += zip(lows.tolist(), codes, strict=True)

    def forget(self, count: int) -> None:
        del self._rows[:count]

    def _before(self, row: int, states: Ints) -> Ints:
        """The states from which these came."""
        low, codes = self._rows[row]
        code = codes[states - low].astype(np.int32)
        entered = self._graph.entry_from[self._entry[states], np.maximum(code - 2, 0)]
        return np.where(code < 2, states - code, entered).astype(np.int32)

    def follow(self, end: int, path: Ints, base: int) -> None:
        """Write the path that ends there; `base`: the frame before the first row."""
        state, entry_from, entry = end, self._graph.entry_from, self._entry
        for row in range(len(self._rows) - 1, -1, -1):
            path[base + row + 1] = state
            low, codes = self._rows[row]
            code = int(codes[state - low])
            state = state - code if code < 2 else int(entry_from[entry[state], code - 2])
        path[base] = state

    def ancestors(self, frame: int) -> Ints:
        """For each state of the last row the one that it comes from, `frame` rows after the first kept."""
        low, codes = self._rows[-1]
        states = np.arange(low, low + len(codes), dtype=np.int32)
        for row in range(len(self._rows) - 1, frame - 1, -1):
            low, codes = self._rows[row]
            states = self._before(row, np.clip(states, low, low + len(codes) - 1))
        return states


def _reachable_at_start(graph: Graph) -> NDArray[np.bool_]:
    """Entries of the first word, which may begin at once without a pause."""
    return np.asarray(graph.word[graph.entries] == 0)


def _steps(graph: Graph, columns: int, window: int) -> compiled.Steps | _Steps:
    ahead = round((1 - AHEAD) * window)
    made = compiled.Steps if compiled.there_is() else _Steps
    return made(graph, columns, window, ahead)


class _Steps:
    """What `compiled.Steps` does, in NumPy."""

    def __init__(self, graph: Graph, columns: int, window: int, ahead: int) -> None:
        self._graph, self._window, self._ahead = graph, window, ahead

    def take(
        self, value: Array, scores: Array, low: int, high: int
    ) -> tuple[Ints, Codes, int, int]:
        lows = np.empty(len(scores), np.int32)
        rows: list[Any] = []
        for t, frame in enumerate(scores):
            best = low + int(np.argmax(value[low:high]))
            low, high = self._around(best)
            lows[t] = low
            rows.append(_advance(self._graph, value, frame, low, high))
        codes: Any = np.stack(rows)
        return lows, codes, low, high

    def _around(self, best: int) -> tuple[int, int]:
        states = len(self._graph.senone)
        if states <= self._window:
            return 0, states
        low = max(0, min(best - self._ahead, states - self._window))
        return low, low + self._window


def _advance(graph: Graph, value: Array, frame: Array, low: int, high: int) -> Codes:
    """One frame of Viterbi within states `low` to `high`; how each was reached, as `_Trace` has it."""
    stay = value[low:high] + graph.stay[low:high]
    before = np.empty(high - low, np.float32)
    before[1:] = value[low : high - 1]
    before[0] = value[low - 1] if low else -np.inf
    before += graph.advance[low:high]
    moved = before > stay
    new = np.where(moved, before, stay)
    few = graph.entry_from.shape[1] < 254
    code: Codes = moved.astype(np.uint8) if few else moved.astype(np.uint16)
    a, b = np.searchsorted(graph.entries, (low, high))
    entered = value[graph.entry_from[a:b]] + graph.entry_cost[a:b]
    pick = entered.argmax(axis=1)
    rows = np.arange(b - a)
    amount = entered[rows, pick]
    at = graph.entries[a:b] - low
    better = amount > new[at]
    new[at[better]] = amount[better]
    code[at[better]] = pick[better] + 2
    new += frame[graph.senone[low:high]]
    margin = high - low  # the window moves by less than its own width
    value[max(0, low - margin) : low] = -np.inf
    value[high : high + margin] = -np.inf
    value[low:high] = new
    return code


def expected_changes(
    columns: Ints,
    stay: Array,
    leave: Array,
    place: Ints,
    scores: Array,
    *,
    scale: float = ACOUSTIC_SCALE,
    band: int = BAND,
) -> NDArray[np.float64]:
    """Expected frame at which each state of a plain chain is entered, shape (states,).

    columns, stay, leave: score column and transition logs of each state of the chain.
    place: (frames,) position in the chain on the best path, never decreasing.
    """  # fmt: skip
    frames, states = len(place), len(columns)
    width = 2 * band + 1
    low = np.maximum(0, place - band)
    shift = np.diff(low, prepend=low[0])
    forward = np.zeros((frames, width), np.float32)
    chances = _Chances(
        columns, np.exp(stay).astype(float), np.exp(leave).astype(float), low, scores, scale, width
    )
    row = np.zeros(width)
    row[int(place[0] - low[0])] = 1.0
    forward[0] = row
    there = compiled.there_is() and width <= compiled.WIDEST
    go, back = (compiled.forward, compiled.backward) if there else (_forward, _backward)
    for first in range(1, frames, BLOCK):
        last = min(frames, first + BLOCK)
        row = go(forward[first:last], row, chances.of(first, last), shift[first:last])
    row = np.zeros(width)
    row[int(place[-1] - low[-1])] = 1.0
    times = np.zeros(states + 1)
    for last in range(frames, 0, -BLOCK):
        first = max(0, last - BLOCK)
        after = chances.of(first + 1, min(last + 1, frames))
        row = back(forward[first:last], row, after, shift[first + 1 : last + 1])
        _add_entry_times(times, forward[first:last], low[first:last], states)
    return np.asarray(times[:states])


@dataclass(frozen=True)
class _Chances:
    """What each state of the band emits, stays and is entered with, for a block of frames."""

    columns: Ints
    hold: Doubles
    step: Doubles
    low: Ints
    scores: Array
    scale: float
    width: int

    def of(self, first: int, last: int) -> tuple[Doubles, Doubles, Doubles]:
        states = len(self.columns)
        offsets = self.low[first:last, None] + np.arange(self.width)
        inside = offsets < states
        offsets = np.minimum(offsets, states - 1)
        logs = self.scores[np.arange(first, last)[:, None], self.columns[offsets]].astype(
            np.float64
        )
        logs = np.where(inside, (logs - logs.max(axis=1, keepdims=True)) * self.scale, -np.inf)
        hold = self.hold[offsets] * inside
        step_in = self.step[np.maximum(offsets - 1, 0)] * (offsets > 0) * inside
        return np.exp(logs), hold, step_in


def _shifted(row: NDArray[np.float64], by: int) -> NDArray[np.float64]:
    """`row` seen from a band whose first state is `by` further on; one extra place in front."""
    out = np.zeros(len(row) + 1)
    if by <= 0:
        out[1:] = row
    else:
        kept = row[by - 1 :]
        out[: len(kept)] = kept
    return out


def _forward(
    out: Array, row: Doubles, chances: tuple[Doubles, Doubles, Doubles], shift: Ints
) -> Doubles:
    """Forward chances of frames into `out` (frames, width); returns the last row."""
    for k, (emit, hold, step_in) in enumerate(zip(*chances, strict=True)):
        previous = _shifted(row, int(shift[k]))
        new = (previous[1:] * hold + previous[:-1] * step_in) * emit
        total = new.sum()
        if total > 0:
            row = new / total
        out[k] = row
    return row


def _backward(
    forward: Array, row: Doubles, chances: tuple[Doubles, Doubles, Doubles], shift: Ints
) -> Doubles:
    """Turn forward chances of frames into posteriors, in place; returns the backward row of the first. chances, shift:
    of the frames after each, one less at the end; row: of the frame after the last, or of the very last."""
    emit, hold, step_in = chances
    for k in range(len(forward) - 1, -1, -1):
        if k < len(emit):
            by = int(shift[k])
            weighted = row * emit[k]
            stays, enters = weighted * hold[k], weighted * step_in[k]
            new = np.zeros(len(row))
            if by == 0:
                new += stays
                new[:-1] += enters[1:]
            else:
                new[by:] += stays[: len(row) - by]
                new[by - 1 :] += enters[: len(row) - by + 1]
            total = new.sum()
            if total > 0:
                row = new / total
        posterior = forward[k] * row
        forward[k] = posterior / max(float(posterior.sum()), 1e-30)
    return row


def _add_entry_times(times: Doubles, posterior: Array, low: Ints, states: int) -> None:
    """Add Σₜ P(state at t is before s), for every s: the expected frame at which s is entered."""
    width = posterior.shape[1]
    before = np.cumsum(posterior, axis=1, dtype=np.float64) - posterior
    index = low[:, None] + np.arange(width)
    valid = index < states
    np.add.at(times, index[valid], before[valid])
    # States past the band have not been entered: they add one whole frame each.
    past = np.bincount(np.minimum(low + width, states), minlength=states + 1)
    times += np.cumsum(past)
