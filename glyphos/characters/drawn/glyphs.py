"""Tiny mouths for the score, 22 x 14: one for each kind of mouth that is seen."""

from __future__ import annotations

from functools import cache
from math import cos, pi, sin

import numpy as np
from numpy.typing import NDArray

from ...motion.channels import (
    BETWEEN,
    FRONT,
    HIGH,
    JAW,
    PART,
    PRESS,
    ROUND,
    TEETH,
    TIP,
    UPPER,
    WIDE,
)
from .ink import Point, Points
from .pen import Drawing, Look, Pen
from .pose import Pose

GLYPH = (0.0, 0.0, 22.0, 14.0)
X, Y = 11.0, 7.0
KINDS = (
    "rest", "pressed", "teeth on lip", "tongue between teeth", "tongue up", "hiss", "pushed teeth",
    "tongue back", "curled", "small round", "round", "spread", "half open", "open",
)  # fmt: skip
TONGUE, TONGUE_LIGHT = "#c5695f", "#e8948a"
_PLAIN = Look("", "", "", "", "", 0.0)


def kinds_seen(rows: NDArray[np.float64]) -> list[str]:
    """The kind of mouth that each row of channel values (moments, channels) shows."""
    value = rows.T
    part, rounded, tip = value[PART], value[ROUND], value[TIP]
    hissing = (value[JAW] < 0.22) & (value[UPPER] > 0.16) & (tip > 0.45) & (part > 0.08)
    tests = (
        ("teeth on lip", value[TEETH] > 0.55),
        ("pressed", (part <= 0.05) & (value[PRESS] > 0.15)),
        ("rest", part <= 0.05),
        ("tongue between teeth", value[BETWEEN] > 0.5),
        ("pushed teeth", hissing & (rounded > 0.3)),
        ("hiss", hissing & (rounded <= 0.3)),
        ("curled", (rounded > 0.35) & (rounded < 0.6) & (tip > 0.25)),
        ("small round", (rounded > 0.5) & (part < 0.3)),
        ("round", rounded > 0.38),
        ("tongue up", tip > 0.7),
        ("spread", (value[WIDE] > 0.33) & (part < 0.45)),
        ("tongue back", (value[HIGH] > 0.75) & (value[FRONT] < -0.15)),
        ("open", part > 0.46),
    )  # fmt: skip
    shown = np.array([*(t for _, t in tests), np.ones(len(rows), bool)])
    names = [n for n, _ in tests] + ["half open"]
    return [names[k] for k in shown.argmax(0).tolist()]  # the first that it is


@cache
def glyph(kind: str, ink: str, fill: str, paper: str) -> Drawing:
    """The glyph of a kind; `paper` is the colour of teeth."""
    pen = Pen(Pose({}), (X, Y), _PLAIN)
    pen.still = True
    _Glyph(pen, ink, fill, paper).draw(kind)
    return pen.drawing()


class _Glyph:
    def __init__(self, pen: Pen, ink: str, fill: str, paper: str) -> None:
        self.pen, self.ink, self.color, self.paper = pen, ink, fill, paper

    def draw(self, kind: str) -> None:
        getattr(self, "_" + kind.replace(" ", "_"))()

    # ---- parts --------------------------------------------------------------------------------

    def _area(self, points: Points, color: str, clip: tuple[int, ...] = ()) -> None:
        self.pen.fill("area", points, color, clip=clip)

    def _edge(self, points: Points, width: float = 1.5, closed: bool = True,
              clip: tuple[int, ...] = (), opacity: float = 1.0) -> None:  # fmt: skip
        self.pen.clip = clip
        self.pen.ring("edge", points, width, self.ink, opacity=opacity, closed=closed)
        self.pen.clip = ()

    def _stroke(self, points: Points, width: float, taper: tuple[float, float] = (0.5, 0.5),
                color: str = "") -> None:  # fmt: skip
        self.pen.line("stroke", points, width, color or self.ink, taper=taper, belly=0.6)

    def _mouth(
        self, w: float, up: float, down: float, roundness: float
    ) -> tuple[list[Point], tuple[int, ...]]:
        points = lens(w, up, down, roundness)
        self._area(points, self.color)
        return points, (self.pen.path(points),)

    def _ticks(self, x: float) -> None:
        """Pushed-out lips: a small stroke on either side."""
        for s in (-1, 1):
            self._stroke([(X + s * x, 4.4), (X + s * (x + 0.8), 7), (X + s * x, 9.6)], 1.2)

    def _teeth(self, clip: tuple[int, ...], top: float, edge: float, w: float) -> None:
        self._area([(X - w, top), (X, top), (X + w, top), (X + w, edge), (X, edge + 0.4), (X - w, edge)],
                   self.paper, clip)  # fmt: skip
        self._edge([(X - w, edge), (X, edge + 0.4), (X + w, edge)], 1.0, False, clip)

    def _gaps(self, xs: tuple[float, ...], top: float, low: float, clip: tuple[int, ...]) -> None:
        for x in xs:
            self._edge([(x, top), (x, low)], 0.7, False, clip, 0.8)

    # ---- kinds --------------------------------------------------------------------------------

    def _rest(self) -> None:
        self._stroke([(4.6, 6.4), (7.8, 7.5), (11, 7.7), (14.2, 7.5), (17.4, 6.4)], 1.5, (0.4, 0.4))

    def _pressed(self) -> None:
        halo = [(3.2, 7), (5, 4.9), (11, 4.5), (17, 4.9), (18.8, 7), (17, 9.1), (11, 9.5), (5, 9.1)]
        self.pen.fill("halo", halo, self.color, opacity=0.35)
        self._edge([(3.6, 7.0), (18.4, 7.0)], 2.6, False)
        for x, s in ((2.3, -1), (19.7, 1)):
            self._stroke([(x, 4.6), (x + s * 0.5, 7), (x, 9.4)], 1.3, (0.6, 0.6))

    def _teeth_on_lip(self) -> None:
        points, clip = self._mouth(7.6, 3.4, 1.6, 0.4)
        self._area(
            [(3, 3), (11, 2.6), (19, 3), (18.6, 7.4), (11, 7.9), (3.4, 7.4)], self.paper, clip
        )
        self._gaps((8.4, 11, 13.6), 3.0, 7.6, clip)
        self._edge(points, 1.2)
        lip = [(3.6, 7.6), (7, 9.3), (11, 9.8), (15, 9.3), (18.4, 7.6)]
        self._stroke(lip, 3.4, (0.3, 0.3))
        self._stroke(lip, 1.8, (0.1, 0.1), self.color)

    def _tongue_between_teeth(self) -> None:
        points, clip = self._mouth(7.6, 2.7, 2.7, 0.3)
        self._teeth(clip, 2, 5.7, 8)
        self._edge(points)
        tongue = [(7.9, 6.6), (11, 6.2), (14.1, 6.6), (14.2, 9.6), (12.8, 11.6), (11, 12.0),
                  (9.2, 11.6), (7.8, 9.6)]  # fmt: skip
        self._area(tongue, TONGUE_LIGHT)
        self._edge(tongue, 1.1)

    def _tongue_up(self) -> None:
        points, clip = self._mouth(7.2, 4.2, 5.2, 0.9)
        self._area([(2, 0), (20, 0), (20, 4.6), (11, 5.2), (2, 4.6)], self.paper, clip)
        self._edge([(2.0, 4.7), (20.0, 4.7)], 1.0, False, clip)
        tongue = [(6.2, 14), (6.8, 9.6), (7.8, 6.2), (9.2, 4.9), (11, 4.6), (12.8, 4.9), (14.2, 6.2),
                  (15.2, 9.6), (15.8, 14)]  # fmt: skip
        self._area(tongue, TONGUE_LIGHT, clip)
        self._edge(tongue, 1.0, False, clip)
        self._edge(points)

    def _hiss(self) -> None:
        points, clip = self._mouth(8.2, 2.6, 2.8, 0.6)
        self._area([(2, 2), (20, 2), (20, 7.1), (11, 7.2), (2, 7.1)], self.paper, clip)
        self._edge([(3.4, 7.1), (18.6, 7.1)], 1.1, False, clip)
        self._gaps((7, 9.7, 12.3, 15), 3, 11, clip)
        self._edge(points)

    def _pushed_teeth(self) -> None:
        points, clip = self._mouth(5.0, 4.4, 4.6, 0.95)
        self._area([(2, 0), (20, 0), (20, 7.1), (11, 7.2), (2, 7.1)], self.paper, clip)
        self._edge([(5, 7.1), (17, 7.1)], 1.1, False, clip)
        self._gaps((9.3, 12.7), 2, 12, clip)
        self._edge(points, 2.1)
        self._ticks(7.8)

    def _tongue_back(self) -> None:
        points, clip = self._mouth(7.2, 2.8, 3.6, 0.3)
        self._area([(4, 14), (5.6, 9.8), (8.4, 8.0), (11, 7.6), (13.6, 8.0), (16.4, 9.8), (18, 14)],
                   TONGUE, clip)  # fmt: skip
        self._edge(points)

    def _curled(self) -> None:
        points, clip = self._mouth(5.2, 3.9, 4.3, 0.95)
        self._area([(5, 14), (6.8, 10.2), (8.8, 8.4), (11, 7.8), (13.2, 8.4), (15.2, 10.2), (17, 14)],
                   TONGUE, clip)  # fmt: skip
        self._edge(points, 2.1)

    def _small_round(self) -> None:
        self._area(lens(3.0, 3.2, 3.2, 1), self.color)
        self._edge(lens(3.0, 3.2, 3.2, 1), 2.0)
        self._ticks(6.2)

    def _round(self) -> None:
        points, _ = self._mouth(4.3, 4.7, 4.9, 1)
        self._edge(points, 2.0)

    def _spread(self) -> None:
        points, clip = self._mouth(9.0, 2.3, 3.2, 0.5)
        self._teeth(clip, 2, 7.0, 9)
        self._edge(points)

    def _half_open(self) -> None:
        points, _ = self._mouth(7.0, 2.5, 3.4, 0.3)
        self._edge(points)

    def _open(self) -> None:
        points, clip = self._mouth(7.2, 4.6, 6.0, 0.8)
        self._teeth(clip, 0, 4.4, 8)
        self._edge(points)


def lens(w: float, up: float, down: float, roundness: float) -> list[Point]:
    """A closed mouth opening: half width, height above and below its corners, which are pointed
    (0) to elliptic (1)."""
    angles = [pi * (i / 8 - 0.5) for i in range(9)]
    power = 1.5 - 0.5 * roundness
    top = [(X + w * sin(t), Y - up * max(cos(t), 0) ** power) for t in angles]
    low = [(X + w * sin(t), Y + down * max(cos(t), 0) ** power) for t in angles]
    return top + low[-2:0:-1]
