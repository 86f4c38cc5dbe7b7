"""What channels do to a face, in mouth widths: rows of numbers that are linear in the points, hence
exact for mixtures of channels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .face import Face
from .stack import Floats

X, Y, Z = range(3)
Terms = tuple[tuple[str, int, float], ...]
# row: importance and (place, axis, sign); closure and lip-to-teeth count most
ROWS: dict[str, tuple[float, Terms]] = {
    "gap": (3.0, (("upper_mid", Y, 1), ("lower_mid", Y, -1))),
    "gap_left": (2.0, (("upper_left", Y, 1), ("lower_left", Y, -1))),
    "gap_right": (2.0, (("upper_right", Y, 1), ("lower_right", Y, -1))),
    "width": (1.6, (("corner_left", X, 1), ("corner_right", X, -1))),
    "shift": (1.0, (("corner_left", X, 0.5), ("corner_right", X, 0.5))),
    "corner_y_left": (1.2, (("corner_left", Y, 1),)),
    "corner_y_right": (1.2, (("corner_right", Y, 1),)),
    "corner_z_left": (0.6, (("corner_left", Z, 1),)),
    "corner_z_right": (0.6, (("corner_right", Z, 1),)),
    "protrusion": (1.8, (("upper_mid", Z, 0.5), ("lower_mid", Z, 0.5))),
    "teeth_on_lip": (2.2, (("upper_mid", Z, 1), ("lower_mid", Z, -1))),
    "upper_lip": (1.4, (("upper_mid", Y, 1),)),
    "lower_lip": (1.4, (("lower_mid", Y, 1),)),
    "upper_height": (1.4, (("border_upper", Y, 1), ("upper_mid", Y, -1))),
    "lower_height": (1.4, (("lower_mid", Y, 1), ("border_lower", Y, -1))),
    "border_z": (0.7, (("border_upper", Z, 0.5), ("border_lower", Z, 0.5))),
    "chin_y": (1.8, (("chin", Y, 1),)),
    "chin_z": (0.8, (("chin", Z, 1),)),
    "chin_x": (0.8, (("chin", X, 1),)),
    "cheek_left": (0.6, (("cheek_left", X, 1),)),
    "cheek_right": (0.6, (("cheek_right", X, -1),)),
    "cheek_z": (0.4, (("cheek_left", Z, 0.5), ("cheek_right", Z, 0.5))),
    "cheekbone_left": (0.6, (("cheekbone_left", Y, 1),)),
    "cheekbone_right": (0.6, (("cheekbone_right", Y, 1),)),
    "wings": (0.8, (("wing_left", Y, 0.5), ("wing_right", Y, 0.5))),
    "lids_left": (1.4, (("lid_upper_left", Y, 1), ("lid_lower_left", Y, -1))),
    "lids_right": (1.4, (("lid_upper_right", Y, 1), ("lid_lower_right", Y, -1))),
    "lid_lower_left": (0.6, (("lid_lower_left", Y, 1),)),
    "lid_lower_right": (0.6, (("lid_lower_right", Y, 1),)),
    "brow_inner_left": (0.8, (("brow_inner_left", Y, 1),)),
    "brow_inner_right": (0.8, (("brow_inner_right", Y, 1),)),
    "brow_outer_left": (0.8, (("brow_outer_left", Y, 1),)),
    "brow_outer_right": (0.8, (("brow_outer_right", Y, 1),)),
    "tongue_tip_y": (1.1, (("tongue_tip", Y, 1),)),
    "tongue_tip_z": (1.1, (("tongue_tip", Z, 1),)),
    "tongue_body_y": (1.0, (("tongue_body", Y, 1),)),
    "tongue_body_z": (1.0, (("tongue_body", Z, 1),)),
}  # fmt: skip
NAMES = tuple(ROWS)
IMPORTANCE = np.array([v[0] for v in ROWS.values()])


@dataclass(frozen=True)
class Measures:
    """rows (rows, channels), NaN where the face lacks a place; rest (rows,) of those at rest; the
    signed lip gap of every lip pair: gaps (pairs, channels) and gaps_rest (pairs,)."""

    rows: Floats
    rest: Floats
    gaps: Floats
    gaps_rest: Floats


def measured(face: Face) -> Measures:
    """Everything that is measured of a face, for all its channels."""
    rows, rest = np.full((len(ROWS), len(face.moves)), np.nan), np.zeros(len(ROWS))
    for r, (_, terms) in enumerate(ROWS.values()):
        if all(place in face.marks for place, _, _ in terms):
            row: Floats = np.zeros(len(face.moves))
            for place, axis, sign in terms:
                i, w = face.marks[place]
                row = row + sign * (face.moves[:, i, axis] * w).sum(1)
                rest[r] += sign * float((face.points[i, axis] * w).sum())
            rows[r] = row
    upper, lower = face.pairs
    gaps = np.asarray(face.moves[:, upper, Y].astype(float) - face.moves[:, lower, Y], float).T
    return Measures(rows, rest, gaps, face.points[upper, Y] - face.points[lower, Y])


def described(measures: Measures, channel: int) -> dict[str, float]:
    """Figures of one channel at its full value as a person would say them, per cent of mouth width."""
    found = {
        n: round(float(100 * v), 1)
        for n, v in zip(NAMES, measures.rows[:, channel], strict=True)
        if np.isfinite(v) and abs(v) >= 0.015
    }
    return dict(sorted(found.items(), key=lambda kv: -abs(kv[1])))
