"""Small models made by hand for the tests, as glTF documents."""

from __future__ import annotations

import struct
from pathlib import Path
from typing import Any

import numpy as np

from glyphos.characters.models.container import glb

QUAD = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], np.float32)
FACES = np.array([0, 1, 2, 0, 2, 3], np.uint16)


class Made:
    """A glTF document under construction: arrays become accessors of one buffer."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.document: dict[str, Any] = {
            "asset": {"version": "2.0"}, "accessors": [], "bufferViews": [], "nodes": [],
            "meshes": [], "scenes": [{"nodes": [0]}], "scene": 0,
        }  # fmt: skip

    def view(self, data: bytes, **more: Any) -> int:
        self.data.extend(b"\0" * (-len(self.data) % 4))
        self.document["bufferViews"].append(
            {"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data), **more}
        )
        self.data.extend(data)
        return len(self.document["bufferViews"]) - 1

    def add(self, values: np.ndarray, **more: Any) -> int:
        kinds = {"f4": 5126, "u2": 5123, "u1": 5121, "i2": 5122, "i1": 5120, "u4": 5125}
        width = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
        rows = values.reshape(len(values), -1)
        entry = {
            "bufferView": self.view(np.ascontiguousarray(values).tobytes()),
            "componentType": kinds[values.dtype.str[1:]], "count": len(rows),
            "type": width[rows.shape[1]], **more,
        }  # fmt: skip
        self.document["accessors"].append(entry)
        return len(self.document["accessors"]) - 1

    def mesh(self, targets: dict[str, np.ndarray] | None = None, **more: Any) -> dict[str, Any]:
        """A square with morph targets, as the first mesh and node."""
        primitive = {
            "attributes": {"POSITION": self.add(QUAD, min=[-1, -1, 0], max=[1, 1, 0])},
            "indices": self.add(FACES),
        }
        entry: dict[str, Any] = {"primitives": [primitive], **more}
        if targets:
            primitive["targets"] = [{"POSITION": self.add(d)} for d in targets.values()]
            entry["extras"] = {"targetNames": list(targets)}
        self.document["meshes"].append(entry)
        self.document["nodes"].append({"mesh": len(self.document["meshes"]) - 1})
        return primitive

    def save(self, path: Path) -> Path:
        if self.data:
            self.document["buffers"] = [{"byteLength": len(self.data)}]
        path.write_bytes(glb(self.document, bytes(self.data)))
        return path


def cut(path: Path, length: int) -> Path:
    path.write_bytes(path.read_bytes()[:length])
    return path


def with_length(data: bytes, length: int) -> bytes:
    return data[:8] + struct.pack("<I", length) + data[12:]


def skinned(targets: dict[str, np.ndarray] | None = None) -> Made:
    """A square that hangs on two bones; its third corner on both."""
    made = Made()
    primitive = made.mesh(targets)
    primitive["attributes"]["JOINTS_0"] = made.add(np.array([[0, 1, 0, 0]] * 4, np.uint8))
    primitive["attributes"]["WEIGHTS_0"] = made.add(
        np.array([[1, 0, 0, 0], [0, 1, 0, 0], [0.5, 0.5, 0, 0], [1, 0, 0, 0]], np.float32)
    )
    made.document["nodes"][0].update(skin=0, translation=[9, 9, 9])  # ignored for what is skinned
    made.document["nodes"] += [
        {"name": "root", "children": [2]},
        {"name": "jaw", "translation": [1, 0, 0]},
    ]
    inverse = np.tile(np.eye(4, dtype=np.float32), (2, 1, 1))
    inverse[1, 3, 0] = -1  # columns first
    made.document["skins"] = [
        {"joints": [1, 2], "inverseBindMatrices": made.add(inverse.reshape(2, 16))}
    ]
    return made
