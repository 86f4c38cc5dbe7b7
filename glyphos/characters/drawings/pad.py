"""What a mouth shows, set by hand: opening against width, with switches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .documents import Mouth, Pose

SET = ("jaw_open", "lips_part", "lips_wide", "lips_round", "lip_to_teeth", "tongue_tip", "lips_press",
       "tongue_between_teeth")  # fmt: skip
LEAST = 0.06  # of the opening, below which lips meet


@dataclass(frozen=True)
class Pad:
    """opening: 0 shut to 1 wide open. width: −1 puckered to 1 spread. bites: teeth on the lip; tongue:
    its tip up; pressed: lips, when they are shut."""

    opening: float = 0.0
    width: float = 0.0
    bites: bool = False
    tongue: bool = False
    pressed: bool = False


def pad_of(pose: Pose) -> Pad:
    """Where a pose stands."""
    part, jaw = pose.get("lips_part", 0.0), pose.get("jaw_open", 0.0)
    opening = float(np.sqrt(max(0.0, part * (0.38 + 0.62 * jaw))))
    width = pose.get("lips_wide", 0.0) * (1 - pose.get("lips_round", 0.0)) - pose.get(
        "lips_round", 0.0
    )
    return Pad(
        min(opening, 1.0), float(np.clip(width, -1.0, 1.0)), Mouth("", "", pose).bites,
        pose.get("tongue_tip", 0.0) > 0.5, pose.get("lips_press", 0.0) > 0.3,
    )  # fmt: skip


def pose_of(pad: Pad, before: Pose) -> Pose:
    """The pose of a place; what the pad does not set stays as it was before."""
    opening = float(np.clip(pad.opening, 0.0, 1.0))
    kept = {k: v for k, v in before.items() if k not in SET}
    pose: Pose = {"lips_wide": max(0.0, pad.width), "lips_round": max(0.0, -pad.width)}
    if pad.bites:
        pose |= {"jaw_open": 0.14, "lips_part": 0.14, "lip_to_teeth": 1.0}
    elif opening >= LEAST:
        pose |= {"jaw_open": opening, "lips_part": min(1.0, opening**2 / (0.38 + 0.62 * opening))}
    if pad.tongue:
        pose["tongue_tip"] = 1.0
    if pad.pressed and opening < LEAST and not pad.bites:
        pose["lips_press"] = 0.6
    return kept | {k: round(v, 3) for k, v in pose.items() if v > 0.004}
