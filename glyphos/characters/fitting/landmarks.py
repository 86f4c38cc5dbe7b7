"""Finding a face on a neutral mesh, from what its channels move and from topology.

Nothing is known beforehand: not the names, not which way is up or front, not the unit. What is
found is told in words; what is doubtful too.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from ...errors import ModelError
from ..head import Ints
from ..posing import largest
from .face import Face
from .joined import pieces, tree
from .marks import find_marks
from .stack import Floats, Moves, Stack

AXES = np.eye(3)
SLICES = 25  # of the mouth, from side to side
NARROW = 0.2  # of a mouth's opening at rest: what is narrower than this may be wider again
PARTS = 0.004  # of the face's height: lips that part less are none


def find_face(stack: Stack, at: Floats | None = None) -> Face:
    """The face of a head; ModelError if no mouth can be found.

    at: where a person pointed to the mouth (in the file's space), if the finding was wrong.
    """
    said: list[str] = []
    doubts: list[str] = []
    turn = _frame(stack, said, doubts)
    points = stack.points @ turn.T
    moves = _turned(stack.moves, turn)
    extent = float(np.linalg.norm(np.ptp(points, axis=0)))
    label, slits = _welded(points, moves, extent)
    normals = _normals(points, stack.faces)
    finder = _Mouth(points, moves, stack.faces, label, slits, normals, said, doubts)
    upper, lower, pairs = finder.find(None if at is None else turn @ at)
    middle = (points[upper] + points[lower]) / 2
    width = float(np.linalg.norm(middle[-1] - middle[0]))
    if width < 1e-6 * extent:
        raise ModelError(
            "No mouth was found on this head: nothing parts in the middle of its face."
        )
    half = (middle[0, 0] + middle[-1, 0]) / 2
    center = middle[np.abs(middle[:, 0] - half).argmin()].copy()
    center[0] = half
    moves /= np.float32(width)
    face = Face(
        (points - center) / width, moves, stack.faces, turn, center, width, upper, lower,
        pairs, said=said, doubts=doubts,
    )  # fmt: skip
    gap = float(np.abs(face.points[upper, 1] - face.points[lower, 1]).max())
    said.append(f"mouth width {width:.4g} units, gap at rest {100 * gap:.2f} % of it")
    find_marks(face, normals, label)
    return face


def _farthest(moves: Moves) -> Floats:
    """How far each point is moved at most along an axis, by any channel."""
    made = np.zeros(moves.shape[1], np.float32)
    for move in moves:
        np.maximum(made, largest(move), out=made)
    return made.astype(float)


def _turned(moves: Moves, turn: Floats) -> Moves:
    """Displacements in another frame, whose axes are those of the file: no more than put in order."""
    order = np.abs(turn).argmax(1)
    sign = turn[np.arange(3), order].astype(np.float32)
    made = np.empty(moves.shape, np.float32)
    for axis in range(3):
        np.multiply(moves[:, :, order[axis]], sign[axis], out=made[:, :, axis])
    return made


def _normals(points: Floats, faces: Ints) -> Floats:
    """Sums of the areas around each point."""
    cross = np.cross(
        points[faces[:, 1]] - points[faces[:, 0]], points[faces[:, 2]] - points[faces[:, 0]]
    )
    made = np.zeros_like(points)
    for k in range(3):
        for axis in range(3):
            made[:, axis] += np.bincount(faces[:, k], cross[:, axis], len(points))
    return made


def _frame(stack: Stack, said: list[str], doubts: list[str]) -> Floats:
    """Own left, up and front of the face as unit vectors (3, 3)."""
    points, moves = stack.points, stack.moves
    energy = np.zeros(len(points))
    for move in moves:
        energy += np.einsum("na,na->n", move, move)
    moving = points[energy > 1e-4 * energy.max()]
    rng = np.random.default_rng(0)
    some = moving[rng.permutation(len(moving))[:1500]]
    near, extent = tree(moving), np.linalg.norm(np.ptp(moving, axis=0))
    errors = []
    for axis in range(3):
        middle = (moving[:, axis].min() + moving[:, axis].max()) / 2
        mirrored = some.copy()
        mirrored[:, axis] = 2 * middle - mirrored[:, axis]
        errors.append(float(near.query(mirrored)[0].mean() / max(extent, 1e-12)))
    side = int(np.argmin(errors))
    if errors[side] > 0.02:
        doubts.append(
            f"the face is not symmetric about any axis of the file ({100 * errors[side]:.1f} % off): "
            "left and right may be wrong"
        )
    outward = (_normals(points, stack.faces) * energy[:, None]).sum(0)
    rest = [a for a in range(3) if a != side]
    ahead = max(rest, key=lambda a: abs(outward[a]))
    front = AXES[ahead] * (np.sign(outward[ahead]) or 1.0)
    upright = next(a for a in rest if a != ahead)
    net = moves[:, :, upright].sum(1, dtype=np.float64)
    strongest = int(np.abs(net).argmax())
    up = -AXES[upright] * (np.sign(net[strongest]) or -1.0)  # the jaw travels farthest, and down
    said.append(
        f"side to side is axis {'XYZ'[side]} (mirror error {100 * errors[side]:.2f} % of the face), front "
        f"{front.astype(int).tolist()} (moving skin faces it), up {up.astype(int).tolist()} (the largest "
        f"travel, of “{stack.channels[strongest]}”, is down)"
    )
    return np.stack([np.cross(up, front), up, front])


def _welded(points: Floats, moves: Moves, extent: float) -> tuple[Ints, Ints]:
    """Points that coincide: those that always move together are one; the others meet and part."""
    pairs = tree(points).query_pairs(1e-5 * extent, output_type="ndarray")
    if not len(pairs):
        return np.arange(len(points)), pairs
    apart = np.zeros(len(pairs))
    for d in moves:
        apart = np.maximum(apart, largest(d[pairs[:, 0]] - d[pairs[:, 1]]))
    same = apart < 2e-4 * extent
    return pieces(pairs[same], len(points)), pairs[~same]


def _loops(faces: Ints, label: Ints) -> list[Ints]:
    """Closed chains of edges that belong to one triangle only, after welding."""
    edges = np.sort(
        label[np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])], axis=1
    )
    edges = edges[edges[:, 0] != edges[:, 1]]
    most = int(label.max()) + 1
    # As one number each, since pairs are sorted many times slower
    unique, count = np.unique(edges[:, 0] * most + edges[:, 1], return_counts=True)
    border = np.stack(np.divmod(unique[count == 1], most), 1)
    if not len(border):
        return []
    part = pieces(border, most)
    return [np.unique(border[part[border[:, 0]] == k]) for k in np.unique(part[border[:, 0]])]


@dataclass
class _Mouth:
    """Looks for the points that face each other across the mouth."""

    points: Floats
    moves: Moves
    faces: Ints
    label: Ints
    slits: Ints
    normals: Floats
    said: list[str]
    doubts: list[str]

    def __post_init__(self) -> None:
        v = self.points
        self.height = float(np.ptp(v[:, 1]))
        self.middle = float(v[:, 0].min() + v[:, 0].max()) / 2
        self.moved = _farthest(self.moves)
        # what lowers most: a mouth is where it tears the face apart
        self.jaw = self.moves[int(self.moves[:, :, 1].sum(1).argmin()), :, 1]
        low = self.jaw[self.jaw < 0.3 * self.jaw.min()]
        self.drop = float(-np.percentile(low, 20)) if (self.jaw < 0).any() and len(low) else 1.0

    def find(self, at: Floats | None) -> tuple[Ints, Ints, tuple[Ints, Ints]]:
        """Upper and lower points from its right to its left; and all pairs that must meet."""
        found = self._slit(at) or self._loop(at) or self._facing(at)
        if found is None:
            raise ModelError(
                "No mouth was found on this head: nothing parts in the middle of its face; point to it "
                "by hand, or choose a head whose jaw or lips can open."
            )
        a, b, how = found
        self.said.append("mouth: " + how)
        v, middle = self.points, (self.points[a] + self.points[b]) / 2
        steps = np.linspace(middle[:, 0].min(), middle[:, 0].max(), SLICES + 1)
        kept = []
        for low, high in pairwise(steps.tolist()):  # the most forward of each slice
            inside = np.flatnonzero((middle[:, 0] >= low) & (middle[:, 0] <= high))
            if len(inside):
                kept.append(inside[middle[inside, 2].argmax()])
        keep = np.unique(kept)
        keep = keep[np.argsort(middle[keep, 0])]
        coincide = np.abs(v[a, 1] - v[b, 1]).max() < 1e-4 * self.height
        pairs = (a, b) if coincide else (a[keep[1:-1]], b[keep[1:-1]])
        return a[keep], b[keep], pairs

    def _slit(self, at: Floats | None) -> tuple[Ints, Ints, str] | None:
        if not len(self.slits):
            return None
        v = self.points
        a, b = self.slits.T
        apart = np.abs(self.moves[:, a, 1] - self.moves[:, b, 1]).max(0)
        edges = np.concatenate(
            [self.faces[:, [0, 1]], self.faces[:, [1, 2]], self.faces[:, [2, 0]]]
        )
        edges = np.concatenate([edges, edges[:, ::-1]])
        # The upper one has its neighbours higher: what closes a mouth moves as far as what opens it.
        count = np.maximum(np.bincount(self.label[edges[:, 0]]), 1)
        height = np.bincount(self.label[edges[:, 0]], v[edges[:, 1], 1]) / count
        above = height[self.label[a]] - height[self.label[b]] > 0
        a, b = np.where(above, a, b), np.where(above, b, a)
        ok = (apart > 0.05 * apart.max()) & (self.moved[a] > 0) & (self.moved[b] > 0)
        a, b = a[ok], b[ok]
        if len(a) < 4 or apart.max() < PARTS * self.height:
            return None
        near = tree(v[a]).query_pairs(0.06 * self.height, output_type="ndarray")
        group = pieces(near, len(a))

        def worth(k: int) -> float:
            x = v[a[group == k]]
            if at is not None:
                return -float(np.linalg.norm(x.mean(0) - at))
            return float(np.ptp(x[:, 0])) * bool(x[:, 0].min() < self.middle < x[:, 0].max())

        best = max(range(int(group.max()) + 1), key=worth)
        a, b = a[group == best], b[group == best]
        across = v[a, 0].min() < self.middle < v[a, 0].max() or at is not None
        if len(a) < 4 or not across:
            return None
        return a, b, f"{len(a)} pairs of lip points that coincide at rest and part"

    def _loop(self, at: Floats | None) -> tuple[Ints, Ints, str] | None:
        v = self.points
        first = np.full(int(self.label.max()) + 1, -1)
        first[self.label[::-1]] = np.arange(len(v))[::-1]
        found = []
        for loop in _loops(self.faces, self.label):
            i = first[loop]
            if len(i) < 6:
                continue
            p = v[i]
            wide = float(np.ptp(p[:, 0]))
            if at is None and (
                not p[:, 0].min() < self.middle - 0.2 * wide or not p[:, 0].max() > self.middle + 0.2 * wide
                or wide > 0.75 * np.ptp(v[:, 0]) or np.ptp(p[:, 1]) > 0.35 * wide
            ):  # fmt: skip
                continue
            left, right = i[p[:, 0].argmax()], i[p[:, 0].argmin()]
            line = np.interp(p[:, 0], [v[right, 0], v[left, 0]], [v[right, 1], v[left, 1]])
            high, low = i[p[:, 1] > line + 1e-9], i[p[:, 1] < line - 1e-9]
            if len(high) < 2 or len(low) < 2:
                continue
            opens = (self.jaw[high].max() - self.jaw[low].min()) / self.drop
            away = 0.0 if at is None else float(np.linalg.norm(p.mean(0) - at))
            found.append((opens, away, high, low))
        if not found:
            return None
        opens, _, high, low = max(found, key=lambda c: c[0] if at is None else -c[1])
        if opens <= 0.35:
            return None
        low = low[np.abs(v[high, 0][:, None] - v[low, 0][None]).argmin(1)]
        return high, low, f"a boundary of {2 * len(high)} points that opens"

    def _facing(self, at: Floats | None) -> tuple[Ints, Ints, str] | None:
        """Lips apart at rest with a mouth behind them: points that face each other and part."""
        v = self.points
        n = self.normals / np.maximum(np.linalg.norm(self.normals, axis=1, keepdims=True), 1e-12)
        active = self.moved > 0.02 * self.moved.max()
        if at is not None:
            active &= np.linalg.norm(v - at, axis=1) < 0.15 * self.height
        down, up = (
            np.flatnonzero((n[:, 1] < -0.25) & active),
            np.flatnonzero((n[:, 1] > 0.25) & active),
        )
        if not len(down) or not len(up):
            return None
        above = tree(v[up])
        upper, lower = [], []
        for i, near in zip(down, above.query_ball_point(v[down], 0.08 * self.height), strict=True):
            c = up[near]
            c = c[(v[c, 1] < v[i, 1]) & (np.abs(v[c, 0] - v[i, 0]) < 0.01 * self.height)]
            if len(c):
                parts = np.where(
                    self.jaw[i] - self.jaw[c] > 0.3 * self.drop, self.jaw[i] - self.jaw[c], 0
                )
                score = parts / (np.linalg.norm(v[c] - v[i], axis=1) + 0.01 * self.height)
                if score.max() > 0:
                    upper.append(i)
                    lower.append(c[int(score.argmax())])
        if len(upper) < 4:
            return None
        x = v[np.array(upper), 0] - self.middle
        if at is None and not (x.min() < 0 < x.max() and np.abs(x).min() < 0.2 * np.ptp(x)):
            return None  # lids, not lips
        a, b = self._nearest(np.array(upper), np.array(lower))
        if len(a) < 4:
            return None
        self.doubts.append(
            "the lips are apart at rest and no edge shows where they meet: check the mouth"
        )
        how = f"{len(upper)} points that face each other and part fastest (lips are apart at rest)"
        return a, b, how

    def _nearest(self, upper: Ints, lower: Ints) -> tuple[Ints, Ints]:
        """Of pairs that face each other the front ones, slice by slice, that would meet first.

        What lies behind a lip (a nose over the lower one, say) faces it too, but is farther off.
        """
        v = self.points
        away = np.linalg.norm(v[upper] - v[lower], axis=1)
        least = np.full(len(v), np.inf)
        np.minimum.at(least, lower, away)
        near = away <= 1.3 * least[lower]
        upper, lower = upper[near], lower[near]
        x, z = (v[upper, 0] + v[lower, 0]) / 2, (v[upper, 2] + v[lower, 2]) / 2
        part = np.minimum((SLICES * (x - x.min()) / max(np.ptp(x), 1e-9)).astype(int), SLICES - 1)
        kept = []
        for k in np.unique(part):
            inside = np.flatnonzero(part == k)
            front = inside[z[inside] > z[inside].max() - 0.02 * self.height]
            kept.append(front[(v[upper[front], 1] - v[lower[front], 1]).argmin()])
        upper, lower = upper[kept], lower[kept]  # in order
        gap, third = v[upper, 1] - v[lower, 1], len(kept) // 3
        i = third - _narrowing(gap[: len(kept) - third][::-1], len(kept) - 2 * third)
        j = len(kept) - third + _narrowing(gap[third:], len(kept) - 2 * third)
        return upper[i:j], lower[i:j]


def _narrowing(gap: Floats, middle: int) -> int:
    """How many more belong to a mouth beyond its middle: towards its corners it narrows, and what is wide
    again behind them is something else that parts with it (a jaw from a shell, say).

    gap: from the middle outward; middle: how many of them certainly belong to it.
    """
    narrowest = most = float(gap[:middle].max())
    for k, wide in enumerate(gap[middle:].tolist()):
        if wide > 1.5 * max(narrowest, NARROW * most):
            return k
        narrowest = min(narrowest, wide)
    return len(gap) - middle
