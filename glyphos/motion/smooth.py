"""The smoothest curves that come close to what is wanted and stay within bounds.

For each channel, over control points x of a spline:

    minimise  Σ W (x − R/W)²  +  (τ/H)⁴ Σ (x[i−1] − 2 x[i] + x[i+1])²
    subject to  low ≤ x ≤ high  and  |x[i+1] − x[i]| ≤ step

the discrete smoothing spline (Whittaker 1923; Reinsch 1967) of minimum acceleration (Flash & Hogan
1985), bounded. Bounds act as stiff springs on the points that would pass them, found by an active
set (a semismooth Newton method: Hintermüller, Ito & Kunisch 2002). Only what a change can reach is
solved again. The search is here in NumPy, all channels end to end in one vector, and in smooth.c,
channel by channel, many times quicker and the same within 0.001; a test holds them together.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from . import compiled
from .lapack import dpbsv
from .spline import Array, H, Ints, between

STIFF, STIFF_TAU = 2e5, 0.055  # of a bound that acts, up to this time constant (seconds)
LAX = 0.0004  # a bound acts from here on, of what can be told from 0 on a face
LAX_STEP = 0.0002
WORST = 0.8  # of a stretch that passes a bound, what passes by this share of the most acts at once
FAR, NEAR = 4.0, 2.0  # time constants beside a change that are solved again
LEFT = 0.0005  # what a change may still matter there
# Left on a point, that makes it solved again, and so far beside it (time constants), where it is held with weight 1
FORCE, FURTHER = 0.002, 6.0
SOFTEST = 0.2  # the least firmness that counts
AGAIN = 8
SMALL = 40_000  # points of all channels that fit a cache together
ALONE, TOGETHER = 3, 400  # rounds of each channel alone, and of all of them
CLOSE = 3.0  # time constants within which one bound at a time changes
SURE = 6  # rounds after which only one bound at a time changes, lest they go round in circles
DENSE = 1.3  # points that lie so close are worked on as one stretch
RIGID = 1e12  # what holds a fixed point in it
COUPLING = np.array([0.0, -4.0, 1.0, 0.0])  # of points no, one, two or more steps apart

Signs = NDArray[np.int8]


@dataclass
class Problem:
    """Of every channel (rows) at every point: weight, wanted (weight times target), bounds.

    fixed: points whose value is known and given in `known`; the two at each end always are.
    tau (channels,): seconds. step (channels, points): most difference to the next point.
    """

    weight: Array
    wanted: Array
    low: Array
    high: Array
    step: Array
    fixed: NDArray[np.bool_]
    known: Array
    tau: Array

    @property
    def unknown(self) -> NDArray[np.bool_]:
        """What is to be found (channels, points)."""
        found = ~self.fixed
        found[:, :2] = found[:, -2:] = False
        return found


def smooth(problem: Problem) -> Array:
    """The control points (channels, points). Same bits for the same problem, which is used up."""
    return smooth_compiled(problem) if compiled.there_is() else smooth_plainly(problem)


def smooth_plainly(problem: Problem) -> Array:
    """The same without anything compiled, all channels end to end."""
    return _Search(problem).run()


def smooth_compiled(problem: Problem) -> Array:
    """The same, channel by channel, in C."""
    p = problem
    x = np.array(p.known, order="C")
    compiled.solve_channels(
        [_limits(tau) for tau in p.tau.tolist()],
        p.weight.size < SMALL,
        p.weight,
        p.wanted,
        p.low,
        p.high,
        p.step,
        p.unknown,
        x,
    )
    return x


@lru_cache(64)
def _limits(tau: float) -> compiled.Limits:
    """The constants of a channel of this time constant (seconds)."""
    return compiled.Limits(
        bend_cost(tau), tau / H, stiffness(tau), LAX, LAX_STEP, WORST, FAR, NEAR, LEFT,
        FORCE, FURTHER, SOFTEST, CLOSE, AGAIN, ALONE, TOGETHER, SURE,
    )  # fmt: skip


def bend_cost(tau: float) -> float:
    """How much a bend costs a channel of this time constant (seconds)."""
    return (tau / H) ** 4


def stiffness(tau: float) -> float:
    """Of a bound that acts."""
    return STIFF * max(1.0, (tau / STIFF_TAU) ** 4)


def firmness(weight: Array) -> Array:
    """How firmly points are held, 1 or less: the length in which a force on one fades is as many times longer, and
    what it moves goes with the third power (a beam on springs: Hetényi 1946)."""
    return np.asarray(between(np.sqrt(np.sqrt(weight)), SOFTEST, 1.0))


@dataclass
class _Search:
    """The vector x, which bounds act on it, and what their springs add to the system."""

    problem: Problem
    x: Array = field(init=False)
    open: NDArray[np.bool_] = field(init=False)  # to be solved

    def __post_init__(self) -> None:
        p = self.problem
        self.rows, self.count = p.weight.shape
        self.size = p.weight.size
        self.open = p.unknown.ravel()
        self.x = p.known.ravel().copy()
        self.weight, self.wanted = p.weight.ravel(), p.wanted.ravel()  # springs are added to them
        self.low, self.high, self.step = p.low.ravel(), p.high.ravel(), p.step.ravel()
        self.under, self.over = (
            self.low - LAX,
            self.high + LAX,
        )  # where bounds begin or cease to act
        self.bend = np.array([bend_cost(tau) for tau in p.tau])
        self.least = p.step.min(1)
        self.reach = p.tau / H
        self.spring = np.array([stiffness(tau) for tau in p.tau])
        self.acts: Signs = np.zeros(self.size, np.int8)  # −1 the lower bound, 1 the upper
        self.slopes: Signs = np.zeros(self.size, np.int8)  # the same of the step to the next point
        self.pull, self.push = np.zeros(self.size), np.zeros(self.size)
        self.sloped = False

    def run(self) -> Array:
        if self.size < SMALL:
            self.sloped = True
            self._rounds(np.flatnonzero(self.open), TOGETHER)
        else:
            self._row_by_row()
        for _ in range(AGAIN):
            where = self._unsettled()
            if not len(where):
                break
            self._rounds(self._around(where, FURTHER / firmness(self.weight[where])), TOGETHER)
        return self.x.reshape(self.rows, self.count)

    def _row_by_row(self) -> None:
        """Channel by channel first, since what is worked on then stays in the cache."""
        left: list[tuple[Ints, Array]] = []
        for row in range(self.rows):
            first = row * self.count
            k = first + np.flatnonzero(self.open[first : first + self.count])
            if len(k):
                self.sloped = False
                left.append(self._rounds(k, ALONE))
        self.sloped = True
        where = np.concatenate([np.zeros(0, np.intp), *(w for w, _ in left)])
        far = np.concatenate([np.zeros(0), *(f for _, f in left)])
        if len(where):
            self._rounds(self._around(where, far), TOGETHER)

    def _unsettled(self) -> Ints:
        """Points on which a force is left: they were not solved again though a change is felt."""
        found = [
            self._left_in(row * self.count, (row + 1) * self.count) for row in range(self.rows)
        ]
        return np.concatenate(found)

    def _left_in(self, first: int, end: int) -> Ints:
        x, row = self.x[first:end], slice(first, end)
        force = self.weight[row] * x
        force -= self.wanted[row]
        bent = x[2:] - 2 * x[1:-1]
        bent += x[:-2]
        turn = bent[2:] - 2 * bent[1:-1]
        turn += bent[:-2]
        turn *= self.bend[first // self.count]
        force[2:-2] += turn
        held = np.flatnonzero(self.slopes[row])
        if len(held):
            q = first + held
            spring = self.pull[q] * (self.x[q + 1] - self.x[q]) - self.push[q]
            np.subtract.at(force, held, spring)
            np.add.at(force, held + 1, spring)
        least = FORCE * self.reach[first // self.count] * firmness(self.weight[row]) ** 3
        left = np.abs(force) > least
        return first + np.flatnonzero(left & self.open[row])

    def _rounds(self, k: Ints, most: int) -> tuple[Ints, Array]:
        """Solve points k, then around what changes, `most` times; what is still to be solved."""
        if not len(k):
            return k, np.zeros(0)
        for number in range(most):
            self._solve(k)
            levels, acts, far = self._levels(k)
            steps, slopes = self._steps(k)
            where, far = (
                np.concatenate((levels, steps)),
                np.concatenate((far, np.full(len(steps), FAR))),
            )
            if not len(where):
                break
            k = self._around(where, far)
            take = self._firsts(where) if number >= SURE else np.ones(len(where), bool)
            one = take[: len(levels)]
            self._bind(levels[one], acts[one])
            one = take[len(levels) :]
            self._bind_steps(steps[one], slopes[one])
        return where, far

    def _firsts(self, where: Ints) -> NDArray[np.bool_]:
        """The first of those that stand close together: one change at a time always ends (Murty
        1974)."""
        order = np.argsort(where, kind="stable")
        near = CLOSE * self.reach[where[order] // self.count]
        take = np.zeros(len(where), bool)
        begin, _ = runs(np.diff(where[order]) > near[:-1])
        take[order[begin]] = True
        return take

    def _around(self, where: Ints, far: Array) -> Ints:
        wide = np.ceil(far * self.reach[where // self.count]).astype(np.intp)
        k = union(np.maximum(where - wide, 0), np.minimum(where + wide + 1, self.size))
        return k[self.open[k]]

    def _solve(self, k: Ints) -> None:
        """The best values of points k (in order), all others as they are."""
        if self._dense(k):
            self._solve_stretch(int(k[0]), int(k[-1]) + 1)
        else:
            self._solve_points(k)

    def _dense(self, k: Ints) -> bool:
        """Whether points k are worked on as one stretch of one channel."""
        return bool(k[-1] - k[0] < DENSE * len(k) and k[0] // self.count == k[-1] // self.count)

    def _solve_stretch(self, first: int, end: int) -> None:
        """Points first to before end; what is fixed among them is held by a much stiffer spring."""
        inside, stiff = slice(first, end), self.bend[first // self.count]
        band = np.empty((end - first, 3))
        np.add(self.weight[inside], 6 * stiff, out=band[:, 0])
        band[:, 1] = -4 * stiff
        band[:, 2] = stiff
        right = self.wanted[inside].copy()
        if self.sloped:
            pull, push = self.pull[first - 1 : end], self.push[first - 1 : end]
            band[:, 0] += pull[1:] + pull[:-1]
            band[:, 1] -= pull[1:]
            right += push[:-1] - push[1:]
        x = self.x
        fixed = np.flatnonzero(~self.open[inside])
        held = x[inside][fixed]
        band[fixed, 0] += RIGID
        right[fixed] += RIGID * held
        for q in {first, first + 1, end - 2, end - 1}:  # beside them stands what is known
            for offset, share in ((-2, -1.0), (-1, 4.0), (1, 4.0), (2, -1.0)):
                if not first <= q + offset < end:
                    right[q - first] += stiff * share * x[q + offset]
        right[0] += self.pull[first - 1] * x[first - 1]
        right[-1] += self.pull[end - 1] * x[end]
        x[inside] = _solved(band, right)
        x[inside][fixed] = held

    def _solve_points(self, k: Ints) -> None:
        x, stiff = self.x, self.bend[k // self.count]
        gap = k[1:] - k[:-1]
        band = np.zeros((len(k), 3))
        band[:, 0] = self.weight[k] + 6 * stiff
        beside = stiff[:-1] * COUPLING.take(gap, mode="clip")
        right = self.wanted[k]
        if self.sloped:
            band[:, 0] += self.pull[k] + self.pull[k - 1]
            beside -= self.pull[k[:-1]] * (gap == 1)
            right += self.push[k - 1] - self.push[k]
        band[:-1, 1] = beside
        band[:-2, 2] = stiff[:-2] * (gap[1:] + gap[:-1] == 2)
        begin, length = runs(gap > 1)
        end = begin + length  # the first two and the last two of each run have known neighbours
        edge = np.concatenate(
            (begin, (begin + 1)[length > 1], (end - 1)[length > 2], (end - 2)[length > 3])
        )
        q = k[edge]
        x[k] = 0.0
        right[edge] += stiff[edge] * (4 * (x[q - 1] + x[q + 1]) - x[q - 2] - x[q + 2])
        if self.sloped:
            right[edge] += self.pull[q] * x[q + 1] + self.pull[q - 1] * x[q - 1]
        x[k] = _solved(band, right)

    def _levels(self, k: Ints) -> tuple[Ints, Signs, Array]:
        """Points of k whose bounds begin or cease to act, what then acts, and how far it is felt
        (time constants)."""
        at = slice(k[0], k[-1] + 1) if self._dense(k) else k
        x, acts = self.x[at], self.acts[at]
        now = (x > self.over[at]).view(np.int8) - (x < self.under[at]).view(np.int8)
        moved = np.flatnonzero((now != acts) & self.open[at])
        if not len(moved):
            return moved, now[moved], np.zeros(0)
        where = moved + at.start if isinstance(at, slice) else k[moved]
        now, was = now[moved], acts[moved]
        x = x[moved]
        out = np.where(was == 0, np.maximum(self.low[where] - x, x - self.high[where]), 1.0)
        turn = now - was
        cut, length = runs((where[1:] - where[:-1] > 1) | (turn[1:] != turn[:-1]))
        some = out >= WORST * np.repeat(np.maximum.reduceat(out, cut), length)
        far = np.where(was == 0, between(np.log(out / LEFT), NEAR, FAR), FAR)
        return where[some], now[some], far[some]

    def _bind(self, where: Ints, now: Signs) -> None:
        was = self.acts[where]
        spring = self.spring[where // self.count]
        self.weight[where] += spring * (np.abs(now) - np.abs(was))
        self.wanted[where] += spring * (
            self.low[where] * ((now < 0) * 1.0 - (was < 0))
            + self.high[where] * ((now > 0) * 1.0 - (was > 0))
        )
        self.acts[where] = now
        self.under[where] = self.low[where] - LAX * (now >= 0)
        self.over[where] = self.high[where] + LAX * (now <= 0)

    def _steps(self, k: Ints) -> tuple[Ints, Signs]:
        """Points of k whose step to the next begins or ceases to be held, and what then holds."""
        if self._dense(k):
            d = np.diff(self.x[k[0] - 1 : k[-1] + 2])
            if not self.sloped and np.abs(d).max() < self.least[k[0] // self.count]:
                return k[:0], self.acts[:0]
            s = np.arange(k[0] - 1, k[-1] + 1)
            acts, step = self.slopes[s[0] : s[-1] + 1], self.step[s[0] : s[-1] + 1]
        else:
            begin, _ = runs(k[1:] - k[:-1] > 1)
            s = np.concatenate((k, k[begin] - 1))
            d, acts, step = self.x[s + 1] - self.x[s], self.slopes[s], self.step[s]
        over = np.abs(d) > step + LAX_STEP * (acts == 0)
        far = np.flatnonzero(over | (acts != 0))
        s, now = s[far], np.sign(d[far]).astype(np.int8) * over[far]
        moved = now != acts[far]
        return s[moved], now[moved]

    def _bind_steps(self, where: Ints, now: Signs) -> None:
        if len(where):
            self.sloped = True
            self.slopes[where] = now
            spring = self.spring[where // self.count]
            self.pull[where] = spring * np.abs(now)
            self.push[where] = spring * now * self.step[where]


def _solved(band: Array, right: Array) -> Array:
    """The solution of a symmetric system of five bands, given by diagonal and the two below."""
    _, x, info = dpbsv(band.T, right[:, None], lower=1, overwrite_ab=1, overwrite_b=1)
    if info:
        raise ArithmeticError(f"Not positive definite in row {info}.")
    return np.asarray(x[:, 0])


def runs(new: NDArray[np.bool_]) -> tuple[Ints, Ints]:
    """Where runs begin, and how long they are; new[i] says that element i + 1 begins one."""
    flags = np.ones(len(new) + 2, bool)
    flags[1:-1] = new
    begin = np.flatnonzero(flags)
    return begin[:-1], begin[1:] - begin[:-1]


def union(start: Ints, end: Ints) -> Ints:
    """All integers in the ranges [start, end), in order."""
    order = np.argsort(start, kind="stable")
    start, end = start[order], np.maximum.accumulate(end[order])
    cut, length = runs(start[1:] > end[:-1])
    start, end = start[cut], end[cut + length - 1]
    length = end - start
    return np.repeat(start - (np.cumsum(length) - length), length) + np.arange(length.sum())
