"""Bones that open a mouth, and poses that a file's animation holds, as channels of a head."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from ...errors import ModelError
from ..head import Doubles, Head, Vector
from ..posing import Poser
from .accessors import read
from .container import Container

JAWS = ("jaw", "mandible", "mandibola", "mandibula", "kiefer", "machoire", "chin")
OPEN = 22.0  # degrees of a jaw that is wide open
NO_NODE = -1
# Numbers a key of an animation; 0: as many as targets
COUNTS = {"translation": 3, "rotation": 4, "scale": 3, "weights": 0}
LISTED = re.compile(r"(.*?\S)[\s,]+([0-9]{1,9})")  # a name and a frame
Turned = dict[int, tuple[Vector, Vector]]


def with_jaw(head: Head, bones: dict[str, int]) -> Head:
    """A head whose jaw bone, if it has one that holds something, is a channel of its own."""
    joints = {j for s in head.skins for j in s.joints}
    jaw = bones.get("jaw", -1)
    if jaw not in joints:
        named = [j for j in sorted(joints) if any(w in head.nodes[j].name.lower() for w in JAWS)]
        jaw = named[0] if named else -1
    if jaw < 0:
        return head
    world = np.eye(3)
    at = jaw
    while at >= 0:
        world = head.nodes[at].matrix[:3, :3] @ world
        at = head.nodes[at].parent
    across = np.linalg.solve(world, np.array([1.0, 0, 0]))  # side to side, as the bone has it
    across /= np.linalg.norm(across)
    for sign in (1.0, -1.0):
        x, y, z = (sign * np.radians(OPEN) * across).tolist()
        name = f"{head.nodes[jaw].name} (bone)"
        tried = replace(head, turned={**head.turned, name: {jaw: ((x, y, z), (0.0, 0.0, 0.0))}})
        _, delta = Poser(tried).moved(name)
        if len(delta) and float(delta[:, 1].sum()) < 0:  # a jaw that opens goes down
            return tried
    return head


def with_poses(head: Head, container: Container, listing: Path) -> Head:
    """A head whose animation holds a pose a frame, each named in a list (`name frame` a line).

    Each becomes a channel, of targets or bones. Raises ModelError for a list that does not fit.
    """
    animations = container.items("animations")
    if not animations:
        raise ModelError(
            f"{head.path.name} has no animation to take poses from; export it with one."
        )
    samples = _samples(head, container, animations[0])
    combined: dict[str, dict[str, float]] = {}
    turned: dict[str, Turned] = {}
    rate = max((s.rate for s in samples), default=24.0)
    for name, frame in _listed(listing):
        weights: dict[str, float] = {}
        turns: Turned = {}
        for sample in samples:
            if frame / rate > sample.end + 0.5 / rate:
                raise ModelError(
                    f"The pose “{name}” is on frame {frame}, after the end of the animation; mend {listing.name}."
                )
            sample.add(head, container, frame / rate, weights, turns)
        combined[name] = {k: v for k, v in weights.items() if abs(v) > 1e-6}
        if turns:
            turned[name] = turns
    kept = {n: w for n, w in combined.items() if w or n not in turned}
    return replace(head, combined=kept, turned={**head.turned, **turned})


def _listed(path: Path) -> list[tuple[str, int]]:
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError):
        raise ModelError(
            f"The list of poses {path.name} cannot be read; save it as UTF-8 text."
        ) from None
    found = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        said = LISTED.fullmatch(line.strip())
        if said is None:
            raise ModelError(
                f"Line {number} of {path.name} is not a name and a frame; mend it, as in “smile 12”."
            )
        found.append((said[1], int(said[2])))
    if not found:
        raise ModelError(f"There is no pose in {path.name}; write a name and a frame a line.")
    return found


def _samples(head: Head, container: Container, animation: dict[str, Any]) -> list[_Sampled]:
    """What an animation moves; what moves no node says nothing."""
    samplers, channels = animation.get("samplers"), animation.get("channels")
    found = []
    for channel in channels if isinstance(channels, list) else [None]:
        number = channel.get("sampler") if isinstance(channel, dict) else None
        target = channel.get("target") if isinstance(channel, dict) else None
        if (
            not isinstance(samplers, list) or type(number) is not int
            or not 0 <= number < len(samplers) or not isinstance(samplers[number], dict)
            or not isinstance(target, dict)
        ):  # fmt: skip
            raise _damaged(container)
        node = target.get("node", NO_NODE)
        if type(node) is not int or not NO_NODE <= node < len(head.nodes):
            raise _damaged(container)
        path = str(target.get("path"))
        if node != NO_NODE and path in COUNTS:
            found.append(_Sampled(container, samplers[number], node, path))
    return found


def _damaged(container: Container) -> ModelError:
    return ModelError(
        f"{container.path.name} is damaged: its animation is not as glTF has it; export it again."
    )


class _Sampled:
    """One channel of an animation, sampled by straight lines."""

    def __init__(self, container: Container, sampler: dict[str, Any], node: int, path: str) -> None:
        self.node, self.path = node, path
        self.times = read(container, sampler.get("input"), 1)[:, 0].astype(float)
        values = read(container, sampler.get("output")).astype(float)
        count = len(self.times) * (3 if sampler.get("interpolation") == "CUBICSPLINE" else 1)
        width = COUNTS[path] or max(1, values.size // max(count, 1))
        if not count or values.size != count * width:
            raise _damaged(container)
        if not (np.isfinite(self.times).all() and (np.diff(self.times) > 0).all()):
            raise _damaged(container)
        self.values: Doubles = np.nan_to_num(values.reshape(len(self.times), -1, width))
        self.values = self.values[:, self.values.shape[1] // 2]
        self.end = float(self.times[-1])
        steps = np.diff(self.times)
        self.rate = (
            float(np.clip(round(1 / steps.min()), 1, 240))
            if len(steps) and steps.min() > 1e-4
            else 24.0
        )

    def add(
        self,
        head: Head,
        container: Container,
        seconds: float,
        weights: dict[str, float],
        turns: Turned,
    ) -> None:
        row = np.array([np.interp(seconds, self.times, c) for c in self.values.T])
        if self.path == "weights":
            for name, value in zip(_names(head, container, self.node), row, strict=False):
                weights[name] = float(value)
            return
        matrix = head.nodes[self.node].matrix
        turn, shift = turns.get(self.node, ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0)))
        from scipy.spatial.transform import Rotation  # late: it takes its time

        if self.path == "rotation" and np.linalg.norm(row) > 1e-6:
            linear = matrix[:3, :3] / np.maximum(np.linalg.norm(matrix[:3, :3], axis=0), 1e-12)
            change = Rotation.from_matrix(linear).inv() * Rotation.from_quat(row)
            x, y, z = change.as_rotvec().tolist()
            turn = (x, y, z)
        elif self.path == "translation":
            x, y, z = np.linalg.solve(matrix[:3, :3], row - matrix[:3, 3]).tolist()
            shift = (x, y, z)
        if np.abs(np.array([turn, shift])).max() > 1e-6:
            turns[self.node] = (turn, shift)


def _names(head: Head, container: Container, node: int) -> list[str]:
    from .gltf import target_names

    mesh = container.item("nodes", node).get("mesh", -1)
    return [name for (m, _), name in sorted(target_names(container).items()) if m == mesh]
