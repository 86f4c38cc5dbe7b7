"""LAPACK's solver for banded systems, without the rest of scipy.linalg: that takes a quarter of a
second to load, which is a quarter of the start of the window."""

from __future__ import annotations

from collections.abc import Callable
from importlib.machinery import EXTENSION_SUFFIXES, ExtensionFileLoader
from importlib.util import find_spec, module_from_spec, spec_from_loader
from pathlib import Path
from typing import Any

Solver = Callable[..., tuple[Any, Any, int]]


def _found() -> Solver:
    package = find_spec("scipy")
    for place in package.submodule_search_locations or () if package else ():
        for suffix in EXTENSION_SUFFIXES:
            path = Path(place) / "linalg" / f"_flapack{suffix}"
            if path.exists():
                loader = ExtensionFileLoader("_flapack", str(path))
                spec = spec_from_loader("_flapack", loader)
                if spec is not None:
                    module = module_from_spec(spec)
                    loader.exec_module(module)
                    return module.dpbsv  # type: ignore[no-any-return]
    from scipy.linalg import lapack

    return lapack.dpbsv  # type: ignore[no-any-return]


dpbsv = _found()
