"""The search of `smooth` in C, where a compiler was at hand when the package was installed.

It goes the same rounds over the same windows, and lets other threads run meanwhile.
"""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..native import compiled
from .spline import Array

Channels = Callable[..., int]


class Limits(ctypes.Structure):
    """The constants of one channel, in the order of smooth.c."""

    _fields_ = [
        *((name, ctypes.c_double) for name in (
            "bend", "reach", "spring", "lax", "lax_step", "worst", "far", "near", "left", "force",
            "further", "softest", "close",
        )),
        *((name, ctypes.c_long) for name in ("again", "alone", "together", "sure")),
    ]  # fmt: skip


_channels: Channels | None = compiled(Path(__file__).parent, "_smooth", "smooth_channels")
if _channels is not None:
    _channels.argtypes = [  # type: ignore[attr-defined]
        ctypes.c_void_p, ctypes.c_long, ctypes.c_long, ctypes.c_int, *[ctypes.c_void_p] * 7,
    ]  # fmt: skip
    _channels.restype = ctypes.c_int  # type: ignore[attr-defined]


def there_is() -> bool:
    """Whether the search was compiled."""
    return _channels is not None


def solve_channels(
    limits: list[Limits], small: bool, weight: Array, wanted: Array, low: Array, high: Array,
    step: Array, unknown: NDArray[np.bool_], x: Array,
) -> None:  # fmt: skip
    """Find x (channels, points) in place; `weight` and `wanted` are used up.

    Raises ArithmeticError where a system is not positive definite, MemoryError.
    """
    assert _channels is not None
    rows, count = x.shape
    arrays = (weight, wanted, low, high, step, unknown, x)
    for array in arrays:
        kind = np.bool_ if array is unknown else np.float64
        if array.shape != x.shape or array.dtype != kind or not array.flags.c_contiguous:
            raise TypeError("Arrays of equal shape, in C order, are needed.")
    table = (Limits * rows)(*limits)
    failed = _channels(table, rows, count, small, *(a.ctypes.data for a in arrays))
    if failed == 2:
        raise MemoryError
    if failed:
        raise ArithmeticError("Not positive definite.")
