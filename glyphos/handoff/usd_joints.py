"""Joints of a USD skeleton that turn with head and gaze: which they are, and their turns frame by frame."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..characters.models.looking import EYES, HEADS, NO_EYE, PIECES, TURNS
from ..characters.models.usd import UP
from .quaternions import quaternions

Doubles = NDArray[np.float64]
TINY = 1e-9


@dataclass(frozen=True)
class Turning:
    """A joint: its token, its translation and scale at rest, its rotation on each frame (frames, 4; w, x, y, z)."""

    token: str
    translation: Doubles
    scale: Doubles
    rotations: Doubles


def turning(skeleton: Any, turns: Mapping[str, Doubles], frames: int) -> list[Turning]:
    """The joints of a skeleton that head and eyes of its face hang on, turned as far as the channels of head
    and gaze say (degrees); none where it has no such joints."""
    from pxr import UsdGeom, UsdSkel
    from scipy.spatial.transform import Rotation  # late: it takes its time

    skel = UsdSkel.Skeleton(skeleton)
    tokens = [str(t) for t in skel.GetJointsAttr().Get() or []]
    rest, bind = skel.GetRestTransformsAttr().Get() or [], skel.GetBindTransformsAttr().Get() or []
    if not tokens or len(rest) != len(tokens) or len(bind) != len(tokens):
        return []
    up = UP.get(str(UsdGeom.GetStageUpAxis(skeleton.GetStage())), np.eye(4))[:3, :3]
    place = np.array(UsdGeom.XformCache().GetLocalToWorldTransform(skeleton)).T[:3, :3]
    moving = {n: np.asarray(v) for n, v in turns.items() if np.any(v)}
    made = []
    for who, names in (("head", HEADS), ("eyes", EYES)):
        for k in _named(tokens, names):
            world = up @ place @ np.array(bind[k]).T[:3, :3]
            turn = np.tile(np.eye(3), (frames, 1, 1))
            if not abs(np.linalg.det(world)) > TINY:  # nor what is no number
                continue
            for channel, (axis, whose) in TURNS.items():
                if whose == who and channel in moving:
                    own = np.linalg.solve(world, np.array(axis))
                    own = own / np.linalg.norm(own)
                    degrees = moving[channel][:frames, None] * own[None]
                    turn = turn @ Rotation.from_rotvec(degrees, degrees=True).as_matrix()
            local = np.array(rest[k]).T
            scale = np.linalg.norm(local[:3, :3], axis=0)
            if not (np.isfinite(local).all() and scale.min() > TINY):
                continue
            quats = quaternions((local[:3, :3] / scale) @ turn, scalar_first=True)
            made.append(Turning(tokens[k], local[:3, 3], scale, quats))
    return sorted(made, key=lambda t: tokens.index(t.token))


def _named(tokens: list[str], names: tuple[str, ...]) -> list[int]:
    """Joints of such a name, the uppermost where one hangs on another."""
    found = []
    for k, token in enumerate(tokens):
        words = {w.lower() for w in PIECES.findall(re.sub(r".*[/:]", "", token))}
        if words & set(names) and not words & NO_EYE:
            found.append(k)
    return [k for k in found if not any(tokens[k].startswith(tokens[j] + "/") for j in found)]
