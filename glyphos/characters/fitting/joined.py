"""Which points belong together, and which are near: SciPy's graphs and trees, loaded when a face is looked for.

They take a third of a second to load, and a character whose face was found before needs none of it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..head import Ints
from .stack import Floats

if TYPE_CHECKING:
    from scipy.spatial import cKDTree


def pieces(pairs: Ints, count: int) -> Ints:
    """The number of the piece (count,) that each point belongs to. pairs (n, 2): points that are joined."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(pairs)), np.transpose(pairs)), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1])


def tree(points: Floats) -> cKDTree:
    """Points (n, 3), to be asked for those that are near."""
    from scipy.spatial import cKDTree

    return cKDTree(points)
