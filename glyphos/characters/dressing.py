"""How one character wears our motion: what was found, what was set by hand, and the curves of its
own channels in their own range."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from typing import Any

import numpy as np

from ..motion.curve import Motion
from ..progress import Progress, share
from .channels import face_channels
from .fitting.face import Face
from .fitting.features import Measures, measured
from .fitting.fit import Fit
from .fitting.landmarks import find_face
from .fitting.names import CORRECTIVES, Named, match_names, tokens_of
from .fitting.reference import reference
from .fitting.stack import Floats, Stack, stacked
from .fitting.wearing import wear
from .fittings import OPPOSITE, Fitting
from .head import Doubles, Head
from .models.looking import TURNS

FOLLOWS = 0.85  # correlation, below which a gesture is said to follow in part
SEEN = 0.01  # mouth widths: a gap that is seen
POSED = 64  # moments that are remembered


@dataclass(frozen=True)
class Dress:
    """The curves of a character: `values` (frames, channels) in its own names, order and range.

    alike: per gesture, how what is shown follows what was meant (correlation). gap (frames,): how
    far lips stay open where they must meet, mouth widths. nodes: turned nodes of our own heads.
    """

    fps: Fraction
    channels: tuple[str, ...]
    ranges: tuple[tuple[float, float], ...]
    values: Floats
    alike: Mapping[str, float] = field(default_factory=dict)
    gap: Floats = field(default_factory=lambda: np.zeros(0))
    crossing: float = 0.0
    shut: Floats = field(default_factory=lambda: np.zeros(0))  # 1 where lips must meet
    turns: Mapping[str, Floats] = field(
        default_factory=dict
    )  # of head and gaze, degrees, for nodes
    bones: Mapping[int, Doubles] = field(
        default_factory=dict
    )  # turns (frames, 3, 3) of nodes in their own space, of a body that was recorded

    @property
    def frames(self) -> int:
        return len(self.values)

    @cached_property
    def shares(self) -> Floats:
        """Values as shares of the full ones, what a head is posed with (frames, channels)."""
        return np.asarray(self.values / np.array([high for _, high in self.ranges]))

    def weights(self, frame: int) -> dict[str, float]:
        """What the head is posed with on a frame."""
        return dict(zip(self.channels, self.shares[frame].tolist(), strict=True))


class Dressed:
    """A head with its fitting, measured once. Raises ModelError where no mouth is found."""

    def __init__(
        self,
        head: Head,
        fitting: Fitting | None = None,
        *,
        like: Dressed | None = None,
        progress: Progress | None = None,
    ) -> None:
        """like: the same head with another fitting, whose face need not be found again."""
        self.head = head
        self.fitting = fitting or Fitting(channels=head.channels)
        self.ranges = tuple(self.fitting.ranges.get(c, (0.0, 1.0)) for c in head.channels)
        self.face: Face | None = None
        self.fit: Fit | None = None
        self.signed: list[int] = []
        self.measures: Measures | None = None
        self.named: list[Named] = match_names(head.channels)
        self._posed: dict[frozenset[tuple[str, float]], dict[str, float]] = {}
        if head.rig is None:
            signed = [k for k, (low, _) in enumerate(self.ranges) if low < 0]
            same = like is not None and like.head is head and like.signed == signed
            if like is not None and same and like.fitting.mouth == self.fitting.mouth and like.fit:
                self.signed, self.face, self.measures = signed, like.face, like.measures
                self._fit(like.fit.channels, like)
            else:
                self._measure(stacked(head, progress=share(progress, 0.0, 0.5)), signed)

    @property
    def own(self) -> bool:
        """Whether the head says itself how it is played, as ours do."""
        return self.head.rig is not None

    @property
    def framing(self) -> tuple[float, ...]:
        """Where the face was found, for a camera: the middle of the mouth, its width, the axes up and
        front; empty for a head that says so itself."""
        if self.face is None:
            return ()
        turn = self.face.turn
        middle = turn.T @ self.face.center
        return tuple(float(v) for v in (*middle, self.face.width, *turn[1], *turn[2]))

    def _measure(self, stack: Stack, signed: list[int]) -> None:
        at = None if self.fitting.mouth is None else np.asarray(self.fitting.mouth, float)
        moves = np.concatenate([stack.moves, -stack.moves[signed]])
        names = (*stack.channels, *(stack.channels[k] + OPPOSITE for k in signed))
        self.signed = signed
        self.face = find_face(Stack(stack.points, stack.faces, moves, stack.part, names), at)
        self.measures = measured(self.face)
        self.face.moves = self.face.moves[:, :0]  # all that is needed of them is measured
        self._fit(names)

    def _fit(self, names: tuple[str, ...], like: Dressed | None = None) -> None:
        fitting = self.fitting
        top = np.array([fitting.limits.get(n.removesuffix(OPPOSITE), 1.0) for n in names])
        top[[n.removesuffix(OPPOSITE) in fitting.never for n in names]] = 0.0
        if like is not None and like.fit is not None and like.fitting.whole == fitting.whole:
            if np.array_equal(like.fit.top, top):  # nothing of it is decided by what else was set
                self.fit = like.fit
                return
        named = [*self.named, *(Named(n) for n in names[len(self.named) :])]
        assert self.face is not None and self.measures is not None
        self.fit = Fit(
            reference(), self.face, self.measures, names, named, exclusive=fitting.whole, top=top
        )

    def wear(self, motion: Motion, *, progress: Progress | None = None) -> Dress:
        """The motion in this character's own channels."""
        made = self._worn(motion, progress)
        turned = {n: motion.channel(n) for n in TURNS if n in motion.names}
        return replace(made, turns=turned) if turned else made

    def _worn(self, motion: Motion, progress: Progress | None) -> Dress:
        curves = self._meant({n: motion.channel(n) for n in motion.names})
        if self.fit is None:
            weights = self._played(curves, motion.frames)
            return self._dress(motion.fps, weights, {}, np.zeros(motion.frames), 0.0)
        fixed = self._by_hand(curves, motion.frames)
        worn = wear(
            self.fit,
            curves,
            fixed=fixed,
            handled=self._handled(),
            fps=float(motion.fps),
            progress=progress,
        )
        return self._dress(motion.fps, worn.weights, worn.alike, worn.gap, worn.crossing, worn.shut)

    def weights_for(self, values: Mapping[str, float]) -> dict[str, float]:
        """What the head is posed with for one moment of our channels. What was asked lately is known."""
        key = frozenset(values.items())
        known = self._posed.get(key)
        if known is None:
            known = self._weights_for(values)
            if len(self._posed) >= POSED:
                self._posed = {}
            self._posed[key] = known
        return dict(known)

    def _weights_for(self, values: Mapping[str, float]) -> dict[str, float]:
        if self.head.rig is not None:
            meant = self._meant({k: np.array([v]) for k, v in values.items()})
            return {k: float(np.ravel(v)[0]) for k, v in self.head.rig.weights(meant).items()}
        from ..motion.channels import channels

        names = tuple(c.name for c in channels())
        row = np.array([[values.get(n, 0.0) for n in names]])
        return self.wear(Motion(Fraction(24), names, row)).weights(0)

    def _meant(self, curves: dict[str, Any]) -> dict[str, Any]:
        """Gestures with the strength and the answer that were set."""
        fitting, known = self.fitting, face_channels()
        if not fitting.strength and not fitting.answers:
            return curves
        made = {}
        for name, values in curves.items():
            bent = np.sign(values) * np.abs(values) ** fitting.answers.get(name, 1.0)
            channel = known[name]
            made[name] = np.clip(bent * fitting.strength.get(name, 1.0), channel.low, channel.high)
        return made

    def _played(self, curves: Mapping[str, Any], frames: int) -> Floats:
        assert self.head.rig is not None
        found = self.head.rig.weights(curves)
        limits = self.fitting.limits
        rows = [
            np.zeros(frames) if c in self.fitting.never
            else np.minimum(np.broadcast_to(found.get(c, 0.0), frames), limits.get(c, np.inf))
            for c in self.head.channels
        ]  # fmt: skip
        return np.stack(rows, 1)

    def _by_hand(self, curves: Mapping[str, Any], frames: int) -> Floats:
        assert self.fit is not None
        index = {c: k for k, c in enumerate(self.fit.channels)}
        fixed = np.zeros((frames, len(index)))
        for gesture, cells in self.fitting.by_hand.items():
            base = gesture.removesuffix(OPPOSITE)
            if base not in curves:
                continue
            sign = -1.0 if gesture != base else 1.0
            values = np.clip(sign * np.asarray(curves[base]), 0, None)
            for channel, amount in cells.items():
                if channel in index:
                    fixed[:, index[channel]] += amount * values
        return np.clip(fixed, 0.0, self.fit.top)

    def _handled(self) -> set[str]:
        """Targets of our own head whose work is done by hand."""
        rig, found = reference().rig, set()
        for gesture in self.fitting.by_hand:
            base = gesture.removesuffix(OPPOSITE)
            wanted = -1.0 if gesture != base else 1.0
            for target, gain in rig.split.get(base, ((base, 1.0),)):
                if gain * wanted > 0:
                    found.add(target)
        return found

    def _dress(
        self,
        fps: Fraction,
        weights: Floats,
        alike: Mapping[str, float],
        gap: Floats,
        crossing: float,
        shut: Floats | None = None,
    ) -> Dress:
        count = len(self.head.channels)
        shares = weights[:, :count].copy()
        for extra, k in enumerate(self.signed):
            shares[:, k] -= weights[:, count + extra]
        values = shares * np.array([high for _, high in self.ranges])
        values.setflags(write=False)
        shut = np.zeros(len(values)) if shut is None else shut
        return Dress(fps, self.head.channels, self.ranges, values, alike, gap, crossing, shut)


def summary(dressed: Dressed, dress: Dress | None = None) -> list[str]:
    """What went well, in sentences."""
    fit = dressed.fit
    if fit is None:
        return [f"{dressed.head.name} brings its own rig; nothing has to be fitted"]
    votes = fit.votes
    both = sum(v.verdict == "agree" for v in votes)
    shape = sum(v.verdict == "shape only" for v in votes)
    found = []
    if both:
        found.append(f"{both} channels found their gesture by name and by shape")
    if shape:
        found.append(f"{shape} more by their shape alone")
    if dress is not None and len(dress.gap):
        shut = closures(dress)
        met = sum(bool((dress.gap[a:b] <= SEEN).any()) for a, b in shut)
        if shut:
            found.append(f"the lips meet at {met} of {len(shut)} closures of the line")
    return found


def closures(dress: Dress) -> list[tuple[int, int]]:
    """Stretches of frames [first, after) on which the lips must meet."""
    edges = np.flatnonzero(np.diff(np.r_[0, (dress.shut > 0).astype(int), 0]))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def findings(dressed: Dressed, dress: Dress | None = None) -> list[str]:
    """What a person should know of a fitting, in sentences: what needs a look first."""
    fit = dressed.fit
    if fit is None:
        return []
    found: list[str] = []
    votes = fit.votes
    for vote in votes:
        if vote.verdict == "disagree":
            found.append(
                f"“{vote.channel}” is {_said(vote.named.gesture)} by its name ({vote.named.reason}) but looks "
                f"like {_said(vote.gesture)}; its shape is used"
            )
    found += _cannot(fit)
    found += fit.face.doubts
    if dress is not None:
        open_frames = np.flatnonzero(dress.gap > SEEN)
        if len(open_frames):
            worst = int(dress.gap.argmax())
            found.append(
                f"the lips stay open at {len(open_frames)} frames of closures; worst at frame {worst}, by "
                f"{100 * dress.gap[worst]:.1f} % of the mouth's width"
            )
        for gesture, alike in sorted(dress.alike.items(), key=lambda kv: kv[1]):
            if alike < FOLLOWS:
                found.append(
                    f"{_said(gesture)} follows only in part in this line (at {max(alike, 0.0):.2f} of 1)"
                )
    unsure = [v.channel for v in votes if v.verdict == "unsure"]
    if unsure:
        found.append(f"name and shape agree only in part: {_listed(unsure)}")
    if len(fit.group):
        found.append(f"whole mouths, at most three at once: {fit.why_exclusive}")
    found += _twins(fit)
    still = [v.channel for v in votes if v.verdict in ("neither", "name only")]
    if still:
        found.append(f"nothing that is measured moves with {_listed(still)}")
    return found


def _cannot(fit: Fit) -> list[str]:
    found = []
    for target, shown in fit.shown.items():
        if target not in _TOLD:
            continue
        if target.startswith("tongue") and "tongue_tip" not in fit.face.marks:
            continue
        if not len(fit.group) and shown < 0.6:
            found.append(
                f"nothing on this head does {_said(target)} (likeness {shown:.2f}); {_so(target)}"
            )
        elif not len(fit.group) and shown < 0.8:
            found.append(f"{_said(target)} is only nearly reached (likeness {shown:.2f})")
    return found


_TOLD = {
    "jaw_open", "lips_part", "lips_wide", "lips_narrow", "lips_round", "lips_press", "lip_to_teeth",
    "upper_lip_raise", "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_high",
}  # fmt: skip


def _so(target: str) -> str:
    return {
        "lips_press": "lips will meet softly at p, b and m",
        "lip_to_teeth": "f and v will be told by a small gap",
        "lips_round": "o and u will look like open vowels",
        "jaw_open": "mouths open by the lips alone",
    }.get(target, "it is left out")


def _said(channel: str) -> str:
    return f"“{channel.replace('_', ' ')}”"


def _listed(names: Sequence[str]) -> str:
    shown = ", ".join(f"“{n}”" for n in names[:6])
    return shown + (f" and {len(names) - 6} more" if len(names) > 6 else "")


def _twins(fit: Fit) -> list[str]:
    """Channels that do the same."""
    length = np.linalg.norm(fit.fq, axis=0)
    plain = np.array([not CORRECTIVES & set(tokens_of(c)) for c in fit.channels])
    big = np.flatnonzero((length > 0.05 * length.max(initial=0.0)) & plain)
    unit = fit.fq[:, big] / length[big]
    alike = np.triu(unit.T @ unit, 1)
    found = []
    for a, b in zip(*np.nonzero(alike > 0.99), strict=True):
        found.append(f"“{fit.channels[big[a]]}” and “{fit.channels[big[b]]}” do the same")
    return found[:6]
