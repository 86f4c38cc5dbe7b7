"""How one head does each of our gestures: everything that does not depend on a motion.

A gesture is the head's own channel (one to three of them) where that looks like ours; else the
nearest bounded mixture, as far as it reaches. Names and geometry vote; geometry drives, and where
they disagree both are told.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..head import Ints
from .box import NOBODY, box_least
from .face import Face
from .features import IMPORTANCE, NAMES, Measures
from .names import Named
from .reference import GESTURES, Reference
from .stack import Floats

ALIKE, ALIKE_TONGUE = 0.75, 0.6  # cosine from which a channel of the head is that gesture
NEARLY, FAR_OFF = 0.08, 0.04  # of a cosine; off it for each factor e in amount
OF_EYES = 0.6  # of what a channel does, from which it belongs to lids and brows
NOTHING = 1e-3  # mouth widths: a channel that moves less is not measured
JUST_OURS = 0.95  # of what is shown of a gesture
TONGUE_OWN, SPARED = 4, 10.0  # gestures of the tongue with channels of their own; cost of others
AGREE, UNSURE = 0.6, 0.3


@dataclass(frozen=True)
class Vote:
    """Of one channel: what its name says, what its shape says (gesture, likeness), and whether they
    agree: agree, unsure, disagree, name only, shape only, neither."""

    channel: str
    named: Named
    gesture: str
    likeness: float
    verdict: str
    agreement: float = 0.0


class Fit:
    """One head measured against ours; see the module."""

    def __init__(
        self, ref: Reference, face: Face, measures: Measures, channels: Sequence[str], named: Sequence[Named], *,
        exclusive: bool | None = None, top: Floats | None = None,
    ) -> None:  # fmt: skip
        self.ref, self.face, self.channels, self.named = ref, face, tuple(channels), tuple(named)
        self.measures = measures
        rows = self.measures.rows
        count = len(self.channels)
        self.top = np.ones(count) if top is None else top
        self.has = np.isfinite(rows[:, 0]) & np.isfinite(ref.measures.rows[:, 0])
        span = np.abs(ref.rows[self.has]).max(1)
        self.weigh = IMPORTANCE[self.has] / np.maximum(span, 0.04) ** 0.6
        self.f = rows[self.has]
        self.fq, self.rq = self.weigh[:, None] * self.f, self.weigh[:, None] * ref.rows[self.has]
        self.kept = [NAMES[i] for i in np.flatnonzero(self.has)]
        self.size = np.linalg.norm(self.f, axis=0)
        eyes = np.array([name.startswith(("lid", "brow")) for name in self.kept])
        power = (self.fq**2).sum(0)
        self.of_eyes = (self.fq[eyes] ** 2).sum(0) > OF_EYES * np.maximum(power, 1e-12)
        self._read()
        self.why_exclusive = ""
        self.group: Ints = self._exclusive(exclusive)
        self._reach()

    # ------------------------------------------------------------------ what each channel is
    def _read(self) -> None:
        """Each channel as a mixture of our gestures, its likeness to each, and its cost in speech."""
        r, count = self.rq, self.fq.shape[1]
        length_r = np.linalg.norm(r, axis=0) + 1e-9
        length_f = np.linalg.norm(self.fq, axis=0) + 1e-9
        self.likeness = (r / length_r).T @ (self.fq / length_f)  # ours x theirs
        a = r.T @ r
        ridge = 2e-3 * np.trace(a) / len(a) * np.eye(len(a))
        mix = box_least(a + ridge, (r.T @ self.fq).T, 1.5, 400)
        share = mix * length_r[None]
        total = np.maximum(share.sum(1), 1e-9)
        speech = np.array([t in GESTURES for t in self.ref.plain])
        self.speech = share[:, speech].sum(1) / total
        self.concentration = share.max(1) / total
        cost = np.full(count, 1.5e-3)
        cost += 2e-2 * (1 - self.speech) * (self.size > NOTHING)
        for k, named in enumerate(self.named):  # an expression costs more in speech
            if named.known and named.pose and not any(c in _SPOKEN for c in named.pose):
                cost[k] += 2e-2
        self.cost = cost * np.trace(self.fq.T @ self.fq) / max(count, 1) * 0.2
        self.cost[self.size < NOTHING] += 1.0

    def _exclusive(self, wish: bool | None) -> Ints:
        """Whole mouths that must not be mixed freely: names that are sounds, or broad shapes."""
        if wish is False:
            return NOBODY
        sounds = [k for k, n in enumerate(self.named) if n.known and n.whole]
        core = [
            t for t in ("jaw_open", "lips_part", "lips_wide", "lips_round")
            if self._fewest(self.ref.plain.index(t))[0] > 0.9
        ]  # fmt: skip
        if len(sounds) >= 5 and (len(core) < 3 or wish):
            self.why_exclusive = (
                f"{len(sounds)} names are sounds and only {len(core)} of 4 plain gestures are there"
            )
            return np.array(sounds)
        mouths = [
            k for k in range(len(self.channels)) if self.speech[k] > 0.5 and self.size[k] > 0.05
        ]
        broad = [k for k in mouths if self.concentration[k] < 0.75]
        if wish or (len(broad) >= 6 and len(broad) > 0.5 * len(mouths) and len(core) < 3):
            self.why_exclusive = (
                f"{len(broad)} of {len(mouths)} mouth channels are whole mouths, {len(core)} of 4 plain "
                "gestures are there"
            )
            return np.array(mouths, np.intp)
        return NOBODY

    # ------------------------------------------------------------------ how it does our gestures
    def _fewest(self, j: int, most: int = 3) -> tuple[float, Floats]:
        """Fewest channels that together look like our target j: likeness, and their weights."""
        r = self.rq[:, j]
        length = float(np.linalg.norm(r))
        weights = np.zeros(self.fq.shape[1])
        if length < 1e-6:
            return 0.0, weights
        picked: list[int] = []
        likeness, p = 0.0, np.zeros(len(r))
        for _ in range(most):
            candidates = p[:, None] + self.fq
            cosine = (r @ candidates) / np.maximum(
                np.linalg.norm(candidates, axis=0) * length, 1e-9
            )
            cosine[picked] = -1
            cosine[self.size < NOTHING] = -1
            near = np.flatnonzero(cosine > cosine.max() - NEARLY)
            amount = np.maximum((r @ candidates[:, near]) / length**2, 1e-3)
            # of those that look nearly alike, one that goes about as far as ours
            k = int(near[(cosine[near] - FAR_OFF * np.abs(np.log(amount))).argmax()])
            if cosine[k] < likeness + (0.04 if picked else 0):
                break
            picked.append(k)
            likeness, p = float(cosine[k]), candidates[:, k]
        reached = float(p @ r) / length**2
        weights[picked] = min(1.0, 1.5 / max(reached, 1e-6))
        return likeness, weights

    def _claims(self, found: list[tuple[float, Floats]]) -> dict[int, int]:
        """Of each channel that alone looks like several of our targets, the one that it is like most,
        amount and all."""
        best: dict[int, tuple[float, int]] = {}
        for j, (likeness, weights) in enumerate(found):
            picked = np.flatnonzero(weights)
            if len(picked) == 1:
                k = int(picked[0])
                length = max(float(np.linalg.norm(self.rq[:, j])), 1e-9)
                amount = max(float(self.rq[:, j] @ self.fq[:, k]) / length**2, 1e-3)
                score = likeness - FAR_OFF * abs(np.log(amount))
                best[k] = max(best.get(k, (-1.0, -1)), (score, j))
        return {k: j for k, (_, j) in best.items()}

    def _reach(self) -> None:
        """Columns of what is wanted: the head's own channels, or the nearest mixture."""
        a = self.fq.T @ self.fq + np.diag(self.cost)
        mixtures = box_least(a, (self.fq.T @ self.rq).T, self.top, 500, self.group)
        found = [self._fewest(j) for j in range(len(self.ref.plain))]
        claims = self._claims(found)
        self.scale: dict[str, float] = {}
        self.shown: dict[str, float] = {}
        self.pose: dict[str, Floats] = {}
        self.own: dict[str, list[str]] = {}
        self.columns = self.ref.rows[self.has].copy()
        for j, target in enumerate(self.ref.plain):
            r = self.rq[:, j]
            power = max(float(r @ r), 1e-12)
            full = float(np.linalg.norm(np.nan_to_num(IMPORTANCE * self.ref.rows[:, j])))
            seen = np.linalg.norm(IMPORTANCE[self.has] * self.ref.rows[self.has, j]) / max(
                full, 1e-9
            )
            likeness, w = found[j]
            first = np.flatnonzero(w)
            mine = len(first) > 1 or (len(first) == 1 and claims[int(first[0])] == j)
            enough = ALIKE_TONGUE if target.startswith("tongue") else ALIKE
            if (
                mine
                and likeness > enough
                and float((self.fq @ w) @ r) > 0.3 * power
                and not len(self.group)
            ):
                self.pose[target], self.own[target] = w, [self.channels[k] for k in first]
                self.columns[:, j] = self.f @ w
                self.scale[target] = float(np.clip((self.fq @ w) @ r / power, 0.1, 1.5))
            else:
                p = self.fq @ mixtures[j]
                likeness = float(p @ r / max(float(np.linalg.norm(p)) * np.sqrt(power), 1e-9))
                scale = 1.0 if len(self.group) else float(np.clip(p @ r / power, 0.12, 1))
                self.pose[target], self.scale[target] = mixtures[j], scale
                self.columns[:, j] *= scale
                if p @ r / power < 0.12:
                    likeness = 0.0
            self.shown[target] = likeness * float(seen) ** 2
        self._level_tongue([t for t in self.own if t.startswith("tongue")])
        used = np.zeros(len(self.channels), bool)
        for target in GESTURES:
            if target in self.own:
                used |= self.pose[target] > 0
        if used.any():
            self.cost[~used] *= 12.0  # correctives and lookalikes only season
            self._spare_tongue(used)

    def _level_tongue(self, own: list[str]) -> None:
        """Where the tongue's channels are just ours, but weaker or stronger than each other, all go
        as far as the weakest: its places add up, so that their proportion is what is seen."""
        if own and all(self.shown[t] > JUST_OURS for t in own):
            least = min(self.scale[t] for t in own)
            for target in own:
                self.columns[:, self.ref.plain.index(target)] *= least / self.scale[target]
                self.scale[target] = least

    def _spare_tongue(self, used: NDArray[np.bool_]) -> None:
        """A tongue that has its own channels hardly needs others: few places tell what it does, and
        many mixtures of correctives look alike there."""
        if sum(target.startswith("tongue") for target in self.own) >= TONGUE_OWN:
            tongue = np.array([name.startswith("tongue") for name in self.kept])
            power = np.maximum((self.fq**2).sum(0), 1e-12)
            others = ~used & ((self.fq[tongue] ** 2).sum(0) > 0.5 * power)
            self.cost[others] += SPARED * power[others]

    def scales(self) -> Floats:
        """How far each of our targets is worn (targets,), correctives as what they belong to."""
        return np.array([self.scale.get(self.ref.owner(t), 1.0) for t in self.ref.targets])

    # ------------------------------------------------------------------ what is told of it
    @cached_property
    def votes(self) -> list[Vote]:
        """Of every channel, what its name and its shape say."""
        found = []
        for k, (channel, named) in enumerate(zip(self.channels, self.named, strict=True)):
            j = int(self.likeness[:, k].argmax())
            moves = self.size[k] > NOTHING
            gesture = _gesture_of(self.ref.plain[j]) if moves else ""
            likeness = round(float(self.likeness[j, k]), 2) if moves else 0.0
            if not named.known or not named.pose:
                verdict, agreement = ("shape only" if moves else "neither"), 0.0
            elif not moves:
                verdict, agreement = "name only", 0.0
            else:
                agreement = self._agreement(named.pose, k)
                verdict = (
                    "agree" if agreement > AGREE else "unsure" if agreement > UNSURE else "disagree"
                )
            found.append(Vote(channel, named, gesture, likeness, verdict, round(agreement, 2)))
        return found

    def _agreement(self, pose: Mapping[str, float], k: int) -> float:
        """Cosine between what a name would do on our head and what the channel does."""
        wanted = np.zeros(len(self.rq))
        index = {t: j for j, t in enumerate(self.ref.plain)}
        for channel, value in pose.items():
            if channel == "shut":
                seal = self.ref.targets.index("fix_seal_jaw")
                wanted += self.weigh * self.ref.measures.rows[self.has, seal]
            for target, gain in self.ref.rig.split.get(channel, ((channel, 1.0),)):
                if target in index:
                    wanted += max(0.0, value * gain) * self.rq[:, index[target]]
        length = np.linalg.norm(wanted) * np.linalg.norm(self.fq[:, k])
        return float(wanted @ self.fq[:, k] / max(float(length), 1e-9))


_SPOKEN = {"lips_wide", "tongue_front", "shut", *GESTURES}


def _gesture_of(target: str) -> str:
    """The channel of the motion that a target of ours belongs to."""
    return {
        "lips_narrow": "lips_wide", "tongue_back": "tongue_front", "jaw_right": "jaw_side",
        "jaw_left": "jaw_side", "lids_up": "gaze_pitch", "lids_down": "gaze_pitch",
    }.get(target, target)  # fmt: skip
