"""A pen that collects shapes on a head that turns, and a drawing: shapes with their curves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain
from math import cos, radians, sin
from typing import NamedTuple

import numpy as np

from .ink import CX, INK, Point, Points, clamp, oval
from .pose import Pose
from .vectors import Array, Ints, Kind, curves, plan

NO_DEPTH = float("nan")  # of a point: on the curved front of the face


@dataclass(frozen=True)
class Look:
    """Colours of a skin (or shell); `age`: how much its lines show."""

    base: str
    shade: str
    deep: str
    light: str
    blush: str
    age: float


class Shape(NamedTuple):
    """One thing to paint: a path by its number, or that many `pieces` from there on, filled or
    stroked. `clip`: paths that all limit it. Shapes of opacity 0 stay, so that a character always
    has the same ones. fade: the fill thins out from the middle to nothing at the rim."""

    name: str
    path: int
    fill: str | None = None
    stroke: str | None = None
    width: float = 0.0
    opacity: float = 1.0
    clip: tuple[int, ...] = ()
    fade: bool = False
    pieces: int = 1


@dataclass(frozen=True)
class Drawing:
    """Shapes from back to front; `elements` (n, 2) of all paths, those of path k from `first[k]`
    to before `first[k + 1]`: a start, then two controls and an end for every curve."""

    shapes: tuple[Shape, ...]
    elements: Array
    first: Ints

    def path(self, number: int, pieces: int = 1) -> Array:
        """The elements of one path, or of several in a row."""
        return self.elements[self.first[number] : self.first[number + pieces]]

    def bounds(self, number: int) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of the points of a path."""
        xs, ys = zip(*self.path(number)[::3].tolist(), strict=True)
        return min(xs), min(ys), max(xs), max(ys)


class Pen:
    """Places points of the flat drawing on a turning head. `still`: the body, which does not."""

    def __init__(
        self, pose: Pose, pivot: tuple[float, float], look: Look, *,
        ball: tuple[float, float] = (105.0, 150.0), middle: float = 230.0, depth: float = 58.0,
        moved: tuple[float, float, float] = (0.0, 0.0, 1.0),
    ) -> None:  # fmt: skip
        """moved: x, y and scale of the whole, at the end."""
        self.clip: tuple[int, ...] = ()
        self.look = look
        self.still = False
        turns = (
            -pose.degrees("head_yaw", 30), pose.degrees("head_pitch", 20),
            -pose.degrees("head_roll", 20),
        )  # fmt: skip
        self._trig = [(cos(radians(a)), sin(radians(a))) for a in turns]
        self._pivot, self._ball, self._middle, self._depth = pivot, ball, middle, depth
        self._moved = moved
        self._shapes: list[Shape] = []
        self._points: list[tuple[float, ...]] = []
        self._kinds: list[Kind] = []
        self._depths: list[float] = []  # of paths; NO_DEPTH: on the front of the face
        self._still: list[bool] = []
        self._widths: list[float] = []  # of brushes
        self._own: list[tuple[int, float]] = []  # points with a depth of their own

    # ---- collecting ---------------------------------------------------------------------------

    def path(self, points: Points, z: float | None = None, closed: bool = True) -> int:
        """A path that can limit shapes; its number."""
        return self._path(points, z, Kind(len(points), closed))

    def _path(self, points: Points, z: float | None, kind: Kind) -> int:
        if len(points[0]) == 3:
            at = len(self._points)
            self._own += [(at + k, p[2]) for k, p in enumerate(points)]
            points = [p[:2] for p in points]
        self._points += points
        self._kinds.append(kind)
        self._depths.append(NO_DEPTH if z is None else z)
        self._still.append(self.still)
        return len(self._kinds) - 1

    def _add(self, name: str, path: int, color: str | None, opacity: float,
             clip: tuple[int, ...] | None, **more: object) -> None:  # fmt: skip
        own = self.clip if clip is None else clip
        self._shapes.append(Shape(name, path, color, opacity=clamp(opacity), clip=own, **more))  # type: ignore[arg-type]

    def fill(self, name: str, points: Points, color: str, z: float | None = None,
             opacity: float = 1.0, clip: tuple[int, ...] | None = None) -> None:  # fmt: skip
        """An area."""
        self._add(name, self.path(points, z), color, opacity, clip)

    def fills(self, name: str, areas: Sequence[Points], color: str, z: float | None = None,
              opacity: float = 1.0, clip: tuple[int, ...] | None = None) -> None:  # fmt: skip
        """Areas that do not overlap, as one shape."""
        first = [self.path(points, z) for points in areas]
        self._add(name, first[0], color, opacity, clip, pieces=len(areas))

    def line(self, name: str, points: Points, width: float, color: str = INK,
             z: float | None = None, taper: tuple[float, float] = (0.0, 0.0), opacity: float = 1.0,
             clip: tuple[int, ...] | None = None, n: int = 0, belly: float = 1.0) -> None:  # fmt: skip
        """A line with pressure, `width` at its fullest; n: samples along it, 0 by its points."""
        self._add(name, self._brush(points, width, z, taper, n, belly), color, opacity, clip)

    def lines(self, name: str, several: Sequence[Points], width: float, color: str = INK,
              z: float | None = None, taper: tuple[float, float] = (0.0, 0.0), opacity: float = 1.0,
              clip: tuple[int, ...] | None = None, n: int = 0) -> None:  # fmt: skip
        """Lines alike as one shape."""
        first = [self._brush(points, width, z, taper, n) for points in several]
        self._add(name, first[0], color, opacity, clip, pieces=len(several))

    def _brush(self, points: Points, width: float, z: float | None, taper: tuple[float, float],
               n: int = 0, belly: float = 1.0) -> int:  # fmt: skip
        self._widths.append(width)
        n = n or min(13, 1 + 2 * len(points))
        return self._path(points, z, Kind(len(points), True, n, taper, belly))

    def soft(self, name: str, cx: float, cy: float, rx: float, ry: float, color: str,
             opacity: float, z: float | None = None) -> None:  # fmt: skip
        """A patch without an edge."""
        path = self.path(oval(cx, cy, rx * 1.15, ry * 1.15), z)
        self._add(name, path, color, opacity, None, fade=True)

    def ring(self, name: str, points: Points, width: float, color: str, z: float | None = None,
             opacity: float = 1.0, closed: bool = True) -> None:  # fmt: skip
        """An even stroke."""
        self._add(
            name, self.path(points, z, closed), None, opacity, None, stroke=color, width=width
        )

    # ---- placing ------------------------------------------------------------------------------

    def at(self, point: Point, z: float) -> Point:
        """Where one point at a depth comes to lie."""
        x, y = self._turned(np.array([point[0]]), np.array([point[1]]), np.array([z]))
        return float(x[0]), float(y[0])

    def _turned(self, x: Array, y: Array, z: Array) -> tuple[Array, Array]:
        (cy, sy), (cp, sp), (cr, sr) = self._trig
        px, py = self._pivot
        u, v = x - CX, y - self._middle
        x = CX - px + u * cy + z * sy
        y = self._middle - py + v * cp - z * sp
        return px + x * cr - y * sr, py + x * sr + y * cr

    def drawing(self) -> Drawing:
        """All shapes so far, with their curves."""
        kinds = tuple(self._kinds)
        if not kinds:
            return Drawing((), np.zeros((0, 2)), np.zeros(1, np.intp))
        count = len(self._points)
        flat = np.fromiter(chain.from_iterable(self._points), float, 2 * count).reshape(count, 2)
        counts = [k.points for k in kinds]
        z = np.repeat(self._depths, counts)
        for k, own in self._own:
            z[k] = own
        x, y = flat[:, 0], flat[:, 1]
        dome = np.isnan(z)
        if dome.any():
            u, v = (x[dome] - CX) / self._ball[0], (y[dome] - self._middle) / self._ball[1]
            over = 1 - u * u - v * v
            z[dome] = self._depth * np.sqrt(0.02 + 0.49 * (over + np.sqrt(over * over + 0.02)))
        turned = np.stack(self._turned(x, y, z), 1)
        points = np.where(np.repeat(self._still, counts)[:, None], flat, turned)
        p = plan(kinds)
        elements = curves(p, points, np.array(self._widths))
        dx, dy, scale = self._moved
        if scale != 1.0:
            elements = elements * scale + (dx, dy)
        return Drawing(tuple(self._shapes), elements, p.first)
