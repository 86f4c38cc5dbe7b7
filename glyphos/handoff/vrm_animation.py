"""VRM animation (VRMC_vrm_animation 1.0): expressions as nodes that slide along x, gaze and head."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..characters.dressing import Dress, Dressed
from ..characters.models.container import glb
from ..characters.models.looking import TURNS
from ..errors import SaveError
from ..motion.fewest import reduced
from .gltf_animation import Added, from_zero, keyed
from .handing import Handing
from .quaternions import short_way

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
    humanoid: dict[str, Any] = {"hips": {"node": 0}, "head": {"node": 1}}
    look: dict[str, Any] = {}
    for node, names in (
        (1, ("head_yaw", "head_pitch", "head_roll")),
        (-1, ("gaze_yaw", "gaze_pitch")),
    ):
        if not any(np.any(dress.turns[n]) for n in names if n in dress.turns):
            continue
        if (
            node < 0
        ):  # where the eyes look is told by a node that turns (VRMC_vrm_animation, lookAt)
            node = len(document["nodes"])
            document["nodes"].append({"name": "lookAt"})
            document["scenes"][0]["nodes"].append(node)
            look = {"lookAt": {"node": node, "offsetFromHeadBone": [0, 0.06, 0]}}
        turns = _quaternions(dress, names)
        frames = keyed(turns, handing)
        seconds = ((frames + handing.first_frame) / float(dress.fps)).astype(np.float32)
        samplers.append({
            "input": added.accessor(seconds, "SCALAR", span=True), "interpolation": "LINEAR",
            "output": added.accessor(turns[frames].astype(np.float32), "VEC4"),
        })  # fmt: skip
        channels.append(
            {"sampler": len(samplers) - 1, "target": {"node": node, "path": "rotation"}}
        )
    expressions = {k: v for k, v in (("preset", presets), ("custom", customs)) if v}
    document["extensions"] = {
        "VRMC_vrm_animation": {
            "specVersion": "1.0", "humanoid": {"humanBones": humanoid},
            "expressions": expressions, **look,
        }
    }  # fmt: skip
    document["animations"] = [{"name": handing.name, "samplers": samplers, "channels": channels}]
    document["buffers"] = [{"byteLength": len(added.data)}]
    return glb(document, bytes(added.data))


def _quaternions(dress: Dress, names: tuple[str, ...]) -> NDArray[np.float64]:
    """Turns (frames, 4) of a node that looks along +Z, from channels in degrees."""
    from scipy.spatial.transform import Rotation  # late: it takes its time

    made = Rotation.identity(dress.frames)
    for name in names:
        if name in dress.turns:
            made = made * Rotation.from_rotvec(
                np.radians(dress.turns[name])[:, None] * np.array(TURNS[name][0])
            )
    return short_way(made.as_quat())
