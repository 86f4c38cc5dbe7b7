"""Which drawing stands for which frame of a motion: how wrong each looks there, then the cheapest
sequence (`exposures`)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...motion.curve import Motion
from .exposures import Array, Exposure, Ints, cheapest
from .mouths import Mouth, Mouths

SHUT, BITING = 0.03, 0.9  # of the motion: lips meet, the lip is at the teeth
MUST = {"closed": 1000.0, "bites": 60.0}  # cost of a closure, or of teeth on lip, that is not shown
SLOW = 20.0  # frames a second under which every drawing may stand for one frame
CHANGE = 0.08  # usual cost of a change, where 2 is a frame of a wide mouth in place of a shut one
TWINS, TWIN_COST = 0.05, 0.6  # likeness under which two drawings are twins, and what they cost more
WEIGHTS = {"gap": 2.0, "width": 0.25, "round": 0.6, "bites": 1.2, "tip": 0.12, "between": 0.5,
           "press": 0.08, "teeth": 0.08}  # fmt: skip


@dataclass(frozen=True)
class Wish:
    """How drawings are to be held. step: on ones, twos or threes. change: how dear a change is (1:
    as usual). hold: frames that a drawing stands at least, closures and teeth on lip one less."""

    step: int = 1
    change: float = 1.0
    hold: int = 2


def seen(names: tuple[str, ...], values: Array) -> Array:
    """What an eye sees of poses (n, channels): (n, features of WEIGHTS)."""
    column = {name: k for k, name in enumerate(names)}

    def get(name: str) -> Array:
        return values[:, column[name]] if name in column else np.zeros(len(values))

    part, jaw = get("lips_part"), get("jaw_open")
    gap = np.sqrt(np.maximum(part * (0.38 + 0.62 * jaw), 0.0))  # a little open is seen at once
    wide, rounded = get("lips_wide"), get("lips_round")
    return np.stack(
        (gap, wide * (1 - rounded), rounded, get("lip_to_teeth"), get("tongue_tip") * part,
         get("tongue_between_teeth"), get("lips_press") * (part <= SHUT), get("upper_lip_raise")), 1,
    )  # fmt: skip


def wrongness(motion: Motion, mouths: tuple[Mouth, ...]) -> Array:
    """How wrong each mouth looks on each frame (frames, mouths); a wide mouth for a shut one is 2."""
    scale = np.sqrt(np.array(list(WEIGHTS.values())))
    line = seen(motion.names, motion.values) * scale
    poses = np.array([[m.pose.get(n, 0.0) for n in motion.names] for m in mouths])
    drawn = seen(motion.names, poses) * scale
    apart: Array = ((line[:, None, :] - drawn[None, :, :]) ** 2).sum(2)
    return apart


def expose(motion: Motion, mouths: Mouths, wish: Wish | None = None) -> list[Exposure]:
    """The drawings of a line, held on frames. Closures are shown wherever a closed mouth is drawn,
    teeth on lip where one is and there is a frame for them."""
    wish = wish or Wish()
    drawn = mouths.mouths
    cost = wrongness(motion, drawn)
    closed, bites = np.array([m.closed for m in drawn]), np.array([m.bites for m in drawn])
    part, teeth = motion.channel("lips_part"), motion.channel("lip_to_teeth")
    for at, shows, kind in (
        (_moments(part <= SHUT, part), closed, "closed"),
        (_moments(teeth >= BITING, -teeth), bites, "bites"),
    ):
        if shows.any():
            cost[np.ix_(at, ~shows)] += MUST[kind]
    least = 1 if float(motion.fps) < SLOW else max(1, wish.hold)
    hold = np.where(closed | bites, max(1, least - 1), least)
    return cheapest(cost, _changes(motion, drawn, wish.change), hold.tolist(), wish.step)


def _moments(there: np.ndarray, depth: Array) -> Ints:
    """Of each run of frames the one where it is deepest."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], there.astype(np.int8), [0]))))
    found = [a + int(depth[a:b].argmin()) for a, b in edges.reshape(-1, 2).tolist()]
    return np.array(found, np.intp)


def _changes(motion: Motion, mouths: tuple[Mouth, ...], dear: float) -> Array:
    """What each change costs: the same a second at every rate, more between twins."""
    scale = np.sqrt(np.array(list(WEIGHTS.values())))
    poses = np.array([[m.pose.get(n, 0.0) for n in motion.names] for m in mouths])
    drawn = seen(motion.names, poses) * scale
    apart = ((drawn[:, None] - drawn[None]) ** 2).sum(2)
    per_frame = float(motion.fps) / 24
    return np.asarray(dear * per_frame * CHANGE * (1 + TWIN_COST * (apart < TWINS)))
