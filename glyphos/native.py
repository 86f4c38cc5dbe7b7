"""Parts that are compiled, where a compiler was at hand when the package was installed."""

from __future__ import annotations

import ctypes
from importlib.machinery import EXTENSION_SUFFIXES
from pathlib import Path
from typing import Any


def compiled(folder: Path, library: str, function: str) -> Any:
    """A function of a compiled library in a folder; None where there is none that can be used."""
    for suffix in EXTENSION_SUFFIXES:
        path = folder / f"{library}{suffix}"
        if path.exists():
            try:
                return getattr(ctypes.CDLL(str(path)), function)
            except (OSError, AttributeError):  # of another machine, or of an earlier version
                return None
    return None
