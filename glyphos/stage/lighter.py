"""Fewer triangles, for pictures that must come soon: edges go where neither the rest of a head nor its widest
moves show it (Garland and Heckbert 1997 and 1998, as meshoptimizer has them). Vertices that stay are where they were.
"""

from __future__ import annotations

import ctypes
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..characters.head import Array
from ..characters.posing import Poser
from .groups import Faces


@dataclass(frozen=True)
class Least:
    """share: of the triangles, that are kept; error: of the head's longest side, by which a surface may be off at the
    most; few: triangles that are left as they are."""

    share: float
    error: float
    few: int


SEEN = Least(0.3, 0.004, 4000)
CASTING = Least(0.3, 0.008, 1000)  # of those, of what throws a shadow: its edges are soft
MOVES = 8  # targets that are looked at: the widest; a vertex has 32 attributes at the most
# How much a normal that is turned about counts, a colour from black to white, and a place on a picture from edge to
# edge, beside a vertex that is off by the whole head
BEND, TINT, PICTURE = 0.15, 0.15, 0.5


def looked_at(poser: Poser, rest: Array, normals: Array, looks: Array) -> Array:
    """What surfaces may not lose, of each vertex (n, k): its normal, colour and place on a picture, and where the
    widest moves take it in parts of the head's longest side. looks: as `surfaces.still` has them."""
    size = float(np.ptp(rest, axis=0).max(initial=0.0)) or 1.0
    names = {name for piece in poser.head.pieces for name in piece.shapes}

    def wide(name: str) -> float:
        own = (p.shapes[name].delta for p in poser.head.pieces if name in p.shapes)
        return sum(float(np.abs(delta).sum()) for delta in own)

    columns = [BEND * normals, TINT * looks[:, :3], PICTURE * looks[:, 5:7]]
    for name in sorted(names, key=lambda n: (-wide(n), n))[:MOVES]:
        column = np.zeros_like(rest)
        for move in poser.moves(name):
            column[move.where] += move.delta / size
        columns.append(column)
    return np.ascontiguousarray(np.concatenate(columns, 1), np.float32)


def lighter(faces: Faces, rest: Array, seen: Array, least: Least = SEEN) -> Faces:
    """Some of the triangles (m, 3), of the same vertices (n, 3); all of them where meshoptimizer is not installed.

    seen: as `looked_at` has it.
    """
    if len(faces) < least.few:
        return faces
    try:
        import meshoptimizer
    except (ImportError, OSError):  # it is built where it is installed, and may be missing
        return faces

    indices = np.ascontiguousarray(faces.ravel(), np.uint32)
    made: NDArray[np.uint32] = np.zeros_like(indices)
    size = ctypes.c_size_t  # of this call the package does not tell C what it is given
    count = meshoptimizer.simplify_with_attributes(
        made, indices, np.ascontiguousarray(rest, np.float32), seen, np.ones(seen.shape[1], np.float32),
        index_count=size(len(indices)), vertex_count=size(len(rest)), vertex_positions_stride=size(12),
        vertex_attributes_stride=size(4 * seen.shape[1]), attribute_count=size(seen.shape[1]),
        target_index_count=size(3 * round(least.share * len(faces))), target_error=ctypes.c_float(least.error),
        options=meshoptimizer.SIMPLIFY_LOCK_BORDER,
    )  # fmt: skip
    return made[:count].reshape(-1, 3).copy()
