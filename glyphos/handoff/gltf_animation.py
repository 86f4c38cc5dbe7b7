"""Animations of morph targets added to a person's own glTF file; everything else in it stays."""

from __future__ import annotations

import copy
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ..characters.dressing import Dress, Dressed
from ..characters.head import Head
from ..characters.models.compressed import described, placeholder
from ..characters.models.container import Container, glb, read_container
from ..characters.posing import turns_of
from ..errors import SaveError
from ..motion.fewest import reduced
from .handing import Handing
from .quaternions import quaternions

FLOAT = 5126
LINEAR = "LINEAR"
Rows = NDArray[np.float32]


class Added:
    """New arrays behind what a buffer holds already."""

    def __init__(self, document: dict[str, Any], data: bytes, buffer: int) -> None:
        self.document, self.data, self.buffer = document, bytearray(data), buffer

    def accessor(self, values: Rows, kind: str, span: bool = False) -> int:
        self.data.extend(b"\0" * (-len(self.data) % 4))
        views = self.document.setdefault("bufferViews", [])
        views.append(
            {"buffer": self.buffer, "byteOffset": len(self.data), "byteLength": values.nbytes}
        )
        self.data.extend(values.astype("<f4").tobytes())
        entry: dict[str, Any] = {
            "bufferView": len(views) - 1, "componentType": FLOAT, "count": values.size if kind == "SCALAR" else len(values), "type": kind,
        }  # fmt: skip
        if span:
            entry.update(min=[float(values.min())], max=[float(values.max())])
        accessors = self.document.setdefault("accessors", [])
        accessors.append(entry)
        return len(accessors) - 1


def to_glb(dress: Dress, dressed: Dressed, handing: Handing) -> bytes:
    """The character's own file as GLB, with the line as an animation more."""
    from_zero(handing)
    container = _own(dressed, "GLB")
    document, data = _packed(container)
    added = Added(document, data, 0)
    _animate(added, container, dress, dressed, handing)
    document["buffers"][0]["byteLength"] = len(added.data)
    return glb(document, bytes(added.data))


def to_gltf(dress: Dress, dressed: Dressed, handing: Handing, path: Path) -> dict[str, bytes]:
    """A .gltf with the animation in a buffer of its own beside it; all else as in the model's file."""
    import json

    container = _own(dressed, "glTF")
    document = copy.deepcopy(container.document)
    buffers = document.setdefault("buffers", [])
    files: dict[str, bytes] = {}
    if buffers and "uri" not in buffers[0] and container.chunk:
        buffers[0]["uri"] = path.stem + "-model.bin"
        files[path.stem + "-model.bin"] = container.chunk[: buffers[0]["byteLength"]]
    from_zero(handing)
    for entry in (*buffers, *document.get("images", [])):
        uri = entry.get("uri", "")
        if (
            uri
            and not uri.startswith("data:")
            and path.parent.resolve() != container.path.resolve().parent
            and uri not in files
        ):
            files[unquote(uri)] = container.resource(uri, "part")
    added = Added(document, b"", len(buffers))
    buffers.append({"uri": path.stem + "-line.bin"})
    _animate(added, container, dress, dressed, handing)
    buffers[-1]["byteLength"] = len(added.data)
    files[path.stem + "-line.bin"] = bytes(added.data)
    files[path.name] = json.dumps(document, ensure_ascii=False, indent=1).encode() + b"\n"
    return files


def from_zero(handing: Handing) -> None:
    """glTF knows no time before 0."""
    if handing.first_frame < 0:
        raise SaveError(
            "glTF has no time before 0; choose a first frame of 0 or more, or .csv or .json."
        )


def _own(dressed: Dressed, what: str) -> Container:
    path = dressed.head.path
    if path.suffix.lower() not in (".glb", ".gltf", ".vrm"):
        raise SaveError(
            f"{path.name} is no glTF file, so its animation cannot be written as {what}; choose .usda, "
            ".csv or .json."
        )
    return read_container(path)


def _packed(container: Container) -> tuple[dict[str, Any], bytes]:
    """The document with one buffer of bytes; of a GLB it is left as it was, byte for byte."""
    document = copy.deepcopy(container.document)
    buffers = document.setdefault("buffers", [])
    empty = [
        placeholder(entry) and not (k == 0 and container.chunk) for k, entry in enumerate(buffers)
    ]
    if buffers and "uri" not in buffers[0] and not empty[0] and all(empty[1:]):
        return document, container.chunk[: buffers[0]["byteLength"]]
    data = bytearray()
    places: dict[int, tuple[int, int]] = {}  # buffer -> its new number, and where it begins there
    kept = [entry for entry, no in zip(buffers, empty, strict=True) if no]
    for k, no in enumerate(empty):
        if no:
            places[k] = (1 + sum(empty[:k]), 0)
            continue
        data.extend(b"\0" * (-len(data) % 4))
        places[k] = (0, len(data))
        data.extend(container.buffer(k)[: buffers[k]["byteLength"]])
    for view in document.get("bufferViews", []):
        for part in (view, described(view)):
            if part is not None:
                number, start = places[part["buffer"]]
                part["byteOffset"] = part.get("byteOffset", 0) + start
                part["buffer"] = number
    for image in document.get("images", []):
        uri = image.get("uri", "")
        if uri and not uri.startswith("data:"):
            picture = container.resource(uri, "texture")
            data.extend(b"\0" * (-len(data) % 4))
            document.setdefault("bufferViews", []).append(
                {"buffer": 0, "byteOffset": len(data), "byteLength": len(picture)}
            )
            data.extend(picture)
            del image["uri"]
            image["bufferView"] = len(document["bufferViews"]) - 1
            image.setdefault("mimeType", "image/png" if picture[:4] == b"\x89PNG" else "image/jpeg")
    document["buffers"] = [{"byteLength": len(data)}, *kept]
    return document, bytes(data)


def _animate(
    added: Added, container: Container, dress: Dress, dressed: Dressed, handing: Handing
) -> None:
    head = dressed.head
    targets = target_weights(dress, head)
    samplers: list[dict[str, Any]] = []
    channels: list[dict[str, Any]] = []
    nodes = container.items("nodes")
    names = _names_of(head, container)
    for number, node in enumerate(nodes):
        order = names.get(node.get("mesh", -1), []) if "mesh" in node else []
        if not order:
            continue
        rows = np.stack([targets.get(n, np.zeros(dress.frames)) for n in order], 1)
        if not rows.any():
            continue
        frames = keyed(rows, handing)
        samplers.append({
            "input": _times(added, frames, dress, handing), "interpolation": LINEAR,
            "output": added.accessor(rows[frames].ravel().astype(np.float32), "SCALAR"),
        })  # fmt: skip
        channels.append(
            {"sampler": len(samplers) - 1, "target": {"node": number, "path": "weights"}}
        )
    for number, (path, turns) in turned_nodes(dress, head):
        frames = keyed(turns, handing)
        samplers.append({
            "input": _times(added, frames, dress, handing), "interpolation": LINEAR,
            "output": added.accessor(turns[frames].astype(np.float32), f"VEC{turns.shape[1]}"),
        })  # fmt: skip
        channels.append({"sampler": len(samplers) - 1, "target": {"node": number, "path": path}})
    if not channels:
        raise SaveError("Nothing of this character moves in the line; fit it first.")
    added.document.setdefault("animations", []).append(
        {"name": handing.name, "samplers": samplers, "channels": channels}
    )


def target_weights(dress: Dress, head: Head) -> dict[str, NDArray[np.float64]]:
    """Curves of the morph targets: of expressions, what each stands for, added up."""
    found: dict[str, NDArray[np.float64]] = {}
    for k, channel in enumerate(dress.channels):
        for target, share in head.combined.get(channel, {channel: 1.0}).items():
            found[target] = found.get(target, np.zeros(dress.frames)) + share * dress.shares[:, k]
    return found


def _names_of(head: Head, container: Container) -> dict[int, list[str]]:
    """Names of the targets of each mesh, in its order."""
    from ..characters.models.gltf import target_names

    found: dict[int, list[str]] = {}
    for (mesh, _), name in sorted(target_names(container).items()):
        found.setdefault(mesh, []).append(name)
    return found


def turned_nodes(dress: Dress, head: Head) -> list[tuple[int, tuple[str, NDArray[np.float64]]]]:
    """Turns (frames, 4) and places (frames, 3) of bones that channels move, each node's once."""
    from scipy.spatial.transform import Rotation  # late: it takes its time

    matrices = _looking(dress, head)
    shifted = {n for n, m in matrices.items() if np.ptp(m[:, :3, 3], axis=0).max() > 1e-9}
    for channel, nodes in head.turned.items():
        shares = dress.shares[:, dress.channels.index(channel)]
        for node, (vector, shift) in nodes.items():
            moved = np.tile(np.eye(4), (dress.frames, 1, 1))
            moved[:, :3, :3] = Rotation.from_rotvec(
                shares[:, None] * np.asarray(vector)
            ).as_matrix()
            moved[:, :3, 3] = shares[:, None] * np.asarray(shift)
            before = matrices.get(node, np.tile(head.nodes[node].matrix, (dress.frames, 1, 1)))
            matrices[node] = before @ moved
            if any(shift):
                shifted.add(node)
    for node, turn in dress.bones.items():
        before = matrices.get(node, np.tile(head.nodes[node].matrix, (dress.frames, 1, 1)))
        moved = np.tile(np.eye(4), (dress.frames, 1, 1))
        moved[:, :3, :3] = turn
        matrices[node] = before @ moved
    found: list[tuple[int, tuple[str, NDArray[np.float64]]]] = []
    for node, made in matrices.items():
        scale = np.maximum(np.linalg.norm(made[:, :3, :3], axis=1, keepdims=True), 1e-12)
        turns = quaternions(made[:, :3, :3] / scale)
        found.append((node, ("rotation", turns)))
        if node in shifted:
            found.append((node, ("translation", made[:, :3, 3].copy())))
    return found


def _looking(dress: Dress, head: Head) -> dict[int, NDArray[np.float64]]:
    """Matrices (frames, 4, 4) of the nodes that follow gaze and head."""
    made: dict[int, NDArray[np.float64]] = {}
    if not any(np.any(t) for t in dress.turns.values()):
        return made
    for frame in range(dress.frames):
        for node, turn in turns_of(
            head, {n: float(t[frame]) for n, t in dress.turns.items()}
        ).items():
            if node not in made:
                made[node] = np.tile(head.nodes[node].matrix, (dress.frames, 1, 1))
            made[node][frame] = head.nodes[node].matrix @ turn
    return made


def keyed(rows: NDArray[np.float64], handing: Handing) -> NDArray[np.intp]:
    """Frames that carry a key: those that any of the channels needs."""
    kept = np.zeros(len(rows), bool)
    kept[[0, -1]] = True
    for column in rows.T:
        kept[reduced(column, 1.0, handing.error).frames] = True
    return np.flatnonzero(kept)


def _times(added: Added, frames: NDArray[np.intp], dress: Dress, handing: Handing) -> int:
    seconds = ((frames + handing.first_frame) / float(dress.fps)).astype(np.float32)
    return added.accessor(seconds, "SCALAR", span=True)
