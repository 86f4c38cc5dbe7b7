"""All characters of a scene in one glTF file: each model as its own file has it, where its speaker stands, and
one animation on the scene's time for all of them (Khronos glTF 2.0)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from ..characters.head import Array, Head
from ..characters.models.container import Container, glb, read_container
from ..errors import SaveError
from ..files import write_atomic
from ..progress import Progress
from ..scene.documents import Place
from ..stage.views import framing_from, framing_of
from .filming import Filming
from .gltf_animation import to_glb
from .handing import Handing

GENERATOR = "Glyphos"
HEADS = (0.1, 0.6)  # metres that a head is high; models of other units are made so
USUAL = 0.24
LEFT_OUT = {"KHR_lights_punctual", "VRM", "VRMC_vrm", "VRMC_springBone", "VRMC_node_constraint"}
# Lists of a document, in each of which numbers of others stand
LISTS = ("buffers", "bufferViews", "accessors", "images", "samplers", "textures", "materials", "meshes", "skins", "cameras", "nodes")  # fmt: skip
Document = dict[str, Any]


def save_scene_gltf(filming: Filming, path: Path, *, progress: Progress | None = None) -> list[str]:
    """Write all heads of a scene as GLB; who was left out, in words. SaveError where nobody has a head."""
    told, parts, said = progress or (lambda _: None), [], []
    speakers = filming.scene.speakers
    for k, speaker in enumerate(speakers):
        told(k / len(speakers))
        character = filming.production.character_for(speaker)
        if character.drawings is not None:
            said.append(f"{speaker} is drawn and has no model to be written.")
            continue
        dressed, dress = filming.dress(speaker)
        try:
            data = to_glb(dress, dressed, Handing(name=filming.scene.slug))
        except SaveError as error:
            said.append(f"{speaker}: {error}")
            continue
        framing = framing_from(dressed.framing) or framing_of(dressed.head, points_of(dressed.head))
        size = 1.0 if HEADS[0] <= framing.size <= HEADS[1] else USUAL / framing.size
        parts.append((speaker, data, filming.scene.place(speaker), size))
    if not parts:
        raise SaveError(" ".join(said) or "Nobody speaks in this scene.")
    write_atomic(path, joined(parts, filming.scene.name or filming.scene.slug))
    return said


def points_of(head: Head) -> Array:
    """All vertices of a head (n, 3), as its file has them."""
    return np.concatenate([p.positions for p in head.pieces])


def joined(parts: Sequence[tuple[str, bytes, Place, float]], name: str) -> bytes:
    """Several GLB files as one. parts: name, bytes with one animation last, place and size of each."""
    whole: Document = {"asset": {"version": "2.0", "generator": GENERATOR}, "scene": 0}
    data = bytearray()
    roots: list[int] = []
    animation: Document = {"name": name, "samplers": [], "channels": []}
    used: dict[str, set[str]] = {"extensionsUsed": set(), "extensionsRequired": set()}
    for speaker, own, place, size in parts:
        part = _opened(own)
        shift = {key: len(whole.get(key, [])) for key in LISTS}
        data.extend(b"\0" * (-len(data) % 4))
        _shifted(part.document, shift, len(data))
        data.extend(part.chunk)
        for key in LISTS:
            if key != "buffers" and part.document.get(key):
                whole.setdefault(key, []).extend(part.document[key])
        for key, known in used.items():
            known |= set(part.document.get(key, [])) - LEFT_OUT
        moved = part.document["animations"][-1]
        for channel in moved["channels"]:
            channel["sampler"] += len(animation["samplers"])
        animation["samplers"] += moved["samplers"]
        animation["channels"] += moved["channels"]
        whole["nodes"].append(_root(speaker, place, size, _tops(part.document, shift["nodes"])))
        roots.append(len(whole["nodes"]) - 1)
    whole["buffers"] = [{"byteLength": len(data)}]
    whole["scenes"] = [{"name": name, "nodes": roots}]
    whole["animations"] = [animation]
    for key, known in used.items():
        if known:
            whole[key] = sorted(known)
    return glb(whole, bytes(data))


def _opened(data: bytes) -> Container:
    """A GLB of ours; it has one buffer, in the file."""
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "part.glb"
        path.write_bytes(data)
        part = read_container(path)
    if len(part.document.get("buffers", [])) != 1:
        raise SaveError("A compressed model cannot stand in one file with others; export it without compression.")  # fmt: skip
    return part


def _tops(document: Document, shift: int) -> list[int]:
    """Nodes that stand at the top of the model's own scene."""
    scenes = document.get("scenes", [])
    if scenes:
        return [n + shift for n in scenes[document.get("scene", 0)].get("nodes", [])]
    below = {c for node in document.get("nodes", []) for c in node.get("children", [])}
    return [k + shift for k in range(len(document.get("nodes", []))) if k + shift not in below]


def _root(speaker: str, place: Place, size: float, tops: list[int]) -> Document:
    """A character where it stands; its own right is on the left of who looks at it."""
    half = np.radians(-place.turn) / 2
    made: Document = {
        "name": speaker, "children": tops, "translation": [float(place.right), 0.0, -float(place.back)],
        "rotation": [0.0, float(np.sin(half)), 0.0, float(np.cos(half))],
    }  # fmt: skip
    if size != 1.0:
        made["scale"] = [size] * 3
    return made


def _shifted(document: Document, by: dict[str, int], start: int) -> None:
    """All numbers of a document, as they are behind those of others; its bytes begin at `start`."""

    def move(entry: Document | None, key: str, kind: str) -> None:
        if entry is not None and isinstance(entry.get(key), int):
            entry[key] += by[kind]

    for view in document.get("bufferViews", []):
        view["buffer"] = 0
        view["byteOffset"] = view.get("byteOffset", 0) + start
    for accessor in document.get("accessors", []):
        move(accessor, "bufferView", "bufferViews")
        for part in ("indices", "values"):
            move(accessor.get("sparse", {}).get(part), "bufferView", "bufferViews")
    for image in document.get("images", []):
        move(image, "bufferView", "bufferViews")
    for texture in document.get("textures", []):
        move(texture, "source", "images")
        move(texture, "sampler", "samplers")
        for extension in texture.get("extensions", {}).values():
            move(extension, "source", "images")
    for material in document.get("materials", []):
        _textures(material, lambda info: move(info, "index", "textures"))
    for mesh in document.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            for group in (primitive.get("attributes", {}), *primitive.get("targets", [])):
                for key in group:
                    group[key] += by["accessors"]
            move(primitive, "indices", "accessors")
            move(primitive, "material", "materials")
    for skin in document.get("skins", []):
        skin["joints"] = [j + by["nodes"] for j in skin["joints"]]
        move(skin, "skeleton", "nodes")
        move(skin, "inverseBindMatrices", "accessors")
    for node in document.get("nodes", []):
        for key, kind in (("mesh", "meshes"), ("skin", "skins"), ("camera", "cameras")):
            move(node, key, kind)
        if "children" in node:
            node["children"] = [c + by["nodes"] for c in node["children"]]
        kept = {k: v for k, v in node.get("extensions", {}).items() if k not in LEFT_OUT}
        node.pop("extensions", None)
        if kept:
            node["extensions"] = kept
    for animation in document.get("animations", []):
        for sampler in animation["samplers"]:
            move(sampler, "input", "accessors")
            move(sampler, "output", "accessors")
        for channel in animation["channels"]:
            move(channel["target"], "node", "nodes")


def _textures(entry: Any, move: Callable[[Document], None]) -> None:
    """Every mention of a texture in a material, in extensions too."""
    if isinstance(entry, dict):
        for key, value in entry.items():
            if key.lower().endswith("texture") and isinstance(value, dict):
                move(value)
            else:
                _textures(value, move)
