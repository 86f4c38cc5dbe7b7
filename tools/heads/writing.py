"""A head as a GLB file: parts, morph targets, correctives with their drivers, head and eye nodes."""
from pathlib import Path

import numpy as np

from glyphos.characters.models.container import glb

from .clay import normals
from .lips import N
from .rig import CHANNELS, DRIVERS, NODES, SPLIT

FLOAT, SHORT, POINTS, INDICES = 5126, 5123, 34962, 34963
SEEN, SEEN_LIPS, SEEN_NORMAL = 4e-4, 1e-5, 4e-2           # 0.04 mm, on the lips 1 micrometre


class Store:
    """Arrays on their way into the one buffer of a file."""

    def __init__(self) -> None:
        self.data, self.views, self.accessors = bytearray(), [], []

    def view(self, a: np.ndarray, target: int = 0) -> int:
        self.data.extend(b"\0" * (-len(self.data) % 4))
        self.views.append({"buffer": 0, "byteOffset": len(self.data), "byteLength": a.nbytes, **({"target": target} if target else {})})
        self.data.extend(a.tobytes())
        return len(self.views) - 1

    def add(self, a: np.ndarray, kind: str, component: int = FLOAT, target: int = 0, span: bool = False, **more: object) -> int:
        entry = {"bufferView": self.view(a, target), "componentType": component, "count": a.size if kind == "SCALAR" else len(a), "type": kind, **more}
        if span:
            entry.update(min=a.min(0).tolist(), max=a.max(0).tolist())
        self.accessors.append(entry)
        return len(self.accessors) - 1

    def sparse(self, d: np.ndarray, least: np.ndarray | float, span: bool) -> int:
        """Displacements, only where they are seen."""
        i = np.flatnonzero(np.abs(d).max(1) > np.broadcast_to(least, len(d))).astype(np.uint16)
        i = i if len(i) else np.zeros(1, np.uint16)
        values = d[i].astype(np.float32)
        entry = {"componentType": FLOAT, "count": len(d), "type": "VEC3",
                 "sparse": {"count": len(i), "indices": {"bufferView": self.view(i), "componentType": SHORT}, "values": {"bufferView": self.view(values)}}}
        if span:
            full = np.vstack([values, np.zeros((1, 3), np.float32)]) if len(i) < len(d) else values
            entry.update(min=full.min(0).tolist(), max=full.max(0).tolist())
        self.accessors.append(entry)
        return len(self.accessors) - 1


def linear(part: dict) -> np.ndarray:
    """Vertex colours as glTF wants them; light that cannot reach clay leaves it warm, not grey."""
    c = part["colour"]
    c = np.where(c <= .04045, c / 12.92, ((np.clip(c, 0, 1) + .055) / 1.055) ** 2.4)
    c = c * (part.get("ao", np.ones(len(c)))[:, None] ** np.array([.80, 1.0, 1.06]))
    return (np.c_[np.clip(c, 0, 1), np.ones(len(c))] * 65535).round().astype(np.uint16)


def mesh(part: dict, store: Store, material: int) -> dict:
    v, f = part["vertices"].astype(np.float32), part["faces"].astype(np.uint16)
    n, names = normals(part["vertices"], part["faces"]), list(part["morphs"])
    least = np.full(len(v), SEEN)
    if part["name"] in ("skin", "mouth"):
        least[:8 * N] = SEEN_LIPS
    primitive = {"attributes": {"POSITION": store.add(v, "VEC3", target=POINTS, span=True), "NORMAL": store.add(n.astype(np.float32), "VEC3", target=POINTS),
                                "COLOR_0": store.add(linear(part), "VEC4", SHORT, POINTS, normalized=True)},
                 "indices": store.add(f.ravel(), "SCALAR", SHORT, INDICES), "material": material}
    made = {"name": part["name"], "primitives": [primitive]}
    if names:
        primitive["targets"] = [{"POSITION": store.sparse(part["morphs"][k], least, True)} for k in names]
        if part["name"] != "mouth_inside":                      # dark and matt: its normals do not matter
            for k, t in zip(names, primitive["targets"], strict=True):
                t["NORMAL"] = store.sparse(normals(part["vertices"] + part["morphs"][k], part["faces"]) - n, SEEN_NORMAL, False)
        made.update(weights=[0.0] * len(names), extras={"targetNames": names})
    return made


def write(K: object, parts: list[dict], path: Path) -> None:
    """Write the parts of a character as one file, which describes itself in its root's `extras`."""
    store, meshes, nodes, materials, body, head = Store(), [], [], [], [], []
    neck = np.array(K.neck, float)
    for p in parts:
        meshes.append(mesh(p, store, len(materials)))
        materials.append({"name": p["name"], "emissiveFactor": list(p.get("glow", (0, 0, 0))),
                          "pbrMetallicRoughness": {"metallicFactor": 0.0, "roughnessFactor": float(np.clip(.95 - .7 * p["gloss"], .1, 1))}})
        at = np.array(p.get("pivot", (0, 0, 0)), float) - (0 if p.get("body") else neck)
        nodes.append({"name": p["name"], "mesh": len(meshes) - 1, "translation": at.tolist()})
        (body if p.get("body") else head).append(len(nodes) - 1)
    nodes.append({"name": "head", "translation": neck.tolist(), "children": head})
    extras = {"channels": {k: {"range": [a, b], "au": u} for k, (a, b, u) in CHANNELS.items()}, "split": SPLIT, "drivers": DRIVERS,
              "nodes": {k: {"nodes": a, "axis": b} for k, (a, b) in NODES.items()},
              "mouth": [0, K.lips["y"] * .1, .08], "height": .24 * K.scale}
    nodes.append({"name": K.name, "children": [*body, len(nodes) - 1], "scale": [.1, .1, .1], "extras": extras})
    document = {"asset": {"version": "2.0", "generator": "Glyphos"}, "scene": 0, "scenes": [{"nodes": [len(nodes) - 1]}], "nodes": nodes, "meshes": meshes,
                "materials": materials, "accessors": store.accessors, "bufferViews": store.views, "buffers": [{"byteLength": len(store.data)}]}
    path.write_bytes(glb(document, bytes(store.data)))
