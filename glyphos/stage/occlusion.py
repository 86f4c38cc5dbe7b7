"""Light that cannot reach, for heads that do not bring it in their colours: how much of the sky each
point sees at rest, through a coarse model of everything (ambient occlusion; Zhukov et al. 1998)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..characters.head import Array

CELLS = 56  # along the longest side
RAYS = 24
STEPS = (1.6, 2.4, 3.4, 4.8, 6.5, 9.0, 12.0)  # cells away from the point
FAR = 16.0  # cells from which nothing shades any more
LEAST = 0.6  # what lies in a shut mouth at rest is seen when it opens


def occlusion(points: Array, normals: Array, faces: NDArray[np.uint32]) -> Array:
    """Of each point (n,), from `LEAST` (shut in) to 1 (free)."""
    if not len(points) or not len(faces):
        return np.ones(len(points), np.float32)
    low, high = points.min(0), points.max(0)
    cell = float((high - low).max()) / CELLS or 1.0
    size = np.ceil((high - low) / cell).astype(int) + 3
    solid = np.zeros(size, bool)
    corners = points[faces]
    for share in ((0.33, 0.33, 0.34), (0.7, 0.15, 0.15), (0.15, 0.7, 0.15), (0.15, 0.15, 0.7)):
        middle = np.einsum("nkj,k->nj", corners, np.array(share, np.float32))
        solid[tuple(((middle - low) / cell + 1).astype(int).T)] = True
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    unit = normals / np.maximum(length, 1e-12)
    seen, total = np.zeros(len(points), np.float32), np.full(len(points), 1e-6, np.float32)
    for way in _ways():
        facing = np.maximum(unit @ way, 0).astype(np.float32)
        free = np.ones(len(points), np.float32)
        for step in STEPS:
            at = ((points + unit * cell * 1.2 + way * cell * step - low) / cell + 1).astype(int)
            inside = ((at >= 0) & (at < size)).all(1)
            hit = np.zeros(len(points), bool)
            hit[inside] = solid[tuple(at[inside].T)]
            free[hit] = np.minimum(free[hit], min(1.0, (step - 1) / FAR))
        total += facing
        seen += facing * free
    return np.asarray(np.clip(LEAST + (1 - LEAST) * seen / total, LEAST, 1.0), np.float32)


def _ways() -> NDArray[np.float32]:
    """Directions spread evenly (a Fibonacci sphere)."""
    k = np.arange(RAYS) + 0.5
    polar, around = np.arccos(1 - 2 * k / RAYS), np.pi * (1 + 5**0.5) * k
    made = np.stack(
        [np.cos(around) * np.sin(polar), np.cos(polar), np.sin(around) * np.sin(polar)], 1
    )
    return made.astype(np.float32)
