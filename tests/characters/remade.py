"""Foreign heads for the tests: ours with other targets, names, units and axes, so that what a fitting
gives can be judged on points of the maker's mesh that the fitting knows nothing of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np

from glyphos.characters.builtin import builtin
from glyphos.characters.head import Head, Node, Piece, Shape
from glyphos.characters.posing import Poser
from glyphos.motion.curve import Motion
from tests.characters.models import Made
from tools.heads.lips import FRONT, N

INNER = np.arange(1, N // 2)
Rows = Mapping[str, Mapping[str, float]]


def base_targets(head: Head) -> list[str]:
    return [t for t in head.targets if not t.startswith(("fix_", "guard_"))]


def remade(head: Head, rows: Rows, sides: Mapping[str, int] | None = None) -> Head:
    """A head whose targets are mixtures of old ones; a side (1 left, −1 right) takes half of the face."""
    pieces = []
    for piece in head.pieces:
        shapes = {}
        for name, mix in rows.items():
            whole = np.zeros_like(piece.positions)
            for old, weight in mix.items():
                if old in piece.shapes:
                    shape = piece.shapes[old]
                    whole[shape.where if shape.where is not None else slice(None)] += (
                        weight * shape.delta
                    )
            side = (sides or {}).get(name, 0)
            if side:
                place = np.clip(0.5 + side * piece.positions[:, :1] / 0.16, 0, 1)
                whole *= place * place * (3 - 2 * place)
            where = np.flatnonzero(np.abs(whole).max(1) > 1e-7)
            if len(where):
                shapes[name] = Shape(where, whole[where].astype(np.float32))
        pieces.append(replace(piece, shapes=shapes))
    return replace(head, pieces=tuple(pieces), targets=tuple(rows), rig=None)


def nameless(head: Head, seed: int = 3) -> Head:
    """Names removed, order shuffled, and other names for the pieces."""
    order = np.random.default_rng(seed).permutation(len(head.targets))
    new = {head.targets[o]: f"target_{k:02d}" for k, o in enumerate(order)}
    pieces = tuple(
        replace(p, name=f"mesh_{k}", shapes={new[n]: s for n, s in p.shapes.items()})
        for k, p in enumerate(head.pieces)
    )
    return replace(head, pieces=pieces, targets=tuple(new[head.targets[o]] for o in order))


def elsewhere(head: Head) -> Head:
    """Centimetres, Z up, three metres from the origin: another root over all nodes."""
    matrix = np.array([[100, 0, 0, 300], [0, 0, -100, 20], [0, 100, 0, 150], [0, 0, 0, 1.0]])
    root = len(head.nodes)
    nodes = [replace(n, parent=root if n.parent < 0 else n.parent) for n in head.nodes]
    return replace(head, nodes=(*nodes, Node("elsewhere", -1, matrix)))


def halved(head: Head) -> Head:
    """Every target of the mouth in a left and a right half; every third of half the strength."""
    rows: dict[str, dict[str, float]] = {"shut": {"fix_seal_jaw": 1.0}}
    sides: dict[str, int] = {}
    for k, t in enumerate(base_targets(head)):
        strength = 1.0 if k % 3 else 0.6
        if t.endswith(("_left", "_right")) or t.startswith(("tongue", "jaw", "lids")):
            rows[t] = {t: strength}
        else:
            for name, side in (("L", 1), ("R", -1)):
                rows[f"{t}_{name}"], sides[f"{t}_{name}"] = {t: strength}, side
    return remade(head, rows, sides)


def plain(head: Head) -> Head:
    """The channels as targets, and one that shuts the lips over an open jaw."""
    rows = {t: {t: 1.0} for t in base_targets(head)}
    return remade(head, {**rows, "shut": {"fix_seal_jaw": 1.0}})


def without(head: Head, *names: str) -> Head:
    return remade(head, {t: {t: 1.0} for t in base_targets(head) if t not in names})


@cache
def own(name: str) -> Head:
    return builtin(name)


def few(head: Head, kept: np.ndarray) -> Head:
    """A head of some vertices alone, by their numbers in order; they move as before."""
    pieces, first = [], 0
    for piece in head.pieces:
        own = kept[(kept >= first) & (kept < first + len(piece.positions))] - first
        shapes = {}
        for name, shape in piece.shapes.items():
            where = np.arange(len(piece.positions)) if shape.where is None else shape.where
            there = np.isin(where, own)
            delta = shape.delta[there]
            shapes[name] = Shape(np.searchsorted(own, where[there]), delta, np.zeros_like(delta))
        pieces.append(
            replace(
                piece,
                positions=piece.positions[own],
                normals=piece.normals[own],
                shapes=shapes,
                colors=None,
                uv=None,
                faces=np.zeros((0, 3), np.uint32),
                joints=piece.joints if piece.joints is None else piece.joints[own],
                weights=piece.weights if piece.weights is None else piece.weights[own],
            )
        )
        first += len(piece.positions)
    return replace(head, pieces=tuple(pieces))


class Track:
    """Known points of a maker's mesh: lips, chin, tongue; measured in mouth widths at rest."""

    def __init__(self, head: Head, maker: Head) -> None:
        self.poser = Poser(head)
        lips, first = self._piece(maker, ("skin", "mouth"))
        ring = first + FRONT * N
        self.lips = [ring + INNER, ring + N - INNER, np.array([ring, ring + N // 2])]
        border = first + 7 * N
        self.border = np.array([border + N // 4, border + 3 * N // 4])
        chins = [(*self._piece(maker, (n,)), n) for n in ("jaw", "skin") if self._has(maker, n)]
        piece, at, _ = chins[0]
        drop = piece.shapes["jaw_open"]
        self.chin = at + int(drop.where[np.argmin(drop.delta[:, 1])])
        tongue, at = self._piece(maker, ("tongue",))
        self.tongue = [
            at + int(tongue.positions[:, 2].argmax()),
            at + int(tongue.positions[:, 1].argmax()),
        ]
        assert lips is not None
        which = np.concatenate([*self.lips, self.border, [self.chin], self.tongue])
        kept, self.which = np.unique(which, return_inverse=True)
        self.poser = Poser(few(head, kept))  # all that is looked at

    def _has(self, maker: Head, name: str) -> bool:
        return any(p.name == name for p in maker.pieces)

    def _piece(self, maker: Head, names: tuple[str, ...]) -> tuple[Piece, int]:
        k = next(k for k, p in enumerate(maker.pieces) if p.name in names)
        return maker.pieces[k], int(self.poser.first[k])

    def measure(self, weights: list[dict[str, float]]) -> dict[str, np.ndarray]:
        """Curves over poses of a measure for each gesture."""
        frames = np.stack([self._points(w) for w in weights])
        rest = self._points({})
        n = len(INNER)
        up, low = frames[:, :n], frames[:, n : 2 * n]
        left, right = frames[:, 2 * n], frames[:, 2 * n + 1]
        upper, lower, chin, tip, body = (frames[:, 2 * n + 2 + k] for k in range(5))
        width = float(rest[2 * n, 0] - rest[2 * n + 1, 0])
        m, gap = n // 2, up[:, :, 1] - low[:, :, 1]
        found = {
            "jaw_open": -chin[:, 1], "lips_part": gap[:, m], "lips_wide": left[:, 0] - right[:, 0],
            "lips_round": (up[:, m, 2] + low[:, m, 2]) / 2, "upper_lip_raise": up[:, m, 1],
            "lips_press": (upper[:, 1] - up[:, m, 1]) + (low[:, m, 1] - lower[:, 1]),
            "lip_to_teeth": up[:, m, 2] - low[:, m, 2], "tongue_tip": tip[:, 1],
            "tongue_between_teeth": tip[:, 2], "tongue_front": body[:, 2], "tongue_high": body[:, 1],
            "gaps": np.abs(gap).max(1),
        }  # fmt: skip
        return {k: v / width for k, v in found.items()}

    def _points(self, weights: Mapping[str, float]) -> np.ndarray:
        points = self.poser.pose(weights)[0].astype(float)
        if len(self.poser.head.nodes) and self.poser.head.nodes[-1].name == "elsewhere":
            points = (points - [300, 20, 150]) @ np.array([[1, 0, 0], [0, 0, -1], [0, 1, 0]]) / 100
        return np.asarray(points[self.which])


def alike(a: np.ndarray, b: np.ndarray) -> float:
    return float(np.corrcoef(a, b)[0, 1]) if a.std() > 1e-9 and b.std() > 1e-9 else 0.0


def rows_of(motion: Motion) -> list[dict[str, float]]:
    return [dict(zip(motion.names, r.tolist(), strict=True)) for r in motion.values]


def saved(
    head: Head, path: Path, *, leave_out: tuple[str, ...] = ("hair", "cap", "coat", "scarf", "ear")
) -> Path:
    """A head as a GLB file, without what only costs time."""
    made = Made()
    made.document["nodes"] = [
        {"name": n.name, "matrix": n.matrix.T.ravel().tolist(), "children": []} for n in head.nodes
    ]
    for k, node in enumerate(head.nodes):
        if node.parent >= 0:
            made.document["nodes"][node.parent]["children"].append(k)
    for entry in made.document["nodes"]:
        if not entry["children"]:
            del entry["children"]
    for piece in head.pieces:
        if piece.name.startswith(leave_out):
            continue
        names = [t for t in head.targets if t in piece.shapes]
        primitive = {
            "attributes": {
                "POSITION": made.add(piece.positions.astype("f4")),
                "NORMAL": made.add(piece.normals.astype("f4")),
            },
            "indices": made.add(piece.faces.ravel().astype("u4")),
        }
        if piece.colors is not None:
            primitive["attributes"]["COLOR_0"] = made.add(piece.colors.astype("f4"))
        whole = {}
        for name in names:
            shape = piece.shapes[name]
            whole[name] = np.zeros_like(piece.positions)
            whole[name][shape.where if shape.where is not None else slice(None)] = shape.delta
        primitive["targets"] = [{"POSITION": made.add(d.astype("f4"))} for d in whole.values()]
        if not names:
            del primitive["targets"]
        made.document["meshes"].append(
            {"name": piece.name, "primitives": [primitive], "extras": {"targetNames": names}}
        )
        made.document["nodes"][piece.node]["mesh"] = len(made.document["meshes"]) - 1
    made.document["scenes"] = [{"nodes": [k for k, n in enumerate(head.nodes) if n.parent < 0]}]
    return made.save(path)


SOUNDS: dict[str, dict[str, float]] = {
    "p": {"lips_press": 0.6}, "f": {"jaw_open": 0.08, "lips_part": 0.1, "lip_to_teeth": 1.0},
    "th": {"jaw_open": 0.2, "lips_part": 0.4, "tongue_between_teeth": 1.0},
    "t": {"jaw_open": 0.12, "lips_part": 0.3, "tongue_tip": 1.0},
    "k": {"jaw_open": 0.2, "lips_part": 0.35, "tongue_high": 0.9, "tongue_front": -0.4},
    "ch": {"jaw_open": 0.08, "lips_part": 0.42, "lips_round": 0.55, "upper_lip_raise": 0.2},
    "s": {"jaw_open": 0.06, "lips_part": 0.34, "lips_wide": 0.35, "upper_lip_raise": 0.2},
    "r": {"jaw_open": 0.15, "lips_part": 0.3, "lips_round": 0.5}, "aa": {"jaw_open": 0.75, "lips_part": 0.75},
    "e": {"jaw_open": 0.38, "lips_part": 0.5, "lips_wide": 0.45},
    "ih": {"jaw_open": 0.14, "lips_part": 0.42, "lips_wide": 0.75, "upper_lip_raise": 0.2},
    "oh": {"jaw_open": 0.42, "lips_part": 0.5, "lips_round": 0.75},
    "ou": {"jaw_open": 0.14, "lips_part": 0.26, "lips_round": 1.0},
}  # fmt: skip


def whole_mouths(head: Head) -> Head:
    """A mouth for every sound, and two blinks; nothing else."""
    assert head.rig is not None
    rows: dict[str, dict[str, float]] = {}
    for name, pose in SOUNDS.items():
        rows[name] = {t: float(w) for t, w in head.rig.weights(pose).items() if abs(float(w)) > 0}
    rows |= {f"blink_{s}": {f"blink_{s}": 1.0} for s in ("left", "right")}
    return remade(head, rows)


def cut_up(head: Head) -> Head:
    """The skin in pieces, with lips and eyes on different ones."""
    pieces = []
    for piece in head.pieces:
        if piece.name != "skin":
            pieces.append(piece)
            continue
        spoke = np.arange(8 * N) % N
        lower = np.zeros(len(piece.positions), bool)
        lower[: 8 * N] = spoke > N // 2
        lower[8 * N :] = piece.positions[8 * N :, 1] < piece.positions[3 * N, 1]
        middle = piece.positions[piece.faces].mean(1)
        kind = np.where(lower[piece.faces].sum(1) >= 2, 0, 1) + 2 * (middle[:, 2] < 0)
        for k in np.unique(kind):
            pieces.append(only_faces(piece, piece.faces[kind == k], f"part {k}"))
    return replace(head, pieces=tuple(pieces))


def only_faces(piece: Piece, faces: np.ndarray, name: str) -> Piece:
    """A piece with some of its triangles, and only the points of those."""
    used = np.unique(faces)
    index = np.full(len(piece.positions), -1)
    index[used] = np.arange(len(used))
    shapes = {}
    for target, shape in piece.shapes.items():
        whole = np.zeros_like(piece.positions)
        whole[shape.where if shape.where is not None else slice(None)] = shape.delta
        where = np.flatnonzero(np.abs(whole[used]).max(1) > 0)
        if len(where):
            shapes[target] = Shape(where, whole[used][where])
    return replace(
        piece, name=name, positions=piece.positions[used], normals=piece.normals[used], shapes=shapes,
        faces=index[faces].astype(np.uint32), colors=None if piece.colors is None else piece.colors[used],
    )  # fmt: skip


def apart(head: Head) -> Head:
    """Lips three per cent apart at rest, a bag behind them, so that no edge shows where they meet."""
    made = plain(head)
    rows = {t: {t: 1.0} for t in made.targets} | {"meet": {"lips_part": -0.25}}
    made = remade(made, rows)
    pieces = []
    for piece in made.pieces:
        points = piece.positions.copy()
        if "lips_part" in piece.shapes:
            shape = piece.shapes["lips_part"]
            points[shape.where] += 0.25 * shape.delta
        pieces.append(replace(piece, positions=points))
    return replace(made, pieces=tuple(pieces))


def mask() -> Head:
    """A bowl of 21 by 27 points with a slit for a mouth, a little open at rest, and holes for eyes:
    another topology, few polygons, no tongue."""
    nx, ny = 21, 27
    x, y = np.meshgrid(np.linspace(-1, 1, nx), np.linspace(-1.25, 1.25, ny), indexing="ij")
    side = np.sign(x) * np.abs(x) ** 1.35 * 0.9
    z = 0.9 * np.sqrt(np.clip(1.75 - side**2 * 1.1 - (y / 1.35) ** 2, 0.02, None)) - 0.8
    z += 0.18 * np.exp(-((x / 0.18) ** 2) - ((y - 0.05) / 0.35) ** 2)
    grid, index = np.stack([side, y, z], -1), np.arange(nx * ny).reshape(nx, ny)
    row, eye, half = int(np.argmin(np.abs(y[0] + 0.58))), int(np.argmin(np.abs(y[0] - 0.42))), 0.36
    slit = np.flatnonzero(np.abs(grid[:, row, 0]) < half)
    points = np.concatenate([grid.reshape(-1, 3), grid[slit, row]])
    below = {int(i): nx * ny + k for k, i in enumerate(slit)}
    faces = []
    for i in range(nx - 1):
        for j in range(ny - 1):
            quad = [index[i, j], index[i + 1, j], index[i + 1, j + 1], index[i, j + 1]]
            if j == row - 1:  # under the slit: the lower copies
                quad[2], quad[3] = below.get(i + 1, quad[2]), below.get(i, quad[3])
            middle = abs(points[quad[0], 0] + points[quad[1], 0]) / 2
            if not (j in (eye - 1, eye) and 0.22 < middle < 0.58):
                faces += [[quad[0], quad[1], quad[2]], [quad[0], quad[2], quad[3]]]
    upper, lower = index[slit, row], np.array(list(below.values()))
    bow = np.sqrt(np.clip(1 - (points[upper, 0] / half) ** 2, 0, None))
    points[upper, 1] += 0.012 * bow
    points[lower, 1] -= 0.010 * bow
    moves = _mask_moves(
        points,
        upper,
        lower,
        bow,
        float(y[0, row]),
        half,
        float(y[0, eye + 1]),
        float(y[0, eye - 1]),
    )
    shapes = {}
    for name, delta in moves.items():
        where = np.flatnonzero(np.abs(delta).max(1) > 1e-9)
        shapes[name] = Shape(where, delta[where].astype(np.float32))
    piece = Piece(
        "mask",
        0,
        points.astype(np.float32),
        np.zeros_like(points, np.float32),
        np.array(faces, np.uint32),
        shapes=shapes,
    )
    return Head(
        "mask", Path("mask.glb"), (piece,), (Node("mask", -1, np.eye(4)),), targets=tuple(shapes)
    )


def _mask_moves(
    v: np.ndarray, upper: np.ndarray, lower: np.ndarray, bow: np.ndarray, mouth: float, half: float,
    lid: float, under: float,
) -> dict[str, np.ndarray]:  # fmt: skip
    every = np.arange(len(v))

    def lump(cx: float, cy: float, rx: float, ry: float) -> np.ndarray:
        return np.exp(-(((v[:, 0] - cx) / rx) ** 2) - ((v[:, 1] - cy) / ry) ** 2)[:, None]

    low = ((v[:, 1] < mouth - 0.005) | np.isin(every, lower)) & ~np.isin(every, upper)
    near = lump(0, mouth, 0.5, 0.3)
    jaw = np.where(
        low,
        np.clip((mouth + 0.02 - v[:, 1]) / 0.15, 0, 1) * np.clip(1.2 - np.abs(v[:, 0]), 0, 1),
        0,
    )
    jaw[lower] = bow**0.7
    turn = np.stack([0 * jaw, -np.sin(0.3) * (v[:, 2] + 0.55), np.sin(0.3) * v[:, 1] * 0.6], -1)
    arch = np.sqrt(np.clip(1 - (v[:, 0] / half) ** 2, 0, 1))[:, None]
    over = lump(0, mouth, 0.5, 0.2) * (~low)[:, None] * arch
    beneath = lump(0, mouth, 0.5, 0.2) * low[:, None] * arch
    met = np.zeros_like(v)
    met[upper, 1] -= 0.012 * bow
    met[lower, 1] += 0.010 * bow
    found = {
        "Jaw Drop": turn * jaw[:, None], "Lips Apart": over * [0, 0.05, 0.01] + beneath * [0, -0.08, 0],
        "Spread": near * np.stack([0.32 * v[:, 0], 0 * jaw, -0.05 * np.abs(v[:, 0])], -1),
        "Pucker": near * np.stack([-0.55 * v[:, 0], 0 * jaw, 0 * jaw + 0.16], -1),
        "Press": near * [0, 0, -0.03] + met + lump(0, mouth + 0.14, 0.3, 0.08) * (~low)[:, None] * [0, -0.05, 0]
        + lump(0, mouth - 0.14, 0.3, 0.08) * low[:, None] * [0, 0.05, 0],
        "Seal": met, "Lower lip in": beneath * [0, 0.05, -0.10] + over * [0, 0.05, 0],
        "Upper lip up": over * [0, 0.07, 0.01],
    }  # fmt: skip
    for s, name in ((1, "L"), (-1, "R")):
        on = np.clip(0.5 + s * v[:, 0] / 0.2, 0, 1)[:, None]
        found["Smile " + name] = lump(0.38 * s, mouth, 0.2, 0.2) * on * [0.06 * s, 0.12, -0.02]
        edge = ((np.abs(v[:, 1] - lid) < 0.02) & (np.abs(s * v[:, 0] - 0.4) < 0.24))[:, None]
        found["Blink " + name] = edge * [0, -(lid - under), 0.02]
        found["Brow up " + name] = lump(0.42 * s, 0.75, 0.35, 0.14) * [0, 0.1, 0]
    return found
