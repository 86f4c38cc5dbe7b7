"""Buffer views compressed for the way (EXT_meshopt_compression), where the decoder is installed."""

from __future__ import annotations

from importlib.util import find_spec
from typing import Any

import numpy as np

from ...errors import ModelError

NAME = "EXT_meshopt_compression"
MOST = 1 << 28  # bytes of one view, unpacked
WIDEST = 256  # bytes of one element
FILTERS = {"OCTAHEDRAL": (4, 8), "QUATERNION": (8,), "EXPONENTIAL": tuple(range(4, WIDEST + 1, 4))}


def readable() -> bool:
    """Is the decoder there? It is built while Glyphos is set up, where there is a compiler."""
    return find_spec("meshoptimizer") is not None


def described(entry: dict[str, Any]) -> dict[str, Any] | None:
    """What the extension says of a buffer or a buffer view, if it says anything."""
    extensions = entry.get("extensions")
    found = extensions.get(NAME) if isinstance(extensions, dict) else None
    return found if isinstance(found, dict) else None


def placeholder(buffer: dict[str, Any]) -> bool:
    """Does this buffer hold nothing, and only give the unpacked views a place?"""
    return described(buffer) is not None and "uri" not in buffer


def unpacked(file: str, said: dict[str, Any], data: bytes) -> bytes:
    """The bytes of a view (count × byteStride), from its compressed ones.

    Raises ModelError if they are damaged or ask for what the extension does not have.
    """
    import meshoptimizer as decoder

    count, stride, mode = said.get("count"), said.get("byteStride"), said.get("mode")
    kind = said.get("filter", "NONE")
    if (
        not isinstance(count, int)
        or not isinstance(stride, int)
        or count < 0
        or not 0 < stride <= WIDEST
        or count * stride > MOST
        or (mode == "ATTRIBUTES" and stride % 4)
        or (mode != "ATTRIBUTES" and stride not in (2, 4))
        or (mode == "TRIANGLES" and count % 3)
        or (kind != "NONE" and (mode != "ATTRIBUTES" or stride not in FILTERS.get(kind, ())))
    ):
        raise _damaged(file)
    if not count:
        return b""
    try:
        if mode == "ATTRIBUTES":
            values = decoder.decode_vertex_buffer(count, stride, data, np.dtype(f"V{stride}"))
        elif mode == "TRIANGLES":
            values = decoder.decode_index_buffer(count, stride, data)
        elif mode == "INDICES":
            values = decoder.decode_index_sequence(count, stride, data)
        else:
            raise _damaged(file)
        if kind == "OCTAHEDRAL":
            values = decoder.decode_filter_oct(values, count, stride)
        elif kind == "QUATERNION":
            values = decoder.decode_filter_quat(values, count, stride)
        elif kind == "EXPONENTIAL":
            values = decoder.decode_filter_exp(values, count, stride)
    except (ValueError, RuntimeError, MemoryError):
        raise _damaged(file) from None
    # The decoder makes room for four bytes an index also where it writes two
    return bytes(values.tobytes()[: count * stride])


def _damaged(file: str) -> ModelError:
    return ModelError(
        f"{file} is damaged: a compressed part of it cannot be unpacked; export it again."
    )
