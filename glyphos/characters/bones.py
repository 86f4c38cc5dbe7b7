"""Bones of a head that a recorded motion of a body drives: those whose names it has."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..errors import DocumentError
from ..files import GONE, State, file_state
from .bvh import Body, read_body
from .head import Doubles, Head
from .posing import Poser

if TYPE_CHECKING:
    from scipy.spatial.transform import Rotation

Array = NDArray[np.float64]
BACK = np.diag([-1.0, 1.0, -1.0])  # half a turn, for heads that look along −Z


def plain(name: str) -> str:
    """A bone's name as it is compared: without what a program writes before it, letters and digits alone."""
    return re.sub(r"[^a-z0-9]", "", re.split(r"[:|/]", name)[-1].lower())


def matched(head: Head, body: Body) -> dict[int, str]:
    """Nodes that hold bones, and the joints of their names; none unless the head's own bone is among them,
    since all of the motion is told to that otherwise."""
    if not head.skins:
        return {}
    bones = {j for skin in head.skins for j in skin.joints}
    known = {plain(n): n for n in body.turns}
    found = {k: known[plain(head.nodes[k].name)] for k in sorted(bones) if plain(head.nodes[k].name) in known}  # fmt: skip
    turning = {node for node, _, _ in head.turns.get("head_yaw", ())}
    return found if turning & set(found) else {}


def driven(head: Head, body: Body, bones: Mapping[int, str], times: Array, before: Array, seams: Array, weights: Array) -> dict[int, Doubles]:  # fmt: skip
    """Turns (n, 3, 3) of nodes in their own space at times of the recording. before, seams: times that it goes
    over from where a loop begins again, and how far it has (1: all the way); weights: how far bones turn."""
    from scipy.spatial.transform import Rotation  # late: it takes its time

    worlds, made = Poser(head).worlds({}), {}
    # looking up turns a head that looks along +Z about −X (`models.looking.TURNS`)
    backwards = any((worlds[k][:3, :3] @ axis)[0] > 0 for k, axis, _ in head.turns.get("head_pitch", ()))  # fmt: skip
    for node, joint in bones.items():
        past, now = _at(body, joint, before), _at(body, joint, times)
        whole = past * Rotation.from_rotvec(seams[:, None] * (past.inv() * now).as_rotvec())
        matrix = Rotation.from_rotvec(weights[:, None] * whole.as_rotvec()).as_matrix()
        if backwards:
            matrix = BACK @ matrix @ BACK
        rest = worlds[node][:3, :3]
        rest = rest / np.maximum(np.linalg.norm(rest, axis=0), 1e-12)
        made[node] = rest.T @ matrix @ rest
    return made


def _at(body: Body, joint: str, times: Array) -> Rotation:
    """The turns of a joint at times, between frames the short way."""
    from scipy.spatial.transform import Rotation  # late: it takes its time

    last = len(body.times) - 1
    at = np.interp(times, body.times, np.arange(last + 1))
    low = np.minimum(at.astype(int), max(0, last - 1))
    high = np.minimum(low + 1, last)
    turns = body.turns[joint]
    return turns[low] * Rotation.from_rotvec((at - low)[:, None] * (turns[low].inv() * turns[high]).as_rotvec())  # fmt: skip


def open_body(path: Path) -> Body:
    """A BVH file; kept until it is another. DocumentError, one sentence."""
    state = file_state(path)
    if state == GONE:
        raise DocumentError(f"{path.name} is not there; put it back, or choose another.")
    return _opened(path, state)


@lru_cache(4)
def _opened(path: Path, _state: State) -> Body:
    return read_body(path.read_bytes(), path.name)
