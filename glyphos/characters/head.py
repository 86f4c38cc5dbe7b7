"""A head: pieces of mesh with morph targets, nodes, skins, materials; and how our own heads say what
moves them. Values only: who reads them from files and who draws them stands elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float32]
Doubles = NDArray[np.float64]
Ints = NDArray[np.intp]
Vector = tuple[float, float, float]
Turned = tuple[Vector, Vector]  # a rotation vector (radians) and a shift, in the node's own space
Factor = tuple[str, float, float, float]  # channel, a, b, power


@dataclass(frozen=True)
class Shape:
    """What a morph target does to a piece: `delta` (k, 3) at the vertices `where`, or at all of
    them if that is None; the same for normals, None where they must be found from the mesh."""

    where: Ints | None
    delta: Array
    normal: Array | None = None


REPEATED, CLAMPED, MIRRORED = 10497, 33071, 33648  # of a texture beyond its edges (glTF 2.0, 5.26)


@dataclass(frozen=True)
class Material:
    """How a piece looks; textures are numbers of images, −1 for none.

    wraps: how both textures go on beyond their edges, across and down.
    """

    name: str = ""
    color: tuple[float, ...] = (1.0, 1.0, 1.0, 1.0)
    texture: int = -1
    normal_map: int = -1
    rough: float = 0.9
    glow: tuple[float, ...] = (0.0, 0.0, 0.0)
    two_sided: bool = False
    cut: float = 0.0  # less opaque than this is not drawn
    see_through: bool = False
    wraps: tuple[int, int] = (REPEATED, REPEATED)


@dataclass(frozen=True)
class Piece:
    """One part of a mesh: n vertices, triangles (m, 3), and what each morph target does to it."""

    name: str
    node: int
    positions: Array
    normals: Array
    faces: NDArray[np.uint32]
    material: Material = Material()
    colors: Array | None = None  # (n, 3), times the material's
    uv: Array | None = None  # (n, 2)
    shapes: Mapping[str, Shape] = field(default_factory=dict)
    skin: int = -1
    joints: NDArray[np.uint16] | None = None  # (n, 4), numbers in the skin
    weights: Array | None = None  # (n, 4)


@dataclass(frozen=True)
class Node:
    """A place in the hierarchy: its parent (−1: none) and its own matrix (4, 4)."""

    name: str
    parent: int
    matrix: Doubles


@dataclass(frozen=True)
class Skin:
    """Bones: numbers of nodes, and the matrices (j, 4, 4) from the mesh to each at rest."""

    joints: tuple[int, ...]
    inverse: Doubles


@dataclass(frozen=True)
class Rig:
    """What a head says of itself in the `extras` of its root, so that channels can be played.

    split: a channel to targets and gains, weight = max(0, value · gain). drivers: correctives, a
    product of clamp(a · channel + b, 0, 1) ** power. turns: a channel in degrees to nodes and axis.
    mouth, height: where its middle is at rest, and the size of the head, for a camera.
    """

    split: Mapping[str, tuple[tuple[str, float], ...]]
    drivers: Mapping[str, tuple[Factor, ...]]
    turns: Mapping[str, tuple[tuple[str, ...], tuple[float, float, float]]]
    mouth: tuple[float, float, float] = (0.0, 0.0, 0.0)
    height: float = 0.0

    def weights(self, values: Mapping[str, Any]) -> dict[str, Any]:
        """Weights of the morph targets for values of channels: numbers, or curves over frames."""
        found: dict[str, Any] = {}
        # of single numbers, NumPy's functions take thirty times as long as these
        alone = all(isinstance(v, (int, float)) for v in values.values())
        above, within = (_above, _within) if alone else (_all_above, _all_within)
        for channel, value in values.items():
            if channel not in self.turns or channel in self.split:
                for target, gain in self.split.get(channel, ((channel, 1.0),)):
                    found[target] = above(value * gain)
        for target, factors in self.drivers.items():
            weight: Any = 1.0
            for channel, a, b, power in factors:
                weight = weight * within(values.get(channel, 0.0) * a + b) ** power
                if isinstance(weight, float) and not weight:  # as where a channel is not there
                    break
            if np.any(weight):
                found[target] = weight
        return found


@dataclass(frozen=True)
class Head:
    """A head as a file holds it.

    targets: names of all morph targets in the file's order. combined: channels that stand for
    several targets (expressions of a VRM), name to {target: weight}. turns: our channels in degrees to
    the nodes that follow them, of a head without a rig, each with its axis and a point of that, as
    the node has them. turned: channels that turn
    bones, name to {node: what it does at full value}; one name may be in both. said: what a person should
    know about how the file was read.
    """

    name: str
    path: Path
    pieces: tuple[Piece, ...]
    nodes: tuple[Node, ...]
    skins: tuple[Skin, ...] = ()
    images: tuple[bytes, ...] = ()
    targets: tuple[str, ...] = ()
    combined: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    rig: Rig | None = None
    said: tuple[str, ...] = ()
    turned: Mapping[str, Mapping[int, Turned]] = field(default_factory=dict)
    turns: Mapping[str, tuple[tuple[int, Vector, Vector], ...]] = field(default_factory=dict)

    @property
    def vertices(self) -> int:
        return sum(len(p.positions) for p in self.pieces)

    @property
    def triangles(self) -> int:
        return sum(len(p.faces) for p in self.pieces)

    @cached_property
    def channels(self) -> tuple[str, ...]:
        """What can be driven: expressions where the file has them, else its morph targets."""
        first = tuple(self.combined) if self.combined else self.targets
        return (*first, *(n for n in self.turned if n not in first))

    def node(self, name: str) -> int:
        """The number of a node by its name, −1 if there is none."""
        return next((k for k, n in enumerate(self.nodes) if n.name == name), -1)


def _above(value: Any) -> Any:
    return max(0.0, value)


def _all_above(values: Any) -> Any:
    return np.maximum(0.0, values)


def _within(value: Any) -> Any:
    return min(max(value, 0.0), 1.0)


def _all_within(values: Any) -> Any:
    if isinstance(values, float):  # of a channel that is not there
        return _within(values)
    return np.minimum(np.maximum(values, 0.0), 1.0)
