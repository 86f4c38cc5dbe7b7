"""How many examples a property test tries: a fixed set in CI, others at every run in `make fuzz`."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from typing import Any

from hypothesis import HealthCheck, settings

FUZZ = int(os.environ.get("GLYPHOS_FUZZ", "0"))


def some(values: Sequence[Any], count: int) -> Sequence[Any]:
    """The first `count` of them, which take the time there is in CI; all when fuzzing."""
    return values if FUZZ else values[:count]


def examples(count: int) -> Callable[[Any], Any]:
    """Try `count` examples, the same ones every time; when fuzzing as many as were asked for."""
    return settings(
        max_examples=FUZZ or count, deadline=None, derandomize=not FUZZ, database=None,
        suppress_health_check=list(HealthCheck) if FUZZ else (),
    )  # fmt: skip
