"""Least squares within bounds for many right sides at once, by ADMM (Boyd et al. 2011)."""

from __future__ import annotations

import numpy as np

from ..head import Ints
from .stack import Floats

NOBODY: Ints = np.zeros(0, np.intp)


def project(values: Floats, top: Floats, group: Ints = NOBODY) -> Floats:
    """The nearest point within 0..top; shapes of an exclusive group also sum to at most 1
    (projection on a simplex: Duchi et al. 2008)."""
    made = np.clip(values, 0, top)
    if len(group):
        over = np.flatnonzero(made[:, group].sum(1) > 1)
        if len(over):
            y = values[np.ix_(over, group)]
            falling = -np.sort(-y, axis=1)
            level = (np.cumsum(falling, 1) - 1) / np.arange(1, falling.shape[1] + 1)
            last = (falling > level).sum(1) - 1
            made[np.ix_(over, group)] = np.maximum(
                0, y - level[np.arange(len(over)), last][:, None]
            )
    return made


def box_least(
    a: Floats, b: Floats, top: Floats | float, rounds: int = 300, group: Ints = NOBODY
) -> Floats:
    """min x'Ax/2 − b'x within 0..top for each row of b."""
    limits = np.broadcast_to(np.asarray(top, float), (len(a),))
    rho = 0.5 * np.exp(np.log(np.maximum(np.linalg.eigvalsh(a), 1e-6)).mean())
    inverse = np.linalg.inv(a + rho * np.eye(len(a)))
    z, u = np.zeros_like(b), np.zeros_like(b)
    for _ in range(rounds):
        x = (b + rho * (z - u)) @ inverse
        x = 1.6 * x - 0.6 * z
        z = project(x + u, limits, group)
        u += x - z
    return z
