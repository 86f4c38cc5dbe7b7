"""Small arithmetic of a drawing: mixing, easing, colours, and points of common outlines."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from math import cos, pi, sin

INK = "#33282a"
CX = 200.0  # the middle line of every drawing, whose canvas is 400 wide and 500 high
BOX = (0.0, 0.0, 400.0, 500.0)
Point = tuple[float, float]
Points = Sequence[tuple[float, ...]]  # x, y, and sometimes a depth of their own


def clamp(x: float, low: float = 0.0, high: float = 1.0) -> float:
    """x, or the nearer end of the range."""
    return low if x < low else high if x > high else x


def mix(a: float, b: float, t: float) -> float:
    """From a (t = 0) to b (t = 1)."""
    return a + (b - a) * t


def ease(low: float, high: float, x: float) -> float:
    """From 0 at low to 1 at high without a corner."""
    t = clamp((x - low) / (high - low))
    return t * t * (3 - 2 * t)


@cache
def _channels(color: str) -> tuple[int, int, int]:
    return int(color[1:3], 16), int(color[3:5], 16), int(color[5:7], 16)


def tint(a: str, b: str, t: float) -> str:
    """A colour between two #rrggbb."""
    t = clamp(t)
    return "#" + "".join(
        f"{round(mix(x, y, t)):02x}" for x, y in zip(_channels(a), _channels(b), strict=True)
    )


@cache
def _circle(n: int) -> tuple[tuple[float, float], ...]:
    return tuple((cos(2 * pi * i / n), sin(2 * pi * i / n)) for i in range(n))


def oval(cx: float, cy: float, rx: float, ry: float, n: int = 12) -> list[Point]:
    """n points of an ellipse."""
    return [(cx + rx * c, cy + ry * s) for c, s in _circle(n)]


def slab(x: float, y: float, w: float, h: float, r: float, k: int = 3) -> list[Point]:
    """Points of a rectangle with round corners; more of them keep its straight sides straight."""
    r = max(0.01, min(r, w / 2, h / 2))
    step = r * pi / 2 / k
    made: list[Point] = []
    corners = ((x + w - r, y + r, -90, (w, h)), (x + w - r, y + h - r, 0, (h, w)),
               (x + r, y + h - r, 90, (w, h)), (x + r, y + r, 180, (h, w)))  # fmt: skip
    for cx, cy, a, e in corners:
        before, after = (min(step, max(0.0, v / 2 - r) * 0.98) for v in e)
        for i in range(k + 1):
            t = (a + 90 * i / k) * pi / 180
            p = (cx + r * cos(t), cy + r * sin(t))
            if i == 0:
                made.append((p[0] + before * sin(t), p[1] - before * cos(t)))
            made.append(p)
            if i == k:
                made.append((p[0] - after * sin(t), p[1] + after * cos(t)))
    return made


def mirrored(half: Points) -> list[Point]:
    """A whole outline from its right half, top to bottom, on the middle line at both ends."""
    right = [(p[0], p[1]) for p in half]
    return right + [(2 * CX - x, y) for x, y in right[-2:0:-1]]
