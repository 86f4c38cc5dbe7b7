"""VRM animation (VRMC_vrm_animation 1.0): expressions as nodes that slide along x, gaze and head."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..characters.dressing import Dress, Dressed
from ..characters.models.container import glb
from ..errors import SaveError
from .gltf_animation import Added, from_zero
from .handing import Handing
from .keys import reduced

PRESETS = {
    "aa", "ih", "ou", "ee", "oh", "blink", "blinkLeft", "blinkRight", "happy", "angry", "sad", "relaxed",
    "surprised", "neutral",
}  # fmt: skip


def to_vrma(dress: Dress, dressed: Dressed, handing: Handing) -> bytes:
    """A file of its own with the curves of the expressions; SaveError for a head without any."""
    if not dressed.head.combined:
        raise SaveError(
            f"{dressed.head.path.name} is no VRM with expressions, so there is nothing for a VRM "
            "animation; choose .glb, .csv or .json."
        )
    from_zero(handing)
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Glyphos"},
        "extensionsUsed": ["VRMC_vrm_animation"], "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "hips", "translation": [0, 1, 0], "children": [1]}, {"name": "head", "translation": [0, 0.5, 0]}],
    }  # fmt: skip
    added = Added(document, b"", 0)
    presets: dict[str, Any] = {}
    customs: dict[str, Any] = {}
    samplers, channels = [], []
    for k, name in enumerate(dress.channels):
        if name not in dressed.head.combined:
            continue
        curve = np.clip(dress.shares[:, k], 0, 1)
        keys = reduced(curve, 1.0, handing.error)
        number = len(document["nodes"])
        document["nodes"].append({"name": name})
        document["scenes"][0]["nodes"].append(number)
        (presets if name in PRESETS else customs)[name] = {"node": number}
        seconds = ((keys.frames + handing.first_frame) / float(dress.fps)).astype(np.float32)
        places = np.zeros((len(keys.values), 3), np.float32)
        places[:, 0] = keys.values
        samplers.append({
            "input": added.accessor(seconds, "SCALAR", span=True), "interpolation": "LINEAR",
            "output": added.accessor(places, "VEC3"),
        })  # fmt: skip
        channels.append(
            {"sampler": len(samplers) - 1, "target": {"node": number, "path": "translation"}}
        )
    expressions = {k: v for k, v in (("preset", presets), ("custom", customs)) if v}
    document["extensions"] = {
        "VRMC_vrm_animation": {
            "specVersion": "1.0", "humanoid": {"humanBones": {"hips": {"node": 0}, "head": {"node": 1}}},
            "expressions": expressions,
        }
    }  # fmt: skip
    document["animations"] = [{"name": handing.name, "samplers": samplers, "channels": channels}]
    document["buffers"] = [{"byteLength": len(added.data)}]
    return glb(document, bytes(added.data))
