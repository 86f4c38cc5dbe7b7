"""How a line leaves on a character: its keys, its frames, rest around it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..characters.dressing import Dress
from ..motion.fewest import ERROR


@dataclass(frozen=True)
class Handing:
    """How a line leaves: error of its keys as a share of the range (0: a key a frame), the number of
    its first frame, seconds of rest before and after, its name."""

    error: float = ERROR
    first_frame: int = 0
    before: float = 0.0
    after: float = 0.0
    name: str = "line"


def rested(dress: Dress, handing: Handing) -> Dress:
    """With rest before and after."""
    fps = float(dress.fps)
    ahead, behind = round(handing.before * fps), round(handing.after * fps)
    if not ahead and not behind:
        return dress
    values = np.pad(dress.values, ((ahead, behind), (0, 0)), mode="edge")
    if ahead:
        values[:ahead] = 0.0
    if behind:
        values[len(values) - behind :] = 0.0
    gap, shut = (np.pad(x, (ahead, behind)) for x in (dress.gap, dress.shut))
    turns = {n: np.pad(t, (ahead, behind), mode="edge") for n, t in dress.turns.items()}
    for own in turns.values():
        own[:ahead] = 0.0
        own[len(own) - behind :] = 0.0
    return replace(dress, values=values, gap=gap, shut=shut, turns=turns)
