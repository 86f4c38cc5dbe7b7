"""LAPACK's solvers for banded systems, without the rest of scipy.linalg: that takes a quarter of a
second to load, which is a quarter of the start of the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..native import extension

Solver = Callable[..., tuple[Any, Any, int]]
_lapack = extension("scipy", "linalg", "_flapack")
dpbsv: Solver = _lapack.dpbsv
# A positive definite band in factors, and a system solved with them
dpbtrf: Callable[..., tuple[Any, int]] = _lapack.dpbtrf
dpbtrs: Callable[..., tuple[Any, int]] = _lapack.dpbtrs
