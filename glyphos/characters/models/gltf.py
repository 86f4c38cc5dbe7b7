"""Heads from glTF files: meshes with morph targets, nodes, skins, materials; VRM's expressions."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from ...errors import ModelError
from ...progress import Progress
from ..head import (
    CLAMPED,
    MIRRORED,
    REPEATED,
    Array,
    Doubles,
    Head,
    Material,
    Node,
    Piece,
    Rig,
    Skin,
)
from ..posing import face_normals
from .accessors import read
from .container import Container, Document, read_container
from .morphs import Names, shapes_of
from .vrm import expressions_of

TRIANGLES, STRIP, FAN = 4, 5, 6
MOST_VERTICES = 5_000_000


def read_gltf(path: Path, *, progress: Progress | None = None) -> Head:
    """A head from a .glb, .gltf or .vrm file; ModelError with a sentence if it cannot be used."""
    container = read_container(path)
    try:
        return _head(container, progress)
    except (TypeError, ValueError, KeyError, AttributeError, IndexError, OverflowError):
        # whatever else stands where something else should stand
        raise ModelError(
            f"{path.name} is damaged: something in it is not what glTF asks for; export it again."
        ) from None


def _head(container: Container, progress: Progress | None) -> Head:
    path = container.path
    nodes = _nodes(container)
    names, said = _target_names(container)
    skins = tuple(_skin(container, s) for s in container.items("skins"))
    meshes = container.items("meshes")
    users = [(k, n) for k, n in enumerate(container.items("nodes")) if "mesh" in n]
    pieces: list[Piece] = []
    for done, (number, node) in enumerate(users):
        if progress is not None:
            progress(done / len(users))
        container.item("meshes", node["mesh"])
        pieces += _pieces(container, number, node, names, len(skins))
    if not pieces:
        raise ModelError(f"There is no mesh in {path.name}; export the head with its meshes.")
    targets = tuple(
        dict.fromkeys(names[m, t] for m in range(len(meshes)) for t in range(_count(meshes[m])))
    )
    rig = rig_of(_root_extras(container))
    images, missing = _images(container)
    return Head(
        path.stem, path, tuple(pieces), nodes, skins, images, targets,
        expressions_of(container, names), rig, (*said, *missing),
    )  # fmt: skip


# ------------------------------------------------------------------ nodes and skins
def _nodes(container: Container) -> tuple[Node, ...]:
    entries = container.items("nodes")
    parent = [-1] * len(entries)
    for k, entry in enumerate(entries):
        for child in entry.get("children", []):
            container.item("nodes", child)
            if parent[child] >= 0 or child == k:
                raise _tangled(container)
            parent[child] = k
    for k in range(len(entries)):
        at, steps = k, 0
        while parent[at] >= 0:
            at, steps = parent[at], steps + 1
            if steps > len(entries):
                raise _tangled(container)
    return tuple(
        Node(str(e.get("name", f"node {k}")), parent[k], _matrix(container, e))
        for k, e in enumerate(entries)
    )


def _tangled(container: Container) -> ModelError:
    return ModelError(
        f"The parts of {container.path.name} hang on each other in a circle; export it again."
    )


def _matrix(container: Container, entry: Mapping[str, Any]) -> Doubles:
    if "matrix" in entry:
        return _numbers(container, entry["matrix"], 16).reshape(4, 4).T
    x, y, z, w = _numbers(container, entry.get("rotation", [0, 0, 0, 1]), 4)
    length = np.sqrt(x * x + y * y + z * z + w * w) or 1.0
    x, y, z, w = x / length, y / length, z / length, w / length
    made = np.eye(4)
    made[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    made[:3, :3] *= _numbers(container, entry.get("scale", [1, 1, 1]), 3)
    made[:3, 3] = _numbers(container, entry.get("translation", [0, 0, 0]), 3)
    return made


def _numbers(container: Container, value: object, count: int) -> Doubles:
    try:
        made = np.asarray(value, float)
    except (TypeError, ValueError):
        made = np.zeros(0)
    if made.shape != (count,) or not np.isfinite(made).all():
        raise ModelError(
            f"{container.path.name} is damaged: a place or turn in it is no number; export it again."
        )
    return made


def _skin(container: Container, entry: Document) -> Skin:
    joints = entry.get("joints")
    if not isinstance(joints, list) or not joints:
        raise ModelError(f"A skin of {container.path.name} has no bones; export it again.")
    for j in joints:
        container.item("nodes", j)
    inverse = np.tile(np.eye(4), (len(joints), 1, 1))
    if "inverseBindMatrices" in entry:
        read_in = read(container, entry["inverseBindMatrices"], 16).reshape(-1, 4, 4)
        if len(read_in) < len(joints):
            raise ModelError(f"A skin of {container.path.name} lacks bones; export it again.")
        inverse = read_in[: len(joints)].transpose(0, 2, 1).astype(float)
    return Skin(tuple(joints), inverse)


# ------------------------------------------------------------------ meshes
def _count(mesh: Document) -> int:
    primitives = mesh.get("primitives")
    if not isinstance(primitives, list):
        return 0
    return max((len(p.get("targets") or ()) for p in primitives if isinstance(p, dict)), default=0)


def _target_names(container: Container) -> tuple[Names, list[str]]:
    """A name for every target: as the file gives them, else from the mesh and a number."""
    names: Names = {}
    nameless = 0
    counts = [_count(m) for m in container.items("meshes")]
    alike = len({c for c in counts if c}) == 1  # the same list on all meshes
    for m, mesh in enumerate(container.items("meshes")):
        given = _given_names(mesh)
        for t in range(counts[m]):
            if t < len(given) and given[t]:
                names[m, t] = given[t]
            else:
                nameless += 1
                of = "target" if alike else str(mesh.get("name") or f"mesh {m}")
                names[m, t] = f"{of} {t}"
    said = [f"{nameless} morph targets have no names; they are numbered."] if nameless else []
    return names, said


def target_names(container: Container) -> Names:
    """The name of every morph target: of a mesh and its number."""
    return _target_names(container)[0]


def _given_names(mesh: Document) -> list[str]:
    extras = mesh.get("extras")
    given = extras.get("targetNames") if isinstance(extras, dict) else None
    if isinstance(given, list):
        return [x if isinstance(x, str) else "" for x in given]
    for primitive in mesh.get("primitives") or []:  # where some exporters put them
        extras = primitive.get("extras") if isinstance(primitive, dict) else None
        given = extras.get("targetNames") if isinstance(extras, dict) else None
        if isinstance(given, list):
            return [x if isinstance(x, str) else "" for x in given]
    return []


def _pieces(
    container: Container, number: int, node: Document, names: Names, skins: int
) -> list[Piece]:
    m = node["mesh"]
    mesh = container.item("meshes", m)
    skin = node.get("skin", -1)
    if skin != -1 and not (isinstance(skin, int) and 0 <= skin < skins):
        raise ModelError(f"{container.path.name} names a skin that is not there; export it again.")
    found = []
    for primitive in mesh.get("primitives") or []:
        if not isinstance(primitive, dict) or primitive.get("mode", TRIANGLES) not in (
            TRIANGLES, STRIP, FAN,
        ):  # fmt: skip
            continue  # lines and points are no face
        name = str(mesh.get("name") or node.get("name") or f"mesh {m}")
        found.append(_piece(container, primitive, name, number, m, names, skin))
    return found


def _piece(
    container: Container, primitive: Document, name: str, node: int, m: int, names: Names, skin: int
) -> Piece:
    attributes = primitive.get("attributes")
    if not isinstance(attributes, dict) or "POSITION" not in attributes:
        raise ModelError(f"A mesh of {container.path.name} has no points; export it again.")
    points = read(container, attributes["POSITION"], 3).astype(np.float32)
    count = len(points)
    if count > MOST_VERTICES:
        raise ModelError(
            f"{container.path.name} has {count:,} points in one mesh; export the head alone."
        )
    faces = _faces(container, primitive, count)
    if "NORMAL" in attributes:
        normals = _rows(container, attributes["NORMAL"], 3, count).astype(np.float32)
    else:
        normals = face_normals(points, faces)
    colors = joints = weights = None
    if "COLOR_0" in attributes:
        colors = _colors(container, attributes["COLOR_0"], count)
    uv = _places(container, primitive, count)
    if skin >= 0:
        if "JOINTS_0" in attributes and "WEIGHTS_0" in attributes:
            joints = _rows(container, attributes["JOINTS_0"], 4, count).astype(np.uint16)
            weights = _rows(container, attributes["WEIGHTS_0"], 4, count).astype(np.float32)
            total = weights.sum(1, keepdims=True)
            weights = (weights / np.where(total > 1e-6, total, 1)).astype(np.float32)
            bones = len(container.item("skins", skin)["joints"])
            if joints.size and int(joints.max()) >= bones:
                raise ModelError(
                    f"{container.path.name} names bones that are not there; export it again."
                )
        else:
            skin = -1
    shapes = shapes_of(container, primitive, m, names, count)
    material = _material(container, primitive.get("material"))
    return Piece(
        name, node, points, normals, faces, material, colors, uv, shapes, skin, joints, weights
    )


def _rows(container: Container, index: object, width: int, count: int) -> Array:
    found = read(container, index, width)
    if len(found) != count:
        raise ModelError(
            f"{container.path.name} is damaged: arrays of one mesh differ in length; export it again."
        )
    return found


def _faces(container: Container, primitive: Document, count: int) -> np.ndarray:
    if "indices" in primitive:
        order = read(container, primitive["indices"], 1)[:, 0].astype(np.int64)
        if len(order) and int(order.max()) >= count:
            raise ModelError(
                f"{container.path.name} is damaged: a triangle has a corner that is not there; "
                "export it again."
            )
    else:
        order = np.arange(count)
    mode = primitive.get("mode", TRIANGLES)
    if mode == STRIP:
        k = np.arange(max(0, len(order) - 2))
        turn = k % 2
        made = np.stack([order[k], order[k + 1 + turn], order[k + 2 - turn]], 1)
    elif mode == FAN:
        k = np.arange(1, max(1, len(order) - 1))
        made = np.stack([order[0 * k], order[k], order[k + 1]], 1)
    else:
        made = order[: len(order) // 3 * 3].reshape(-1, 3)
    return made.astype(np.uint32)


def _colors(container: Container, index: object, count: int) -> Array:
    found = read(container, index)
    if len(found) != count or found.shape[1] < 3:
        raise ModelError(f"Colours of {container.path.name} are damaged; export it again.")
    if found.dtype.kind != "f":
        found = found / np.iinfo(found.dtype).max
    return found[:, :3].astype(np.float32)


# ------------------------------------------------------------------ looks
def _material(container: Container, index: object) -> Material:
    if index is None:
        return Material()
    entry = container.item("materials", index)
    pbr = entry.get("pbrMetallicRoughness") or {}
    alpha = entry.get("alphaMode", "OPAQUE")
    return Material(
        str(entry.get("name", "")),
        tuple(_numbers(container, pbr.get("baseColorFactor", [1, 1, 1, 1]), 4).tolist()),
        _texture(container, pbr.get("baseColorTexture")),
        _texture(container, entry.get("normalTexture")),
        float(_numbers(container, [pbr.get("roughnessFactor", 0.9)], 1)[0]),
        tuple(_numbers(container, entry.get("emissiveFactor", [0, 0, 0]), 3).tolist()),
        bool(entry.get("doubleSided", False)),
        float(entry.get("alphaCutoff", 0.5)) if alpha == "MASK" else 0.0,
        alpha == "BLEND",
        _wraps(container, _worn(container, index)),
    )  # fmt: skip


def _places(container: Container, primitive: dict[str, Any], count: int) -> Array | None:
    """Where every point lies on the picture of its material (KHR_texture_transform: scaled, then
    turned, then shifted)."""
    worn = _worn(container, primitive.get("material"))
    change = (worn.get("extensions") or {}).get("KHR_texture_transform") or {}
    name = f"TEXCOORD_{change.get('texCoord', worn.get('texCoord', 0))}"
    if name not in primitive["attributes"]:
        return None
    uv = _rows(container, primitive["attributes"][name], 2, count).astype(float)
    if change:
        uv *= _numbers(container, change.get("scale", [1, 1]), 2)
        turn = float(_numbers(container, [change.get("rotation", 0)], 1)[0])
        if turn:  # counter-clockwise, while v goes down
            c, s = np.cos(turn), np.sin(turn)
            uv = uv @ np.array([[c, -s], [s, c]])
        uv += _numbers(container, change.get("offset", [0, 0]), 2)
    return uv.astype(np.float32)


def _worn(container: Container, material: object) -> dict[str, Any]:
    """The texture that says where a picture lies: of the colour, else of the bumps."""
    entry = {} if material is None else container.item("materials", material)
    color = (entry.get("pbrMetallicRoughness") or {}).get("baseColorTexture")
    worn = color or entry.get("normalTexture") or {}
    return worn if isinstance(worn, dict) else {}


def _wraps(container: Container, worn: dict[str, Any]) -> tuple[int, int]:
    """How a texture goes on beyond its edges; what the file does not say, or says badly, repeats."""
    texture = container.item("textures", worn["index"]) if "index" in worn else {}
    sampler = container.item("samplers", texture["sampler"]) if "sampler" in texture else {}
    across, down = sampler.get("wrapS", REPEATED), sampler.get("wrapT", REPEATED)
    known = (REPEATED, CLAMPED, MIRRORED)
    return across if across in known else REPEATED, down if down in known else REPEATED


def _texture(container: Container, entry: object) -> int:
    if not isinstance(entry, dict):
        return -1
    texture = container.item("textures", entry.get("index"))
    webp = (texture.get("extensions") or {}).get("EXT_texture_webp") or {}
    source = webp.get("source", texture.get("source", -1))
    return (
        source if isinstance(source, int) and 0 <= source < len(container.items("images")) else -1
    )


def _images(container: Container) -> tuple[tuple[bytes, ...], list[str]]:
    """Pictures as they are in the file; what is missing is told and left white."""
    found, missing = [], []
    for entry in container.items("images"):
        try:
            if "bufferView" in entry:
                found.append(container.view(entry["bufferView"]))
            else:
                found.append(container.resource(entry.get("uri"), "texture"))
        except ModelError as error:
            found.append(b"")
            missing.append(str(error))
    return tuple(found), missing


# ------------------------------------------------------------------ what our own heads say
def _root_extras(container: Container) -> Document:
    for entry in container.items("nodes"):
        extras = entry.get("extras")
        if isinstance(extras, dict) and "drivers" in extras and "split" in extras:
            return extras
    return {}


def rig_of(extras: Document) -> Rig | None:
    """The rig that a root's `extras` describe, or None if they describe none."""
    try:
        if not extras:
            return None
        return Rig(
            {k: tuple((str(t), float(g)) for t, g in v) for k, v in extras["split"].items()},
            {
                k: tuple((str(c), float(a), float(b), float(p)) for c, a, b, p in v)
                for k, v in extras["drivers"].items()
            },
            {
                k: (
                    tuple(v["nodes"]),
                    (float(v["axis"][0]), float(v["axis"][1]), float(v["axis"][2])),
                )
                for k, v in extras.get("nodes", {}).items()
            },
            tuple(float(x) for x in extras.get("mouth", (0, 0, 0))),  # type: ignore[arg-type]
            float(extras.get("height", 0.0)),
        )
    except (TypeError, ValueError, KeyError, AttributeError, IndexError):
        return None
