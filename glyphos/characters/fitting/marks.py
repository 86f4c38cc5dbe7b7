"""Places on a face that are measured: lips, corners, cheeks, chin, lids, brows, tongue."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..head import Ints
from .face import Face, Jaw, Weighted
from .joined import pieces
from .stack import Floats


def find_marks(face: Face, normals: Floats, label: Ints) -> None:
    """Add the places to a face. normals: by area. label: of welded points."""
    _Marks(face, normals, label).find()


@dataclass
class _Marks:
    """Places that are measured: lips, corners, cheeks, chin, lids, brows, tongue."""

    face: Face
    normals: Floats
    label: Ints

    def find(self) -> None:
        f = self.face
        v = f.points
        far = np.zeros(len(v), np.float32)
        for move in f.moves:
            np.maximum(far, np.einsum("na,na->n", move, move), out=far)
        self.moved = np.sqrt(far)
        self.ahead = self.normals[:, 2] / np.maximum(np.linalg.norm(self.normals, axis=1), 1e-15)
        x = (v[f.upper, 0] + v[f.lower, 0]) / 2
        for name, at in (("mid", 0.0), ("left", 0.25), ("right", -0.25)):
            near = np.argsort(np.abs(x - at))[: 3 if len(x) > 9 else 1]
            f.marks["upper_" + name] = _mean(f.upper[near])
            f.marks["lower_" + name] = _mean(f.lower[near])
        for name, k in (("corner_left", -1), ("corner_right", 0)):
            f.marks[name] = _mean(np.array([f.upper[k], f.lower[k]]))
        f.marks["border_upper"] = self._skin(0, 0.11, 3, 0.06)
        f.marks["border_lower"] = self._skin(0, -0.14, 3, 0.06)
        for side, sign in (("left", 1), ("right", -1)):
            f.marks["cheek_" + side] = self._skin(0.85 * sign, 0.0)
            f.marks["cheekbone_" + side] = self._skin(0.62 * sign, 0.55)
            f.marks["wing_" + side] = self._skin(0.25 * sign, 0.42)
        self._jaw()
        for side, sign in (("left", 1), ("right", -1)):
            self._eye(side, sign)
        self._tongue()

    def _skin(self, x: float, y: float, most: int = 4, radius: float = 0.12) -> Weighted:
        """The most forward points near a place, that look forward: no gums, no inside of a lip."""
        v = self.face.points
        away = np.hypot(v[:, 0] - x, v[:, 1] - y)
        i = np.flatnonzero((away < radius) & (v[:, 2] > -1.6))
        if not len(i):
            i = np.argsort(away)[:most]
        seen = i[self.ahead[i] > 0.15]
        i = seen if len(seen) else i
        i = i[v[i, 2] > v[i, 2].max() - 0.08]
        return _mean(i[np.argsort(away[i])[:most]])

    def _jaw(self) -> None:
        f, v, d = self.face, self.face.points, self.face.moves
        region = np.flatnonzero(
            (np.abs(v[:, 0]) < 0.35) & (v[:, 1] < -0.28) & (v[:, 1] > -1.7) & (v[:, 2] > -1.2)
        )
        drop = (
            np.array([-np.percentile(m[region, 1], 10) for m in d]) if len(region) else np.zeros(1)
        )
        if drop.max() <= 0.04:
            f.marks["chin"] = self._skin(0, -0.6)
            f.doubts.append("nothing lowers the chin: this head has no jaw")
            return
        k = int(drop.argmax())
        low = region[-d[k, region, 1] > 0.8 * -d[k, region, 1].min()]
        low = low[np.argsort(-v[low, 2] + 0.6 * np.abs(v[low, 0]))[:12]]
        f.marks["chin"] = _mean(low)
        length = np.sqrt((d[k] ** 2).sum(1))
        big = np.flatnonzero((v[:, 1] < -0.28) & (length > 0.55 * length.max()))
        count = len(big)
        system = np.zeros((2 * count, 3))  # a small turn: dy = −w z + w cz, dz = w y − w cy
        system[:count, 0], system[:count, 1] = -v[big, 2], 1
        system[count:, 0], system[count:, 2] = v[big, 1], -1
        right = np.concatenate([d[k, big, 1], d[k, big, 2]])
        w, wcz, wcy = np.linalg.lstsq(system, right, rcond=None)[0]
        hinge = (float(wcy / w), float(wcz / w)) if abs(w) > 0.02 else None
        f.jaw = Jaw(k, float(np.degrees(w)), hinge)
        where = (
            f"a hinge at y {hinge[0]:.2f} z {hinge[1]:.2f} (mouth widths)"
            if hinge
            else "no hinge: it slides"
        )
        f.said.append(
            f"jaw: channel {k + 1} lowers the chin by {100 * drop[k]:.0f} % of mouth width, "
            f"{abs(f.jaw.degrees):.0f} degrees about {where}"
        )

    def _eye(self, side: str, sign: int) -> None:
        f, v, d = self.face, self.face.points, self.face.moves
        face = np.flatnonzero(
            (v[:, 1] > 0.55) & (v[:, 0] * sign > 0.12) & (v[:, 2] > -1.6) & (self.moved > 0.01)
        )
        if not len(face):
            f.doubts.append(f"nothing moves where the {side} eye should be")
            return
        down = -d[:, face, 1]
        peak = down.max(1)
        low = v[:, 1] < 0.3
        mouth = np.array(
            [np.abs(m[low]).max(initial=0.0) for m in d]
        )  # what moves the mouth as well is no lid
        if (mouth < 0.6 * peak).any():
            peak = np.where(mouth < 0.6 * peak, peak, 0)
        big = np.flatnonzero(peak > 0.45 * peak.max())  # lids lie below brows
        at = np.array([v[face[down[b] > 0.93 * peak[b]], 1].mean() for b in big])
        big = big[at < at.min() + 0.1]
        b = int(big[peak[big].argmax()])
        if peak[b] < 0.05:
            f.doubts.append(f"nothing closes the {side} eye")
            return
        upper = face[down[b] > 0.93 * peak[b]]
        land = v[upper].mean(0) + d[b, upper].mean(0)
        under = v[upper, 1].mean() - 0.3 * peak[b]
        cand = face[(d[b, face, 1] > -0.25 * peak[b]) & (v[face, 1] < under)]
        away = (
            np.linalg.norm((v[cand] + d[b, cand] - land) * [1, 1, 0.5], axis=1)
            if len(cand)
            else np.ones(1)
        )
        if away.min() > 0.35 * peak[b]:  # a lower lid that never moves
            cand = np.flatnonzero(
                (v[:, 1] > 0.4) & (v[:, 0] * sign > 0.05) & (v[:, 2] > -1.6)
                & (d[b, :, 1] > -0.25 * peak[b]) & (v[:, 1] < under)
            )  # fmt: skip
        lower = upper
        if len(cand):
            lower = cand[
                np.argsort(np.linalg.norm((v[cand] + d[b, cand] - land) * [1, 1, 0.5], axis=1))[:4]
            ]
        f.marks["lid_upper_" + side], f.marks["lid_lower_" + side] = _mean(upper), _mean(lower)
        f.said.append(
            f"{side} lids: channel {b + 1} moves the upper one down by {100 * peak[b]:.0f} % of mouth width"
        )
        self._brow(side, sign, float(v[upper, 1].mean()), float(abs(v[upper, 0].mean())))

    def _brow(self, side: str, sign: int, lid_y: float, lid_x: float) -> None:
        f, v = self.face, self.face.points
        rises = np.maximum(f.moves[:, :, 1], 0).max(0)
        for name, part in (
            ("inner", np.abs(v[:, 0]) < 0.8 * lid_x),
            ("outer", np.abs(v[:, 0]) > lid_x),
        ):
            there = np.flatnonzero(
                part
                & (v[:, 0] * sign > 0.03)
                & (v[:, 1] > lid_y + 0.06)
                & (v[:, 2] > -1.6)
                & (rises > 0.03)
            )
            if len(there):
                f.marks[f"brow_{name}_{side}"] = _mean(there[np.argsort(-rises[there])[:6]])
        if f"brow_outer_{side}" not in f.marks:
            f.doubts.append(f"nothing raises the {side} brow")

    def _tongue(self) -> None:
        """A loose piece inside the mouth that bends; teeth and gums only move and turn."""
        f, v, d = self.face, self.face.points, self.face.moves
        edges = np.concatenate([f.faces[:, [0, 1]], f.faces[:, [1, 2]]])
        piece = pieces(self.label[edges], int(self.label.max()) + 1)[self.label]
        best: tuple[float, Ints | None, int] = (0.0, None, -1)
        inside = (np.abs(v[:, 0]) < 0.3) & (np.abs(v[:, 1]) < 0.6) & (self.moved > 0.02)
        for q in np.unique(piece[inside]):
            i = np.flatnonzero(piece == q)
            p = v[i]
            if (
                len(i) < 8 or np.abs(p[:, 0]).max() > 0.75 or p[:, 2].max() > 0.02
                or p[:, 1].max() > 0.6 or p[:, 1].min() < -1.2
            ):  # fmt: skip
                continue
            affine = np.c_[p, np.ones(len(p))]
            inverse = np.linalg.pinv(affine)
            for k in range(len(d)):
                if np.abs(d[k, i]).max() > 0.05:
                    bent = float(
                        np.sqrt(((d[k, i] - affine @ (inverse @ d[k, i])) ** 2).sum(1)).max()
                    )
                    if bent > best[0]:
                        best = (bent, i, k)
        if best[1] is None or best[0] <= 0.03:
            f.doubts.append("no tongue was found inside the mouth")
            return
        i = best[1]
        f.marks["tongue_tip"] = _mean(i[np.argsort(-v[i, 2])[:6]])
        back = i[v[i, 2] < np.percentile(v[i, 2], 70)]
        f.marks["tongue_body"] = _mean(back[np.argsort(-v[back, 1])[:6]])
        f.said.append(
            f"tongue: a loose piece of {len(i)} points inside the mouth that bends (channel {best[2] + 1})"
        )


def _mean(i: Ints | NDArray[np.intp]) -> Weighted:
    i = np.atleast_1d(i)
    return i, np.full(len(i), 1.0 / len(i))
