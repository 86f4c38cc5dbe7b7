"""The heads that ship, Mabel, Osric and Pip, built by `tools/heads` from formulas alone, and the
sets of drawings."""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .head import Head


BUILTIN = ("mabel", "osric", "pip")
SETS = ("osric-drawings", "pip-drawings")  # of drawings that ship


def builtin_path(name: str) -> Path:
    """Where the file of one of them lies."""
    return Path(str(files("glyphos.data") / "heads" / f"{name}.glb"))


def set_path(name: str) -> Path:
    """The folder of one of our sets of drawings."""
    return Path(str(files("glyphos.data") / "drawings" / name.removesuffix("-drawings")))


@cache
def builtin(name: str) -> Head:
    """One of them; KeyError for another name."""
    from .models.gltf import read_gltf

    if name not in BUILTIN:
        raise KeyError(name)
    return read_gltf(builtin_path(name))


def builtin_for(speaker: str) -> str:
    """Who stands in for a speaker without a character: the one of that name, else Mabel."""
    name = speaker.strip().lower()
    return name if name in BUILTIN else "mabel"
