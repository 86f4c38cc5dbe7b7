"""The loops over frames of `viterbi` in C, where a compiler was at hand when the package was installed.

They take the same steps as those in NumPy there, and let other threads run meanwhile.
"""

from __future__ import annotations

import ctypes
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..native import compiled

if TYPE_CHECKING:
    from .graph import Graph

Array = NDArray[np.float32]
Ints = NDArray[np.int32]
Doubles = NDArray[np.float64]
WIDEST = 64  # states of a band that there is room for


class Places(ctypes.Structure):
    """The graph, in the order of viterbi.c."""

    _fields_ = [
        *((name, ctypes.c_long) for name in ("states", "columns", "entries", "width", "window", "ahead")),
        *((name, ctypes.c_void_p) for name in (
            "senone", "entry", "entry_from", "stay", "advance", "entry_cost",
        )),
    ]  # fmt: skip


def _function(name: str, arguments: str) -> Any:
    """arguments: l for a number, p for an array or a structure."""
    function = compiled(Path(__file__).parent, "_viterbi", name)
    if function is not None:
        kinds = {"l": ctypes.c_long, "p": ctypes.c_void_p}
        function.argtypes = [kinds[a] for a in arguments]
        function.restype = None
    return function


_advance = _function("viterbi_advance", "plpppppplp")
_forward = _function("viterbi_forward", "llpppppp")
_backward = _function("viterbi_backward", "lllpppppp")


def there_is() -> bool:
    """Whether they were compiled."""
    return None not in (_advance, _forward, _backward)


class Steps:
    """Frames of the search through a graph, many at a time."""

    def __init__(self, graph: Graph, columns: int, window: int, ahead: int) -> None:
        self._window = min(window, len(graph.senone))
        self._kept = [
            np.ascontiguousarray(a, kind) for a, kind in (
                (graph.senone, np.int32), (graph.entries, np.int32), (graph.entry_from, np.int32),
                (graph.stay, np.float32), (graph.advance, np.float32), (graph.entry_cost, np.float32),
            )
        ]  # fmt: skip
        self._places = Places(
            len(graph.senone), columns, len(graph.entries), graph.entry_from.shape[1], self._window, ahead,
            *(a.ctypes.data for a in self._kept),
        )  # fmt: skip
        self._fresh = np.empty(self._window, np.float32)
        self._code = np.empty(self._window, np.uint16)
        self._small = graph.entry_from.shape[1] < 254

    def take(self, value: Array, scores: Array, low: int, high: int) -> tuple[Ints, Any, int, int]:
        """Goes through all frames of `scores`; `value` is that of the frame before, then of the last. Where each
        frame's window begins, how each of its states was reached, and the last window."""
        scores = np.ascontiguousarray(scores, np.float32)
        lows = np.empty(len(scores), np.int32)
        codes = np.empty((len(scores), self._window), np.uint8 if self._small else np.uint16)
        at = np.array([low, high], np.int_)
        _advance(
            ctypes.addressof(self._places), len(scores), scores.ctypes.data, value.ctypes.data, self._fresh.ctypes.data,
            self._code.ctypes.data, lows.ctypes.data, codes.ctypes.data, codes.itemsize, at.ctypes.data,
        )  # fmt: skip
        return lows, codes, int(at[0]), int(at[1])


def forward(out: Array, row: Doubles, chances: tuple[Doubles, Doubles, Doubles], shift: Ints) -> Doubles:  # fmt: skip
    """Forward chances of frames into `out` (frames, width); returns the last row."""
    row, shift = row.copy(), np.ascontiguousarray(shift, np.int32)
    _forward(len(out), out.shape[1], *_data(*chances, shift, row, out))
    return row


def backward(forward: Array, row: Doubles, chances: tuple[Doubles, Doubles, Doubles], shift: Ints) -> Doubles:  # fmt: skip
    """Forward chances of frames to posteriors, in place. chances, shift: of the frames after each, one less at the
    end; row: of the frame after the last. Returns that of the first."""
    row, shift = row.copy(), np.ascontiguousarray(shift, np.int32)
    _backward(len(forward), len(chances[0]), forward.shape[1], *_data(*chances, shift, row, forward))  # fmt: skip
    return row


def _data(*arrays: NDArray[Any]) -> list[int]:
    kinds = (np.float64, np.float64, np.float64, np.int32, np.float64, np.float32)
    if not all(a.flags.c_contiguous and a.dtype == k for a, k in zip(arrays, kinds, strict=True)):
        raise TypeError("Chances, shifts, the row and the table are needed, in C order.")
    return [a.ctypes.data for a in arrays]
