"""Parts that are compiled: ours, where a compiler was at hand when the package was installed, and single ones of
other packages that take long to load as a whole."""

from __future__ import annotations

import ctypes
from importlib import import_module
from importlib.machinery import EXTENSION_SUFFIXES, ExtensionFileLoader
from importlib.util import find_spec, module_from_spec, spec_from_loader
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


def extension(package: str, folder: str, name: str) -> Any:
    """The compiled module `package.folder.name` without all that `package.folder` loads; with it, if it cannot be
    found by itself."""
    found = find_spec(package)
    for place in found.submodule_search_locations or () if found else ():
        for suffix in EXTENSION_SUFFIXES:
            path = Path(place) / folder / f"{name}{suffix}"
            if path.exists():
                loader = ExtensionFileLoader(name, str(path))
                spec = spec_from_loader(name, loader)
                if spec is not None:
                    module = module_from_spec(spec)
                    loader.exec_module(module)
                    return module
    return import_module(f"{package}.{folder}.{name}")
