"""Eyes and a head that turn: which nodes of a foreign head follow gaze and head, and about what axis.

Positive is to the character's own right, up, and over to its own right, in degrees, as everywhere.
"""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from ..head import Head, Vector

EYES, HEADS = ("eye", "eyeball", "eyes"), ("head",)
NO_EYE = {"brow", "eyebrow", "lid", "eyelid", "lash", "socket", "target", "aim", "ctrl", "control",
          "look", "shadow", "end", "tip", "top"}  # fmt: skip
PIECES = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")
NEAR = 0.25  # of a mesh's size, by which a node's origin may lie outside it
# For a head that looks along +Z and stands up along +Y (glTF 2.0, 3.4): axis, and who turns
TURNS: dict[str, tuple[Vector, str]] = {
    "gaze_yaw": ((0.0, -1.0, 0.0), "eyes"), "gaze_pitch": ((-1.0, 0.0, 0.0), "eyes"),
    "head_yaw": ((0.0, -1.0, 0.0), "head"), "head_pitch": ((-1.0, 0.0, 0.0), "head"),
    "head_roll": ((0.0, 0.0, 1.0), "head"),
}  # fmt: skip


def with_looks(head: Head, bones: dict[str, int] | None = None, *, backwards: bool = False) -> Head:
    """A head whose eyes and head turn, where it has nodes for them that hold something.

    bones: humanoid bones of a VRM. backwards: it looks along −Z, as VRM 0.x has it.
    """
    told, holding = bones or {}, _holding(head)
    eyes = [told[k] for k in ("leftEye", "rightEye") if told.get(k, -1) in holding]
    turned = {"eyes": eyes or _named(head, holding, EYES)}
    turned["head"] = (
        [told["head"]] if told.get("head", -1) in holding else _named(head, holding, HEADS)[:1]
    )
    turned["head"] = [k for k in turned["head"] if _can_turn(head, k, turned["eyes"])]
    found: dict[str, tuple[tuple[int, Vector, Vector], ...]] = {}
    for channel, (axis, who) in TURNS.items():
        x, y, z = axis
        way = np.array([-x, y, -z] if backwards else axis)
        own = tuple((k, _own_axis(head, k, way), _middle(head, k)) for k in turned[who])
        if own:
            found[channel] = own
    said = [
        f"{' and '.join(head.nodes[k].name for k in turned[who])} {verb}"
        for who, verb in (("eyes", "turn with the gaze"), ("head", "turns with the head"))
        if turned[who]
    ]
    return replace(head, turns=found, said=(*head.said, *said))


def _holding(head: Head) -> set[int]:
    """Nodes with points that go with them: on their own bones or meshes, or on those below."""
    found = {p.node for p in head.pieces if p.skin < 0}
    for piece in head.pieces:
        if piece.skin >= 0 and piece.joints is not None and piece.weights is not None:
            used = np.bincount(piece.joints.ravel(), piece.weights.ravel())
            joints = head.skins[piece.skin].joints
            found |= {joints[j] for j in np.flatnonzero(used > 0).tolist()}
    for node in tuple(found):
        while (node := head.nodes[node].parent) >= 0:
            found.add(node)
    return found


def _named(head: Head, holding: set[int], names: tuple[str, ...]) -> list[int]:
    """Nodes of such a name that hold something, the uppermost where one hangs on another."""
    found: list[int] = []
    for k in sorted(holding):
        words = {w.lower() for w in PIECES.findall(head.nodes[k].name)}
        if words & set(names) and not words & NO_EYE:
            found.append(k)
    return [k for k in found if not _above(head, k, set(found))]


def _can_turn(head: Head, node: int, eyes: list[int]) -> bool:
    """Whether a head takes its face along when it turns, about a point that can be a neck."""
    faces = list(eyes)
    if not any(node in s.joints for s in head.skins):
        faces += [p.node for p in head.pieces if p.shapes and p.node != node]
    return _about_itself(head, node) and all(_above(head, k, {node}) for k in faces)


def _above(head: Head, node: int, others: set[int]) -> bool:
    while (node := head.nodes[node].parent) >= 0:
        if node in others:
            return True
    return False


def _points(head: Head, node: int) -> np.ndarray:
    """Points of the meshes that hang on a node itself, as it has them; none of what bones hold."""
    found = [p.positions for p in head.pieces if p.node == node and p.skin < 0]
    return np.concatenate([np.zeros((0, 3), np.float32), *found])


def _about_itself(head: Head, node: int) -> bool:
    """Whether the origin of a node lies within what hangs on it, as that of a bone does."""
    points = _points(head, node)
    if not len(points):
        return True
    low, high = points.min(0), points.max(0)
    room = NEAR * (high - low).max()
    return bool((low - room <= 0).all() and (high + room >= 0).all())


def _middle(head: Head, node: int) -> Vector:
    """What a node turns about: its origin, or the middle of a mesh that lies elsewhere, as where all
    parts of a head were made in one place."""
    if _about_itself(head, node):
        return (0.0, 0.0, 0.0)
    points = _points(head, node)
    x, y, z = ((points.min(0) + points.max(0)) / 2).astype(float).tolist()
    return (x, y, z)


def _own_axis(head: Head, node: int, axis: np.ndarray) -> Vector:
    """An axis of the world as the node has it, at rest."""
    world = np.eye(3)
    while node >= 0:
        world = head.nodes[node].matrix[:3, :3] @ world
        node = head.nodes[node].parent
    if abs(np.linalg.det(world)) < 1e-18:
        return (0.0, 1.0, 0.0)
    x, y, z = (np.linalg.solve(world, axis)).tolist()
    return (x, y, z)
