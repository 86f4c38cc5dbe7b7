"""How long tests wait for what must come: long enough for the slowest machine, as only a failure ever waits so long."""

from __future__ import annotations

import time
from collections.abc import Callable

PATIENCE = 180.0  # seconds


def until(
    condition: Callable[[], object], *, seconds: float = PATIENCE, every: float = 0.01
) -> bool:
    """Wait until it holds, looking `every` so many seconds; whether it does."""
    end = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > end:
            return bool(condition())
        time.sleep(every)
    return True
