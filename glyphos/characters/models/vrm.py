"""Expressions of VRM files, 0.x (BlendShapeProxy) and 1.0 (VRMC_vrm), as channels of a head."""

from __future__ import annotations

from typing import Any

from .container import Container

# The presets of 0.x under the names that 1.0 has for them (VRM 1.0, expressions).
PRESETS = {
    "a": "aa", "i": "ih", "u": "ou", "e": "ee", "o": "oh", "blink": "blink", "blink_l": "blinkLeft",
    "blink_r": "blinkRight", "joy": "happy", "angry": "angry", "sorrow": "sad", "fun": "relaxed",
    "lookup": "lookUp", "lookdown": "lookDown", "lookleft": "lookLeft", "lookright": "lookRight",
    "neutral": "neutral",
}  # fmt: skip
Expressions = dict[str, dict[str, float]]


def vrm_version(container: Container) -> str:
    """ "1", "0" or "" if the file is no VRM."""
    extensions = container.document.get("extensions")
    if not isinstance(extensions, dict):
        return ""
    return "1" if "VRMC_vrm" in extensions else "0" if "VRM" in extensions else ""


def expressions_of(container: Container, names: dict[tuple[int, int], str]) -> Expressions:
    """Name of an expression to {morph target: weight}; those that move no target are left out."""
    version = vrm_version(container)
    if version == "1":
        return _of_one(container, names)
    return _of_zero(container, names) if version == "0" else {}


def _of_one(container: Container, names: dict[tuple[int, int], str]) -> Expressions:
    extension = container.document["extensions"]["VRMC_vrm"]
    groups = extension.get("expressions") if isinstance(extension, dict) else None
    found: Expressions = {}
    for group in ("preset", "custom"):
        entries = groups.get(group) if isinstance(groups, dict) else None
        for name, entry in (entries if isinstance(entries, dict) else {}).items():
            binds = entry.get("morphTargetBinds") if isinstance(entry, dict) else None
            made: dict[str, float] = {}
            for bind in binds or []:
                node = container.item("nodes", bind.get("node"))
                _add(made, names, node.get("mesh"), bind.get("index"), bind.get("weight", 1.0))
            if made:
                found[str(name)] = made
    return found


def _of_zero(container: Container, names: dict[tuple[int, int], str]) -> Expressions:
    extension = container.document["extensions"]["VRM"]
    master = extension.get("blendShapeMaster") if isinstance(extension, dict) else None
    groups = master.get("blendShapeGroups") if isinstance(master, dict) else None
    found: Expressions = {}
    for entry in groups or []:
        if not isinstance(entry, dict):
            continue
        preset = str(entry.get("presetName", "")).lower()
        name = PRESETS.get(preset) or str(entry.get("name") or preset)
        made: dict[str, float] = {}
        for bind in entry.get("binds") or []:
            weight = bind.get("weight", 100)
            share = weight / 100 if isinstance(weight, int | float) else 1.0
            _add(made, names, bind.get("mesh"), bind.get("index"), share)
        if made:
            found[name] = made
    return found


def _add(
    made: dict[str, float], names: dict[tuple[int, int], str], mesh: Any, index: Any, weight: Any
) -> None:
    target = names.get((mesh, index)) if isinstance(mesh, int) and isinstance(index, int) else None
    if target is not None and isinstance(weight, int | float):
        made[target] = float(weight)


def bones_of(container: Container) -> dict[str, int]:
    """Humanoid bones of a VRM: name to the number of its node."""
    version = vrm_version(container)
    extensions = container.document.get("extensions", {})
    found: dict[str, int] = {}
    if version == "1":
        bones = extensions["VRMC_vrm"].get("humanoid", {}).get("humanBones", {})
        found = {str(k): v.get("node", -1) for k, v in bones.items() if isinstance(v, dict)}
    elif version == "0":
        bones = extensions["VRM"].get("humanoid", {}).get("humanBones", [])
        found = {str(b.get("bone")): b.get("node", -1) for b in bones if isinstance(b, dict)}
    return {k: v for k, v in found.items() if isinstance(v, int)}
