"""What an eye sees of a mouth, or of eyes and brows: the measure by which drawings are likened."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from .documents import CLOSED, Pose

Array = NDArray[np.float64]
WEIGHTS = {"gap": 2.0, "width": 0.25, "round": 0.6, "bites": 1.2, "tip": 0.12, "between": 0.5,
           "press": 0.08, "teeth": 0.08}  # fmt: skip
PARTS = {"blink": 1.0, "lid_raise": 0.3, "lid_tighten": 0.2, "brow_inner_raise": 0.6,
         "brow_outer_raise": 0.4, "brow_lower": 0.8, "cheek_raise": 0.1}  # fmt: skip
OTHER = 0.5  # squared distance above which two mouths are others; a wide one and a shut one are 2
TWINS = 0.05  # and below which they can hardly be told apart


def seen(names: Sequence[str], values: Array) -> Array:
    """What is seen of poses (n, channels): (n, len(WEIGHTS)), so scaled that squared distances are
    how unlike two mouths look."""
    column = {name: k for k, name in enumerate(names)}

    def get(name: str) -> Array:
        return values[:, column[name]] if name in column else np.zeros(len(values))

    part, jaw = get("lips_part"), get("jaw_open")
    gap = np.sqrt(np.maximum(part * (0.38 + 0.62 * jaw), 0.0))  # a little open is seen at once
    wide, rounded = get("lips_wide"), get("lips_round")
    found = np.stack(
        (gap, wide * (1 - rounded), rounded, get("lip_to_teeth"), get("tongue_tip") * part,
         get("tongue_between_teeth"), get("lips_press") * (part <= CLOSED), get("upper_lip_raise")), 1,
    )  # fmt: skip
    return np.asarray(found * np.sqrt(np.array(list(WEIGHTS.values()))))


def seen_parts(names: Sequence[str], values: Array, side: str = "") -> Array:
    """What is seen of eyes and brows, of one side or of both: (n, len(PARTS))."""
    column = {name: k for k, name in enumerate(names)}
    sides = (side,) if side else ("left", "right")

    def get(name: str) -> Array:
        """A plain name stands for both sides; who uses one does not use the other, but their rows have both."""
        own = [column[n] for n in (f"{name}_{s}" for s in sides) if n in column]
        each = values[:, own].mean(1) if own else np.zeros(len(values))
        return each + values[:, column[name]] if name in column else each

    found = np.stack([get(name) * np.sqrt(w) for name, w in PARTS.items()], 1)
    return np.asarray(found)


def rows_of(names: Sequence[str], poses: Sequence[Mapping[str, float]]) -> Array:
    """Poses as rows of channels."""
    return np.array([[p.get(n, 0.0) for n in names] for p in poses]).reshape(len(poses), len(names))


def unlike(a: Pose, b: Pose) -> float:
    """How unlike two mouths look."""
    names = sorted({*a, *b, "lips_part"})
    one, other = seen(names, rows_of(names, [a, b]))
    return float(((one - other) ** 2).sum())
