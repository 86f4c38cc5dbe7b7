"""Turns on the frames of a file, as quaternions: each the short way from the one before, or players would go round."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Doubles = NDArray[np.float64]


def short_way(turns: Doubles) -> Doubles:
    """The same turns (frames, 4), each with the sign that is nearer to the one before."""
    flips = np.cumprod(np.where((turns[1:] * turns[:-1]).sum(1) < 0, -1.0, 1.0))
    return np.asarray(np.concatenate([turns[:1], turns[1:] * flips[:, None]]))


def quaternions(matrices: Doubles, *, scalar_first: bool = False) -> Doubles:
    """Rotations (frames, 3, 3) as x, y, z, w (frames, 4); w first if the file has it so."""
    from scipy.spatial.transform import Rotation  # late: it takes its time

    return short_way(Rotation.from_matrix(matrices).as_quat(scalar_first=scalar_first))
