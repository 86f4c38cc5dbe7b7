"""Recorded motions of bodies that lie on speakers of a scene: their heads, and bones that have their names."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..characters.bones import driven, matched, open_body
from ..characters.bvh import Body
from ..characters.head import Doubles, Head
from ..characters.recorded import open_layer
from ..motion.layers import Layer
from ..scene.acting import Recorded
from ..scene.documents import Scene
from ..scene.moving import Laid, laid, until


@dataclass(frozen=True)
class Moving:
    """One of them, on the frames of a film. bones: nodes of the head that it drives by their names."""

    laid: Laid
    layer: Layer
    body: Body
    bones: dict[int, str]
    head: Head | None

    @property
    def recorded(self) -> Recorded:
        """What it does to the channels of a face; nothing where bones do it, but in place of what they did."""
        curves = self.layer.curves
        if self.bones:
            curves = {n: np.zeros_like(v) for n, v in curves.items()}
        return Recorded(self.laid, self.layer.times, curves)


def moving(
    scene: Scene, speaker: str, folder: Path, head: Head | None, frames: int, fps: float
) -> list[Moving]:
    """Motions that lie on a speaker; DocumentError where one cannot be read."""
    made = []
    for lane in scene.lanes:
        for move in lane.moves if lane.speaks and lane.name == speaker else ():
            layer, _ = open_layer(folder / move.file)
            body = open_body(folder / move.file)
            end = until(lane.moves, move, frames / fps)
            own = laid(move, float(layer.times[-1]), end, frames, fps)
            bones = matched(head, body) if head is not None else {}
            made.append(Moving(own, layer, body, bones, head))
    return made


def bones_of(moves: Sequence[Moving], frames: int) -> dict[int, Doubles]:
    """Turns (frames, 3, 3) of nodes in their own space."""
    made: dict[int, Doubles] = {}
    for one in moves:
        if not one.bones or one.head is None:
            continue
        own = one.laid
        turned = driven(one.head, one.body, one.bones, own.phases, own.before, own.seams, own.weights)  # fmt: skip
        for node, turns in turned.items():
            made.setdefault(node, np.tile(np.eye(3), (frames, 1, 1)))[own.frames] = turns
    return made
