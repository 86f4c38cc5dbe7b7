"""Morph targets of glTF meshes: what they move, wholly or in a few places."""

from __future__ import annotations

import numpy as np

from ...errors import ModelError
from ..head import Array, Shape
from ..posing import largest
from .accessors import read_sparse
from .container import Container, Document

DENSE = 0.4  # of a mesh, from which all of it is kept
Names = dict[tuple[int, int], str]  # of a mesh and the number of its target


def shapes_of(
    container: Container, primitive: Document, m: int, names: Names, count: int
) -> dict[str, Shape]:
    """Shapes of the mesh `m` with `count` points by their names, without those that move nothing; ModelError where
    its file is damaged."""
    found: dict[str, Shape] = {}
    targets = primitive.get("targets") or []
    if not isinstance(targets, list):
        raise ModelError(f"Morph targets of {container.path.name} are damaged; export it again.")
    for t, target in enumerate(targets):
        if not isinstance(target, dict) or "POSITION" not in target:
            continue
        where, delta = read_sparse(container, target["POSITION"])
        if where is None and len(delta) != count:
            raise ModelError(
                f"{container.path.name} is damaged: the target “{names[m, t]}” has another number "
                "of points than its mesh; export it again."
            )
        if where is not None and len(where) and int(where.max()) >= count:
            raise ModelError(
                f"Morph targets of {container.path.name} are damaged; export it again."
            )
        delta = delta.astype(np.float32)
        moved = np.flatnonzero(largest(delta))
        if not len(moved):
            continue
        if where is None and len(moved) > DENSE * count:
            normal = _at(container, target["NORMAL"], None, count) if "NORMAL" in target else None
            found[names[m, t]] = Shape(None, delta, normal)
            continue
        places = moved if where is None else where[moved]
        normal = None
        if "NORMAL" in target:
            normal = _at(container, target["NORMAL"], places, count)
        found[names[m, t]] = Shape(places.astype(np.intp), delta[moved], normal)
    return found


def _at(container: Container, index: object, places: np.ndarray | None, count: int) -> Array:
    """Values at some places (None: at all) of an array that may be sparse itself."""
    where, values = read_sparse(container, index)
    if where is None:
        if len(values) != count:
            raise ModelError(
                f"Morph targets of {container.path.name} are damaged; export it again."
            )
        full = values.astype(np.float32)
    else:
        full = np.zeros((count, 3), np.float32)
        full[where] = values
    return np.asarray(full if places is None else full[places])
