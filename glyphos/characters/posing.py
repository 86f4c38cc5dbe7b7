"""Posing a head: morph targets, turned nodes and bones give vertices and normals in the head's own
space, for measuring. What is drawn is posed on the graphics chip, from the same moves and matrices
(`stage.figure`), and a test holds both together.

Morphs are sparse sums over what is active; of a skin only what a moved bone holds is computed again
(linear blending, glTF 2.0, 3.7.3.2).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from .head import Array, Doubles, Head, Ints, Piece, Vector

SEEN = 1e-6  # of a weight
ORIGIN = (0.0, 0.0, 0.0)
EYE = np.eye(3)
THICK = 3  # rows kept for each that a target moves, at most
Turns = Mapping[int, Doubles]  # a node's number to the matrix (4, 4) that its own is multiplied by


def rotation(axis: tuple[float, float, float], degrees: float) -> Doubles:
    """A turn about an axis (right-handed) as a matrix (4, 4), by Rodrigues' formula."""
    k = np.asarray(axis, float) / max(float(np.linalg.norm(axis)), 1e-12)
    a = np.radians(degrees)
    cross = np.array([[0, -k[2], k[1]], [k[2], 0, -k[0]], [-k[1], k[0], 0]])
    made = np.eye(4)
    made[:3, :3] += np.sin(a) * cross + (1 - np.cos(a)) * cross @ cross
    return made


def played(head: Head, values: Mapping[str, float]) -> tuple[Mapping[str, float], Turns]:
    """Weights and turns for channels, of a head that says what they do; of targets of that name
    else."""
    return (head.rig.weights(values) if head.rig else values), turns_of(head, values)


def turns_of(head: Head, values: Mapping[str, float]) -> dict[int, Doubles]:
    """Turned nodes for channels in degrees: as the rig lists them, else as they were found."""
    made: dict[int, Doubles] = {}
    follow: dict[str, list[tuple[int, Vector, Vector]]] = (
        {channel: list(nodes) for channel, nodes in head.turns.items()} if head.rig is None else {
            channel: [(node, axis, ORIGIN) for name in names if (node := head.node(name)) >= 0]
            for channel, (names, axis) in head.rig.turns.items()
        }
    )  # fmt: skip
    for channel, nodes in follow.items():
        if degrees := float(values.get(channel, 0.0)):
            for node, axis, point in nodes:
                turn = rotation(axis, degrees)
                turn[:3, 3] = np.asarray(point) - turn[:3, :3] @ np.asarray(point)
                made[node] = made.get(node, np.eye(4)) @ turn
    return made


@dataclass(frozen=True)
class Move:
    """What a target does to a piece: vertices of the head (k,), how far they go and how their
    normals turn (k, 3)."""

    where: Ints
    delta: Array
    bend: Array

    @property
    def reach(self) -> tuple[int, int]:
        """The first and the last vertex."""
        return int(self.where.min()), int(self.where.max())


class Poser:
    """Poses one head; keeps what is the same in every pose."""

    def __init__(self, head: Head) -> None:
        self.head = head
        sizes = [len(p.positions) for p in head.pieces]
        self.first = np.concatenate([[0], np.cumsum(sizes)]).astype(int)
        join = [np.zeros((0, 3), np.float32)]
        self._points: Array = np.concatenate(join + [p.positions for p in head.pieces])
        self._normals: Array = np.concatenate(join + [p.normals for p in head.pieces])
        faces = [p.faces + np.uint32(a) for p, a in zip(head.pieces, self.first, strict=False)]
        self.faces = np.concatenate([np.zeros((0, 3), np.uint32), *faces]).astype(np.uint32)
        self._shapes: dict[str, list[tuple[int, Ints | slice]]] = {}
        for k, piece in enumerate(head.pieces):
            for name, shape in piece.shapes.items():
                a, b = int(self.first[k]), int(self.first[k + 1])
                where = slice(a, b) if shape.where is None else _places(shape.where + a)
                self._shapes.setdefault(name, []).append((k, where))
        self._bent: dict[tuple[str, int], Array] = {}
        self._spreads: dict[str, list[tuple[Ints | slice, Array, Array]]] = {}
        self._moves: dict[str, list[Move]] = {}
        self._rest = self.worlds({})

    def rest(self) -> Array:
        """Vertices (n, 3) at rest."""
        return self.pose({})[0]

    def play(self, values: Mapping[str, float]) -> tuple[Array, Array]:
        """Pose by channels, for a head that says what they do; by targets of that name else."""
        return self.pose(*played(self.head, values))

    @property
    def shape(self) -> tuple[Array, Array]:
        """Vertices and normals (n, 3) without any target or bone, in the space of each piece."""
        return self._points, self._normals

    def moves(self, target: str) -> list[Move]:
        """What a target moves, piece by piece."""
        known = self._moves.get(target)
        if known is None:
            known = self._moves[target] = []
            for k, where in self._shapes.get(target, ()):
                delta = self.head.pieces[k].shapes[target].delta
                if len(delta):
                    first = int(self.first[k])
                    places = (
                        np.arange(where.start, where.stop) if isinstance(where, slice) else where
                    )
                    assert len(places) == len(delta) and places.min() >= first
                    known.append(Move(places, delta, self._bend(target, k)))
        return known

    def pose(self, weights: Mapping[str, float], turns: Turns | None = None) -> tuple[Array, Array]:
        """Vertices and normals (n, 3), in the space of the file; normals need not have length 1.

        weights: of channels (`Head.channels`) or targets. turns: matrices of nodes beside rest.
        """
        points, normals = self._points.copy(), self._normals.copy()
        for name, weight in self.targets(weights).items():
            if abs(weight) > SEEN:
                for where, delta, bend in self._spread(name):
                    points[where] += np.float32(weight) * delta
                    normals[where] += np.float32(weight) * bend
        turns = self.turned(weights, turns or {})
        worlds = self.worlds(turns) if turns else self._rest
        for first, last, matrix in self._hung(worlds):
            linear, shift = matrix[:3, :3], matrix[:3, 3].astype("f4")
            if not np.array_equal(linear, EYE):
                points[first:last] = points[first:last] @ linear.T.astype("f4")
                normals[first:last] = normals[first:last] @ of_normals(matrix).astype("f4")
            if shift.any():
                points[first:last] += shift
        for k, piece in enumerate(self.head.pieces):
            if piece.skin >= 0:
                own = slice(self.first[k], self.first[k + 1])
                points[own], normals[own] = self._skinned(piece, points[own], normals[own], worlds)
        return points, normals

    def _spread(self, target: str) -> list[tuple[Ints | slice, Array, Array]]:
        """Vertices that a target moves, how far they go and how normals turn. Where it moves most of a
        stretch it is kept for all of that, since rows side by side add up ten times as quickly."""
        known = self._spreads.get(target)
        if known is None:
            known = []
            for k, where in self._shapes.get(target, ()):
                delta, bend = self.head.pieces[k].shapes[target].delta, self._bend(target, k)
                if not isinstance(where, slice) and len(where):
                    first, after = int(where.min()), int(where.max()) + 1
                    if after - first <= THICK * len(where) and len(np.unique(where)) == len(where):
                        whole = np.zeros((2, after - first, 3), np.float32)
                        whole[0, where - first], whole[1, where - first] = delta, bend
                        where, delta, bend = slice(first, after), whole[0], whole[1]
                known.append((where, delta, bend))
            self._spreads[target] = known
        return known

    def _hung(self, worlds: list[Doubles]) -> list[tuple[int, int, Doubles]]:
        """Vertices of pieces that hang on nodes, from and to, and the matrix that carries them;
        neighbours that the same one carries are one."""
        made: list[tuple[int, int, Doubles]] = []
        for k, piece in enumerate(self.head.pieces):
            if piece.skin < 0:
                first, last, matrix = int(self.first[k]), int(self.first[k + 1]), worlds[piece.node]
                if made and made[-1][1] == first and np.array_equal(made[-1][2], matrix):
                    first = made.pop()[0]
                made.append((first, last, matrix))
        return made

    def moved(self, target: str) -> tuple[Ints, Array]:
        """Vertices that a channel moves, and by how much (k, 3) at weight 1, all nodes at rest."""
        plain = not any(p.skin >= 0 for p in self.head.pieces) and target not in self.head.turned
        if plain:
            return self._shifted(target)
        before, after = self.pose({})[0], self.pose({target: 1.0})[0]
        delta = after - before
        where = np.flatnonzero(largest(delta))
        return where, delta[where]

    def _shifted(self, channel: str) -> tuple[Ints, Array]:
        """`moved` by morph targets alone, of pieces without bones."""
        whole = np.zeros_like(self._points)
        for name, weight in self.targets({channel: 1.0}).items():
            for k, where in self._shapes.get(name, ()):
                piece = self.head.pieces[k]
                linear = self._rest[piece.node][:3, :3].T.astype("f4")
                whole[where] += np.float32(weight) * (piece.shapes[name].delta @ linear)
        places = np.flatnonzero(largest(whole))
        return places, whole[places]

    def targets(self, weights: Mapping[str, float]) -> dict[str, float]:
        """Weights of morph targets for those of channels."""
        combined = self.head.combined
        if not any(name in combined for name in weights):
            return {k: float(v) for k, v in weights.items()}
        made: dict[str, float] = {}
        for name, weight in weights.items():
            for target, share in combined.get(name, {name: 1.0}).items():
                made[target] = made.get(target, 0.0) + float(weight) * share
        return made

    def turned(self, weights: Mapping[str, float], turns: Turns) -> Turns:
        """Nodes that channels turn and shift, on top of those that are turned anyway."""
        found = {k: v for k, v in weights.items() if k in self.head.turned and abs(v) > SEEN}
        if not found:
            return turns
        made = dict(turns)
        for name, weight in found.items():
            for node, (turn, shift) in self.head.turned[name].items():
                angle = float(np.linalg.norm(turn))
                matrix = rotation(turn, np.degrees(angle) * float(weight))
                matrix[:3, 3] = np.asarray(shift) * float(weight)
                made[node] = made.get(node, np.eye(4)) @ matrix
        return made

    def _bend(self, name: str, k: int) -> Array:
        """How normals turn with a target: as the file says, else found on the mesh, once."""
        shape = self.head.pieces[k].shapes[name]
        if shape.normal is not None:
            return shape.normal
        known = self._bent.get((name, k))
        if known is None:
            piece = self.head.pieces[k]
            moved = piece.positions.copy()
            where = slice(None) if shape.where is None else shape.where
            moved[where] += shape.delta
            change = face_normals(moved, piece.faces) - face_normals(piece.positions, piece.faces)
            known = self._bent[name, k] = np.asarray(change[where], np.float32)
        return known

    def worlds(self, turns: Turns) -> list[Doubles]:
        """World matrices of all nodes; parents may stand behind their children."""
        made: list[Doubles | None] = [None] * len(self.head.nodes)

        def world(k: int) -> Doubles:
            known = made[k]
            if known is None:
                node = self.head.nodes[k]
                own = node.matrix @ turns[k] if k in turns else node.matrix
                known = made[k] = own if node.parent < 0 else world(node.parent) @ own
            return known

        return [world(k) for k in range(len(made))]

    def _skinned(
        self, piece: Piece, points: Array, normals: Array, worlds: list[Doubles]
    ) -> tuple[Array, Array]:
        skin = self.head.skins[piece.skin]
        matrices = np.stack([worlds[j] @ i for j, i in zip(skin.joints, skin.inverse, strict=True)])
        assert piece.joints is not None and piece.weights is not None
        out, turned = np.zeros_like(points), np.zeros_like(normals)
        used = np.flatnonzero(np.bincount(piece.joints.ravel(), piece.weights.ravel()) > 0)
        for j in used:
            share = np.where(piece.joints == j, piece.weights, 0).sum(1).astype(np.float32)
            held = np.flatnonzero(share)
            matrix = matrices[j]
            moved = points[held] @ matrix[:3, :3].T.astype("f4") + matrix[:3, 3].astype("f4")
            out[held] += share[held, None] * moved
            turned[held] += share[held, None] * (normals[held] @ of_normals(matrix).astype("f4"))
        return out, turned


def _places(where: Ints) -> Ints | slice:
    """Places in a row as a slice, which is several times quicker."""
    count = len(where)
    if (
        count > 1
        and int(where[-1]) - int(where[0]) == count - 1
        and bool((np.diff(where) == 1).all())
    ):
        return slice(int(where[0]), int(where[-1]) + 1)
    return where


def largest(rows: Array) -> Array:
    """The largest absolute part of each row (n, 3); as a reduction it takes several times longer."""
    made = np.abs(rows[:, 0])
    for axis in (1, 2):
        np.maximum(made, np.abs(rows[:, axis]), out=made)
    return made


def of_normals(matrix: Doubles) -> Doubles:
    """What normals as rows are multiplied by: the inverse of the linear part."""
    (a, b, c), (d, e, f), (g, h, i) = matrix[:3, :3].tolist()
    made = np.array(  # the adjugate (Cramer's rule): of nine numbers NumPy's own takes fifty times as long
        [
            [e * i - f * h, c * h - b * i, b * f - c * e],
            [f * g - d * i, a * i - c * g, c * d - a * f],
            [d * h - e * g, b * g - a * h, a * e - b * d],
        ]
    )
    volume = a * made[0, 0] + b * made[1, 0] + c * made[2, 0]
    if abs(volume) < 1e-18:
        return np.eye(3)
    longest = float(np.sqrt((made * made).sum(0).max()))
    return np.asarray(made / (np.copysign(max(longest, 1e-30), volume)))


def face_normals(points: Array, faces: Ints | np.ndarray) -> Array:
    """Normals (n, 3) of length 1, from the triangles around each vertex by their area."""
    a, b, c = (points[faces[:, k]].astype(np.float64) for k in range(3))
    cross = np.cross(b - a, c - a)
    made = np.zeros((len(points), 3))
    for axis in range(3):
        for k in range(3):
            made[:, axis] += np.bincount(faces[:, k], cross[:, axis], len(points))
    length = np.linalg.norm(made, axis=1, keepdims=True)
    return np.asarray(made / np.maximum(length, 1e-20), np.float32)
