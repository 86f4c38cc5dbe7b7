"""Progress of long work: told as fractions 0..1 to a function that may raise `Cancelled`."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[float], None]


def share(progress: Progress | None, low: float, high: float) -> Progress | None:
    """Progress of one part of the work, as the stretch `low` to `high` of the whole."""
    if progress is None:
        return None
    return lambda fraction: progress(low + (high - low) * fraction)
