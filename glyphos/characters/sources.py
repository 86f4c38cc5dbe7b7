"""What a head is read from: its file, a list of poses and what else lies beside it, and the state that they are in."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import unquote

from ..files import State, file_state

HeadState = tuple[State, State]
USD = (".usd", ".usda", ".usdc", ".usdz")


def poses_beside(model: str, poses: str) -> Path | None:
    """A character's list of poses, which lies beside its model; None for the one of the model's name, if any."""
    return Path(model).parent / poses if poses else None


def head_files(model: str, poses: str | Path | None = None) -> tuple[Path, Path]:
    """A head's file and its list of poses, whether they are there or not. model: a file, or one of our heads by name."""
    return Path(model), Path(poses) if poses else Path(model).with_suffix(".poses")


def head_state(model: str, poses: str | Path | None = None) -> HeadState:
    """By which a head is known to be another: what those files are just now."""
    head, listed = head_files(model, poses)
    return file_state(head), file_state(listed)


def files_with(model: Path, poses: str = "") -> Iterator[Path]:
    """A model's file and those that it needs beside it, whether they are there or not: its list of poses, the buffers
    and pictures that a glTF file names, the layers and pictures that a USD file is made of."""
    yield model
    if (listed := poses_beside(str(model), poses)) is not None:
        yield listed
    if (beside := model.with_suffix(".poses")).is_file() and beside != listed:
        yield beside
    if model.suffix.lower() in USD:
        yield from _usd_files(model)
    if model.suffix.lower() == ".gltf":
        try:
            document = json.loads(model.read_text(encoding="utf-8"))
        except ValueError:  # damaged: whoever opens it says so
            return
        for entry in (*document.get("buffers", ()), *document.get("images", ())):
            uri = entry.get("uri", "")
            if uri and not uri.startswith("data:"):
                yield model.parent / unquote(uri)


def _usd_files(model: Path) -> Iterator[Path]:
    """What a USD file refers to, and what that does; of a package (.usdz) all is in it."""
    from pxr import Tf, UsdUtils

    try:
        layers, others, _ = UsdUtils.ComputeAllDependencies(str(model))
    except Tf.ErrorException:  # damaged: whoever opens it says so
        return
    for name in (*(layer.realPath for layer in layers), *map(str, others)):
        if name and "[" not in name and Path(name) != model:
            yield Path(name)
