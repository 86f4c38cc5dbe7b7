"""From placed sounds to a spline: what they ask becomes one bounded smoothing problem."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from . import promises
from .bounds import Bounds
from .channels import COUNT, LOW, TOP, channels
from .delivery import Delivery
from .moments import NONE, Moments, found_on
from .placed import Placed
from .smooth import Problem, smooth
from .spline import Array, Grid, H, Spline, between

STRETCH, STILL_FOR = 60.0, 0.6  # seconds of a line at once, and of rest between two such
PER_SOUND = 0.6  # seconds: weight of a part of strength 1, whatever its length
REST_PULL = 0.02  # to rest, everywhere
SHORTEST = 0.06  # seconds of a pause in which the mouth is drawn to rest
BEFORE, AFTER = 0.4, 0.3  # seconds of the grid before the first sound and after rest
MARGIN, FELT = 0.7, 10.0  # seconds; time constants
CRISPEST = 0.030  # seconds: below it lips would jerk
LAZY = 1.6  # of the usual time constants; beyond, pace and smoothing together count less
TAU = np.array([c.tau for c in channels()])


@dataclass(frozen=True)
class Curves:
    """The curves of a line at every moment, and the moments that a frame should show."""

    spline: Spline
    moments: Moments


STILL = Curves(Spline(0, np.zeros((COUNT, 8))), NONE)


def grid_between(start: float, end: float, delivery: Delivery) -> Grid:
    """The points of a line whose sounds begin and end at these times of the face."""
    first = int(np.floor((start - BEFORE) / H))
    last = int(np.ceil((end + delivery.settle / 1000 + AFTER) / H))
    return Grid(first, last - first + 1)


def solve(s: Placed) -> Curves:
    """The curves of a whole line."""
    if s.silent:
        return STILL
    grid = grid_between(s.first, s.last, s.delivery)
    points, moments = np.zeros((COUNT, grid.count)), []
    for low, high in pairwise((grid.start, *_cuts(s), grid.end)):
        i, j = grid.index(low), grid.index(high)
        stretch = Grid(grid.first + i, j - i)
        made = _solve(s.within(low, high), stretch, np.zeros((COUNT, stretch.count)))
        points[:, i:j] = made.spline.points
        moments.append(made.moments.columns)
    return Curves(Spline(grid.first, points), Moments.joined(moments))


def _cuts(s: Placed) -> list[float]:
    """Where a long line is cut: in the middle of pauses in which the face is at rest for a while, so
    that neither side is felt on the other, and an hour takes no more memory than a minute."""
    found: list[float] = []
    begun = s.first
    for start, end in s.gaps[1:-1].tolist():
        middle = (start + end) / 2
        if end - start > 2 * s.delivery.settle / 1000 + STILL_FOR and middle - begun > STRETCH:
            found.append(middle)
            begun = middle
    return found


def solve_again(before: Curves, s: Placed, whole: Grid, low: float, high: float) -> Curves:
    """`before` after a change: `low` to `high` seconds computed anew, the rest kept.

    s: the sounds near. whole: the grid of the whole line. What is used is what `solve` would
    give, since a window with a margin on each side is solved, and neither end is felt that far.
    """
    points = _on(whole, before.spline)
    points[:, :2] = points[:, -2:] = 0.0  # a line ends at rest, wherever the earlier one did
    margin = margin_of(s.delivery)
    a = max(0, int(np.floor((low - margin) / H)) - whole.first)
    b = min(whole.count, int(np.ceil((high + margin) / H)) - whole.first)
    a = max(0, min(a, b - int(margin / H)))  # where the line ends its last stretch is solved
    window = Grid(whole.first + a, b - a)
    cut = int(margin / 2 / H)
    i, j = a + (cut if a > 0 else 0), b - (cut if b < whole.count else 0)
    if j <= i:  # long before the first sound: the face is at rest there, whatever changed
        return Curves(Spline(whole.first, points), before.moments)
    start, end = (whole.first + i) * H, (whole.first + j) * H
    made = _solve(s, window, points[:, a:b], (start, end))
    points[:, i:j] = made.spline.points[:, i - a : j - a]
    middle = before.moments.middle
    kept = [column[(middle < start) | (middle >= end)] for column in before.moments.columns]
    moments = Moments.joined([kept, made.moments.columns])
    return Curves(Spline(whole.first, points), moments)


def _on(grid: Grid, spline: Spline) -> Array:
    """Control points (channels, points) of a spline on another grid; 0 where it has none."""
    shift, count = spline.first - grid.first, spline.points.shape[1]
    if not shift and count == grid.count:
        return spline.points.copy()  # as mostly: half the time, on a long line
    points = np.zeros((COUNT, grid.count))
    i, j = max(0, shift), min(grid.count, shift + count)
    if j > i:
        points[:, i:j] = spline.points[:, i - shift : j - shift]
    return points


def margin_of(delivery: Delivery) -> float:
    """Seconds beside a window that are solved with it, so that its ends are not felt; half of them
    are used."""
    return max(MARGIN, FELT * float(_tau(delivery).max()))


def _solve(
    s: Placed, grid: Grid, known: Array, within: tuple[float, float] = (-np.inf, np.inf)
) -> Curves:
    """known (channels, points): what the points have before; the two at each end keep it.
    within (seconds): which moments are of use."""
    bounds = Bounds(grid)
    weight, wanted = _weights(s, grid, _tau(s.delivery))
    promises.vowels_arrive(bounds, s)
    promises.second_parts(bounds, s)
    promises.lips_unpressed(bounds, s)
    promises.teeth_let_go(bounds, s)
    promises.sibilants_keep_the_jaw_up(bounds, s)
    promises.sibilants_hiss(bounds, s)
    promises.glides_arrive(bounds, s)
    promises.lips_part_between(bounds, s)
    promises.teeth_on_lip(bounds, s)
    promises.marks(bounds, s)
    bounds.grant()
    promises.spread_or_round(bounds, s)
    promises.closures(bounds, s)
    promises.sparse(bounds, wanted)
    promises.rest(bounds, s)
    bounds.within_reach()
    edges = np.zeros_like(known)
    edges[:, :2], edges[:, -2:] = known[:, :2], known[:, -2:]
    problem = Problem(
        weight,
        wanted,
        bounds.low,
        bounds.high,
        bounds.steps(),
        bounds.fixed,
        edges,
        _tau(s.delivery),
    )
    points = between(smooth(problem), LOW[:, None], TOP[:, None])
    return Curves(Spline(grid.first, points), found_on(bounds.moments, points, grid, *within))


def _tau(delivery: Delivery) -> Array:
    """Time constants of the channels (channels,), seconds."""
    slower = (0.7 + 0.3 * delivery.smoothing / 30) * delivery.pace
    if slower > LAZY:
        slower = LAZY + 0.4 * (slower - LAZY)
    return np.maximum(TAU * slower, CRISPEST)


def _weights(s: Placed, grid: Grid, tau: Array) -> tuple[Array, Array]:
    """Weight, and weight times target (channels, points): each part over its core, and rest."""
    low, high = grid.position(s.core_low), grid.position(s.core_high)
    short = np.maximum(0.0, 0.2 - (high - low)) / 2
    low, high = low - short, high + short
    a = np.floor(low).astype(np.intp)
    length = np.ceil(high).astype(np.intp) - a + 1
    e = np.repeat(np.arange(len(a)), length)
    i = np.arange(len(e)) - np.repeat(np.cumsum(length) - length, length) + a[e]
    share = (_ramp(high[e] - i) - _ramp(low[e] - i)) / (high - low)[e] * (PER_SOUND / H)
    inside = (i >= 0) & (i < grid.count)
    i, e, share = i[inside], e[inside], share[inside]
    places = (np.arange(COUNT)[:, None] * grid.count + i).ravel()  # all channels end to end

    def added(x: Array) -> Array:
        """The shares of parts that are so much (m, channels), added up at every point."""
        all_of_it = (np.ascontiguousarray(x.T).take(e, 1) * share).ravel()
        sums = np.asarray(np.bincount(places, all_of_it, COUNT * grid.count), float)
        return sums.reshape(COUNT, grid.count)

    weight, wanted = added(s.strength), added(s.strength * s.target)
    settle = s.delivery.settle / 1000
    rest = between((2.4 * tau / settle) ** 4, 0.002, 3.0)[:, None]
    weight += np.minimum(REST_PULL, rest)
    gaps = s.gaps
    for start, end in gaps[gaps[:, 1] - gaps[:, 0] > SHORTEST].tolist():
        first, last = grid.index(start + 0.02), grid.index(end - 0.04)
        weight[:, max(first, 0) : max(last, 0)] += rest
    return weight, wanted


def _ramp(x: Array) -> Array:
    """The integral of a hat function from −∞ to x."""
    x = between(x, -1, 1)
    return np.where(x < 0, (1 + x) ** 2 / 2, 1 - (1 - x) ** 2 / 2)
