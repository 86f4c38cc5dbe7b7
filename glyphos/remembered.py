"""What takes long to compute of a sound, kept by the sound itself: whoever asks again, for another script, mood or
format, finds it. The longest unasked goes first."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from hashlib import blake2b
from threading import Lock
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

Made = TypeVar("Made")


class Remembered(Generic[Made]):
    """Up to `room` of what was made, in what `size_of` measures it; a single thing that is larger is not kept."""

    def __init__(self, room: int, size_of: Callable[[Made], int] = lambda _: 1) -> None:
        self._room, self._size_of = room, size_of
        self._kept: OrderedDict[Hashable, Made] = OrderedDict()
        self._used, self._turn = 0, Lock()

    def of(self, sound: NDArray[np.floating], make: Callable[[], Made], *also: Hashable) -> Made:
        """What was made of these samples and whatever else it hangs on. It is shared: nobody may change it."""
        data = np.ascontiguousarray(sound)
        key = (data.dtype.str, blake2b(data.data, digest_size=16).digest(), *also)
        with self._turn:
            if (known := self._kept.get(key)) is not None:
                self._kept.move_to_end(key)
                return known
        made = make()  # two that ask at once both make it
        with self._turn:
            if key not in self._kept and self._size_of(made) <= self._room:
                self._kept[key] = made
                self._used += self._size_of(made)
            while self._used > self._room:
                self._used -= self._size_of(self._kept.popitem(last=False)[1])
        return made

    def forget(self) -> None:
        """Keep nothing of what was made so far."""
        with self._turn:
            self._kept.clear()
            self._used = 0
