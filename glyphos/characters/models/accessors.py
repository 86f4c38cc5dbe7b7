"""Typed arrays of glTF: plain, interleaved, sparse, normalised and quantised (glTF 2.0, 3.6.2;
KHR_mesh_quantization)."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import ModelError
from .container import Container, whole

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
MOST = 50_000_000  # elements of one array
Array = NDArray[Any]


def read(container: Container, index: object, width: int | None = None) -> Array:
    """The elements (count, width) of an accessor, as they are meant: normalised ones as floats.

    width: how many components it must have. Raises ModelError for what does not fit its buffer.
    """
    entry = container.item("accessors", index)
    own, kind, count = _shape(container, entry)
    if width is not None and own != width:
        raise ModelError(
            f"{container.path.name} is damaged: an array has {own} numbers a place instead of "
            f"{width}; export it again."
        )
    if entry.get("bufferView") is None:
        values: Array = np.zeros((count, own), kind)
    else:
        values = _plain(
            container, entry["bufferView"], entry.get("byteOffset", 0), kind, count, own
        )
    sparse = entry.get("sparse")
    if sparse is not None:
        values = values.copy()
        where, new = _sparse(container, sparse, kind, own)
        if len(where) and int(where.max()) >= count:
            raise _outside(container)
        values[where] = new
    return _meant(values, entry)


def read_sparse(container: Container, index: object) -> tuple[Array | None, Array]:
    """(places, values) of an array that is 0 elsewhere; places is None if all are given."""
    entry = container.item("accessors", index)
    sparse = entry.get("sparse")
    if entry.get("bufferView") is not None or not isinstance(sparse, dict):
        return None, read(container, index, 3)
    own, kind, count = _shape(container, entry)
    where, new = _sparse(container, sparse, kind, own)
    if own != 3 or (len(where) and int(where.max()) >= count):
        raise _outside(container)
    return where.astype(np.intp), _meant(new, entry)


def _shape(container: Container, entry: dict[str, Any]) -> tuple[int, np.dtype[Any], int]:
    width = WIDTHS.get(str(entry.get("type")))
    kind = COMPONENTS.get(entry.get("componentType", 0))
    count = whole(entry.get("count"), "a count", container.path)
    if width is None or kind is None:
        raise ModelError(
            f"{container.path.name} is damaged: it has numbers of an unknown kind; export it again."
        )
    if count > MOST:
        raise ModelError(
            f"{container.path.name} says it has {count:,} points, more than a head can have; export "
            "the head alone."
        )
    return width, np.dtype(kind), count


def _plain(
    container: Container, view: object, offset: object, kind: np.dtype[Any], count: int, width: int
) -> Array:
    entry = container.item("bufferViews", view)
    data = container.view(view)
    start = whole(offset, "an offset", container.path)
    size = kind.itemsize * width
    stride = whole(entry.get("byteStride") or size, "a stride", container.path)
    if stride < size or (count and start + stride * (count - 1) + size > len(data)):
        raise _outside(container)
    if stride == size:
        return np.frombuffer(data, kind, count * width, start).reshape(count, width)
    if not count:
        return np.zeros((0, width), kind)
    return np.ndarray((count, width), kind, data, start, (stride, kind.itemsize)).copy()


def _sparse(
    container: Container, sparse: object, kind: np.dtype[Any], width: int
) -> tuple[Array, Array]:
    if not isinstance(sparse, dict):
        raise _outside(container)
    count = whole(sparse.get("count"), "a count", container.path)
    indices, values = sparse.get("indices"), sparse.get("values")
    if not isinstance(indices, dict) or not isinstance(values, dict) or count > MOST:
        raise _outside(container)
    number = COMPONENTS.get(indices.get("componentType", 0))
    if number not in ("<u1", "<u2", "<u4"):
        raise _outside(container)
    where = _plain(
        container,
        indices.get("bufferView"),
        indices.get("byteOffset", 0),
        np.dtype(number),
        count,
        1,
    )
    new = _plain(
        container, values.get("bufferView"), values.get("byteOffset", 0), kind, count, width
    )
    return where[:, 0], new


def _meant(values: Array, entry: dict[str, Any]) -> Array:
    if values.dtype.kind == "f":
        return np.nan_to_num(values.astype(np.float32), nan=0.0, posinf=0.0, neginf=0.0)
    if not entry.get("normalized"):
        return values
    top = np.iinfo(values.dtype).max
    return np.maximum(values.astype(np.float32) / top, -1.0)


def _outside(container: Container) -> ModelError:
    return ModelError(
        f"{container.path.name} is damaged: an array lies outside its buffer; export it again."
    )
