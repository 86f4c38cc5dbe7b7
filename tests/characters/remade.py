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
        which = np.concatenate([*self.lips, self.border, [self.chin], self.tongue])
        return np.asarray(points[which])


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
