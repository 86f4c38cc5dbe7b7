"""Bones that open a mouth, and poses that a file's animation holds, as channels of a head."""

from __future__ import annotations

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
    samples = [_Sampled(container, a, c) for a in animations[:1] for c in a.get("channels", [])]
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
        name, _, frame = line.strip().replace(",", " ").rpartition(" ")
        if not name or not frame.strip().isdigit():
            raise ModelError(
                f"Line {number} of {path.name} is not a name and a frame; mend it, as in “smile 12”."
            )
        found.append((name.strip(), int(frame)))
    if not found:
        raise ModelError(f"There is no pose in {path.name}; write a name and a frame a line.")
    return found


class _Sampled:
    """One channel of an animation, sampled by straight lines."""

    def __init__(
        self, container: Container, animation: dict[str, Any], channel: dict[str, Any]
    ) -> None:
        sampler = animation["samplers"][channel["sampler"]]
        target = channel.get("target", {})
        self.node, self.path = target.get("node", -1), target.get("path", "")
        self.times = read(container, sampler["input"], 1)[:, 0].astype(float)
        values = read(container, sampler["output"]).astype(float)
        if sampler.get("interpolation") == "CUBICSPLINE":
            values = values.reshape(len(self.times), 3, -1)[:, 1]
        self.values: Doubles = values.reshape(len(self.times), -1)
        self.end = float(self.times[-1]) if len(self.times) else 0.0
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
