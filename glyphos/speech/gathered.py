"""Samples gathered block by block: in memory while they are few, on disk when they are many."""

from __future__ import annotations

import tempfile
from typing import IO

import numpy as np
from numpy.typing import NDArray

from ..caches import cache_folder

Array = NDArray[np.float32]
MOST = 24_000_000  # samples kept in memory: about eight minutes at 48 kHz


class Gathered:
    """Blocks of mono samples become one array, which is a map of a file without a name if long."""

    def __init__(self) -> None:
        self._blocks: list[Array] = []
        self._count = 0
        self._file: IO[bytes] | None = None

    def __len__(self) -> int:
        return self._count

    def add(self, block: Array) -> None:
        """One more block."""
        self._count += len(block)
        if self._file is not None:
            self._file.write(block.tobytes())
            return
        self._blocks.append(block)
        if self._count > MOST:
            # Where caches lie, since what is meant for passing files may be kept in memory
            self._file = tempfile.TemporaryFile(dir=cache_folder())  # noqa: SIM115 (kept open)
            for one in self._blocks:
                self._file.write(one.tobytes())
            self._blocks.clear()

    def samples(self) -> Array:
        """All of them; read-only where they lie on disk."""
        if self._file is None:
            return np.concatenate([np.zeros(0, np.float32), *self._blocks])
        self._file.flush()
        return np.memmap(self._file, np.float32, "r", shape=(self._count,))
