"""A motion on a head: weights of its own channels for all frames at once.

    minimise  Σ |q (F w(t) − y(t))|² + Σ λ w² + μ Σ |w(t) − w(t−1)|²    0 ≤ w ≤ top

y is what our own head does, in the columns that this head has for each gesture; the lips are
constraints of the same problem (met where they must meet, never through each other). ADMM: in the
eigenvectors of the quadratic part every channel is one tridiagonal system, factored once.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from ...motion.curve import Motion
from ...motion.lapack import dpbtrf, dpbtrs
from ...progress import Progress
from .box import box_least, project
from .fit import NOTHING, Fit
from .stack import Floats

SMOOTH, USUAL = 0.2, 60.0  # of changes, at this frame rate
ROUNDS, STILL = 70, 2e-4
SHUT, BITES = 0.02, 0.2  # lips part less than this, and the lip is not at the teeth
MET = 0.002  # mouth widths between lips that are shut
VISIBLE = 0.01  # mouth widths: a gap that is seen
MOST_WHOLE = 3  # whole mouths at once on a frame
LITTLE = 0.004  # mouth widths: a measure that varies less tells nothing
TOLD_BY = {
    "jaw_open": ("chin_y",), "lips_part": ("gap",), "lips_wide": ("width",), "lips_round": ("protrusion",),
    "lips_press": ("upper_height", "lower_height"), "lip_to_teeth": ("teeth_on_lip",),
    "upper_lip_raise": ("upper_lip",), "tongue_tip": ("tongue_tip_y",),
    "tongue_between_teeth": ("tongue_tip_z",), "tongue_front": ("tongue_body_z",), "tongue_high": ("tongue_body_y",),
}  # fmt: skip
Curves = Mapping[str, Floats]


@dataclass(frozen=True)
class Worn:
    """Weights (frames, channels) of a head, and how well they show the motion.

    alike: per gesture, the correlation of what was asked with what is shown. open_frames: frames of
    closures whose lips do not meet. crossing: the deepest lip through the other, mouth widths.
    """

    channels: tuple[str, ...]
    weights: Floats
    alike: Mapping[str, float]
    gap: Floats  # (frames,): widest open place where lips must meet, mouth widths; 0 elsewhere
    crossing: float
    shut: Floats  # (frames,): 1 where lips must meet

    @property
    def open_frames(self) -> list[int]:
        return np.flatnonzero(self.gap > VISIBLE).tolist()

    @property
    def worst(self) -> int:
        """The frame whose closure is widest open; 0 if all meet."""
        return int(self.gap.argmax()) if len(self.gap) else 0


def wear(
    fit: Fit,
    motion: Motion | Curves,
    *,
    fixed: Floats | None = None,
    handled: Collection[str] = (),
    fps: float = USUAL,
    progress: Progress | None = None,
) -> Worn:
    """Weights of a head's channels for a motion.

    fixed (frames, channels): what was given by hand and stays; the rest is found beside it. handled:
    targets of our own head that are worn by hand, and are not looked for.
    """
    curves: Curves = (
        {n: motion.channel(n) for n in motion.names} if isinstance(motion, Motion) else motion
    )
    solver = _Solver(fit, curves, fixed, frozenset(handled), fps)
    weights = solver.solve(progress)
    if len(fit.group):
        weights = _few(weights, fit)
    weights = _by_name(weights, fit, curves)
    weights, gap, crossing = solver.close(weights)
    return Worn(
        fit.channels, weights, solver.alike(weights), gap, crossing, solver.shut.astype(float)
    )


class _Solver:
    def __init__(
        self, fit: Fit, curves: Curves, fixed: Floats | None, handled: frozenset[str], fps: float
    ) -> None:
        self.fit, self.handled = fit, handled
        self.smooth = SMOOTH * (fps / USUAL) ** 2  # the same at every frame rate
        self.frames = len(curves["lips_part"])
        self.part = np.asarray(curves["lips_part"], float)
        self.teeth = np.asarray(curves.get("lip_to_teeth", np.zeros(self.frames)), float)
        count = len(fit.channels)
        self.fixed = np.zeros((self.frames, count)) if fixed is None else fixed
        self.g, self.g0 = fit.measures.gaps, fit.measures.gaps_rest
        looks = any(c.startswith(("blink", "lid", "brow", "gaze")) for c in curves)
        self.top = fit.top if looks else np.where(fit.of_eyes, 0.0, fit.top)  # speech moves no lids
        self.shut = self._shut()
        self.y = self._wanted(curves)

    def _shut(self) -> np.ndarray:
        """Frames on which the lips must meet; of whole mouths, which cannot shut and stay round, the
        middle of each closure."""
        shut = (self.part <= SHUT) & (self.teeth < BITES)
        if len(self.fit.group):
            edges = np.flatnonzero(np.diff(np.r_[0, shut.astype(int), 0]))
            for a, b in zip(edges[::2], edges[1::2], strict=True):
                quarter = (b - a) // 4
                shut[a : a + quarter] = False
                shut[b - quarter : b] = False
        return shut

    def _wanted(self, curves: Curves) -> Floats:
        fit, ref = self.fit, self.fit.ref
        weights, scales = ref.weights(curves, self.frames), fit.scales()
        self.meant = weights
        y = np.zeros((self.frames, len(fit.f)))
        for i, target in enumerate(ref.targets):
            if weights[:, i].any() and ref.owner(target) not in self.handled:
                if target in fit.pose:
                    column = fit.columns[:, ref.plain.index(target)]
                else:
                    column = scales[i] * ref.measures.rows[fit.has, i]
                y += weights[:, i, None] * column
        y += self.fixed @ fit.f.T
        rest = fit.measures.rest[fit.has]
        self.gaps = [k for k, name in enumerate(fit.kept) if name.startswith("gap")]
        for k in self.gaps:  # gaps are absolute: a mouth that is open at rest has to close
            y[:, k] = np.maximum(y[:, k] - rest[k], -rest[k])
            y[(self.part <= SHUT) & (self.teeth < BITES), k] = -rest[k]
        return y

    def solve(self, progress: Progress | None) -> Floats:
        fit, frames = self.fit, self.frames
        count = fit.fq.shape[1]
        a = fit.fq.T @ fit.fq + np.diag(fit.cost)
        given = self.fixed @ fit.f.T
        b = ((self.y - given) * fit.weigh) @ fit.fq
        keep = 30.0 / max(len(self.g), 1)  # the whole line of the lips, not only three places of it
        a = a + keep * self.g.T @ self.g
        line = self._line() - self.g0 - self.fixed @ self.g.T
        b = b + keep * line @ self.g
        m = self.smooth * np.trace(a) / count
        places = np.unique(np.linspace(0, len(self.g) - 1, 11).astype(int))
        h = self.g[places]
        h0 = self.g0[places] + self.fixed @ h.T
        low = np.broadcast_to(-h0, (frames, len(places)))
        high = np.where(self.shut[:, None], -h0, 9.0)
        top = np.maximum(self.top - self.fixed, 0.0)
        free = ~self.fixed.any(0)
        top[:, ~free] = 0.0
        spread = np.linalg.eigvalsh(a)
        rho = 0.6 * np.exp(np.log(np.maximum(spread, 1e-5)).mean()) + 0.02 * np.trace(a) / count
        rho_gap = 4.0 * np.trace(a) / max(np.trace(h.T @ h), 1e-9)
        values, vectors = np.linalg.eigh(a + rho_gap * h.T @ h)
        alone = (values + rho)[:, None] if frames == 1 else None
        factors = []
        for value in values if alone is None else ():
            band = np.empty((2, frames))
            band[0], band[1] = -m, value + rho + 2 * m
            band[1, [0, -1]] -= m
            factors.append(dpbtrf(band)[0])
        bu, hu = b @ vectors, h @ vectors
        z, u = np.zeros((frames, count)), np.zeros((frames, count))
        s = np.clip(np.zeros((frames, len(places))), low, high)
        v = np.zeros_like(s)
        x = np.empty((count, frames))
        for turn in range(ROUNDS):
            right = (bu + rho * ((z - u) @ vectors) + rho_gap * ((s - v) @ hu)).T
            if alone is not None:  # one moment has no neighbours
                x = right / alone
            for k in range(count if alone is None else 0):
                x[k] = dpbtrs(factors[k], right[k])[0]
            found = x.T @ vectors.T
            over = 1.6 * found - 0.6 * z
            z = project(over + u, top, fit.group)
            u += over - z
            if turn > 20 and turn % 5 == 0 and np.abs(found - z).mean() < STILL:
                break
            over_gap = 1.6 * (x.T @ hu.T) - 0.6 * s
            s = np.clip(over_gap + v, low, high)
            v += over_gap - s
            if progress is not None:
                progress(turn / ROUNDS)
        return np.asarray(z + self.fixed)

    def _line(self) -> Floats:
        """The wanted gap (frames, pairs) at every lip pair, from the three places where it is asked."""
        face, rest = self.fit.face, self.fit.measures.rest[self.fit.has]
        x = (face.points[face.pairs[0], 0] + face.points[face.pairs[1], 0]) / 2
        asked = {self.fit.kept[k]: self.y[:, k] + rest[k] for k in self.gaps}
        at = np.array([-0.5, -0.25, 0, 0.25, 0.5])
        zero = np.zeros(self.frames)
        values = np.stack([zero, asked["gap_right"], asked["gap"], asked["gap_left"], zero], 1)
        j = np.clip(np.searchsorted(at, x) - 1, 0, 3)
        t = np.clip((x - at[j]) / (at[j + 1] - at[j]), 0, 1)
        return np.asarray(values[:, j] * (1 - t) + values[:, j + 1] * t)

    def close(self, weights: Floats) -> tuple[Floats, Floats, float]:
        """Closures exactly on the head's own lips, and no lip through the other."""
        fit, g, g0 = self.fit, self.g, self.g0
        base = np.diag(np.full(weights.shape[1], 0.02) + np.sqrt(np.maximum(fit.cost, 0)) * 0.02)
        before, made = weights.copy(), weights.copy()
        shape = 0.3 * fit.fq.T @ fit.fq / len(fit.fq)
        for turn in range(3):
            strength = 40.0 * 5**turn / max(len(g), 1)
            gap = made @ g.T + g0
            bad = np.where(self.shut, np.abs(gap).max(1) > MET, gap.min(1) < -MET)
            i = np.flatnonzero(bad)
            if not len(i):
                break
            goal = np.where(self.shut[i, None], 0.0, np.maximum(gap[i], 0)) - g0
            right = before[i] @ base + strength * goal @ g + before[i] @ shape
            made[i] = box_least(base + strength * g.T @ g + shape, right, self.top, 250, fit.group)
        change = made - before
        amount = np.abs(change).max(1)  # neighbours share a correction, so that nothing pops
        if amount.max(initial=0.0) > VISIBLE:
            for step in (0.66, 0.33):
                for way in (1, -1):
                    beside = np.roll(change, way, 0)
                    beside[0 if way > 0 else -1] = 0
                    free = ~self.shut & (np.abs(beside).max(1) > VISIBLE) & (amount <= 1e-9)
                    tried = project(made + step * beside * free[:, None], self.top, fit.group)
                    ok = free & ((tried @ g.T + g0).min(1) > -MET)
                    made[ok] = tried[ok]
        if len(fit.group):
            made = _few(made, fit)
        gap = made @ g.T + g0
        wide = np.where(self.shut, np.abs(gap).max(1), 0.0)
        return made, wide, float(max(0.0, -gap.min(initial=0.0)))

    def alike(self, weights: Floats) -> dict[str, float]:
        """Per gesture: correlation of what our own head shows with what this one does, in the places
        that tell the gesture."""
        fit, ref, found = self.fit, self.fit.ref, {}
        meant, shown = self.meant @ ref.measures.rows[fit.has].T, weights @ fit.f.T
        for target, places in TOLD_BY.items():
            k = [fit.kept.index(p) for p in places if p in fit.kept]
            a, b = meant[:, k].sum(1), shown[:, k].sum(1)
            if k and a.std() > LITTLE:
                found[target] = float(np.corrcoef(a, b)[0, 1]) if b.std() > 1e-9 else 0.0
        return found


def _few(weights: Floats, fit: Fit) -> Floats:
    """At most three whole mouths on a frame: what the fourth weighs is taken off all (continuous in
    time), their sum is kept."""
    g = weights[:, fit.group]
    if g.shape[1] > MOST_WHOLE and ((g > 1e-9).sum(1) > MOST_WHOLE).any():
        fourth = -np.sort(-g, axis=1)[:, MOST_WHOLE : MOST_WHOLE + 1]
        less = np.maximum(0, g - fourth)
        total = less.sum(1, keepdims=True)
        back = np.where(total > 1e-6, g.sum(1, keepdims=True) / np.maximum(total, 1e-6), 0)
        inside = np.arange(g.shape[1])
        weights[:, fit.group] = project(less * back, fit.top[fit.group], inside)
    return weights


def _by_name(weights: Floats, fit: Fit, curves: Curves) -> Floats:
    """What no mesh shows (no tongue was found, say) but a name does: the curve itself."""
    for k, named in enumerate(fit.named):
        if fit.size[k] <= NOTHING and named.known and len(named.pose) == 1 and k not in fit.group:
            ((channel, value),) = named.pose.items()
            if channel in curves:
                weights[:, k] = np.clip(np.sign(value) * np.asarray(curves[channel]), 0, fit.top[k])
    return weights
