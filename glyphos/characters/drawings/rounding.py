"""Masks widened, narrowed, closed and opened by a disk, by distances: exact, and as quick for large disks as for small.

What lies within a distance of a set is its dilation by the disk of that radius (Serra 1982, Image Analysis and
Mathematical Morphology), and distances to a set are found in linear time.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

Mask = NDArray[np.bool_]


def _reach(radius: float) -> float:
    """Half a pixel's square more than the radius, so that small disks are round."""
    return float(np.sqrt(radius * radius + 0.5))


def widened(mask: Mask, radius: float) -> Mask:
    """All pixels within `radius` of the mask."""
    if not mask.any():
        return mask.copy()
    return np.asarray(distance_transform_edt(~mask) <= _reach(radius))


def narrowed(mask: Mask, radius: float) -> Mask:
    """The pixels of the mask with nothing else within `radius`; what is beyond the picture is none of it."""
    return np.asarray(distance_transform_edt(np.pad(mask, 1))[1:-1, 1:-1] > _reach(radius))


def closed(mask: Mask, radius: float) -> Mask:
    """Gaps closed that the disk does not fit into."""
    return narrowed(widened(mask, radius), radius)


def opened(mask: Mask, radius: float) -> Mask:
    """What the disk does not fit into taken away."""
    return widened(narrowed(mask, radius), radius)
