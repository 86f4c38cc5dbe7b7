"""A head as one heap of points with what each of its channels does to them, for measuring."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import ModelError
from ...progress import Progress
from ..head import Head, Ints
from ..posing import Poser

Floats = NDArray[np.float64]
Moves = NDArray[np.float32]  # (channels, points, 3)
MOST = 30_000_000  # numbers of all displacements; beyond, only what moves is looked at


@dataclass(frozen=True)
class Stack:
    """points (n, 3), faces (m, 3), moves (channels, n, 3) at full value, part (n,) of each point."""

    points: Floats
    faces: Ints
    moves: Moves
    part: Ints
    channels: tuple[str, ...]


def stacked(head: Head, *, progress: Progress | None = None) -> Stack:
    """Everything of a head, at rest; pieces that no channel moves are left out where it is large.

    Raises ModelError for a head whose channels move nothing.
    """
    poser = Poser(head)
    rest = poser.rest().astype(float)
    part = np.repeat(np.arange(len(head.pieces)), np.diff(poser.first))
    names = head.channels
    found = []
    for k, name in enumerate(names):
        found.append(poser.moved(name))
        if progress is not None:
            progress(k / len(names))
    moved = np.zeros(len(rest), bool)
    for where, _ in found:
        moved[where] = True
    if not moved.any():
        raise ModelError(
            f"Nothing of {head.path.name} moves: it has no morph targets and no jaw; export it with its "
            "shape keys."
        )
    keep = np.ones(len(rest), bool)
    if len(rest) * len(names) * 3 > MOST:
        keep = np.isin(part, np.unique(part[moved]))
    index = np.cumsum(keep) - 1
    faces = poser.faces.astype(np.intp)
    faces = index[faces[keep[faces].all(1)]]
    moves = np.zeros((len(names), int(keep.sum()), 3), np.float32)
    for k, (where, delta) in enumerate(found):
        inside = keep[where]
        moves[k, index[where[inside]]] = delta[inside]
    return Stack(rest[keep], faces, moves, part[keep], names)
