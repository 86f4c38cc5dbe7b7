"""The turns of a head as BVH: one joint, in degrees, a row a frame."""

from __future__ import annotations

import numpy as np

from ..errors import SaveError
from ..motion.curve import Motion

HEADER = """HIERARCHY
ROOT Head
{
\tOFFSET 0.00 0.00 0.00
\tCHANNELS 3 Yrotation Xrotation Zrotation
\tEnd Site
\t{
\t\tOFFSET 0.00 20.00 0.00
\t}
}
MOTION
"""


def to_bvh(motion: Motion, still: bool = False) -> bytes:
    """The head of a motion; SaveError where it does not move, unless it may stand still. Up is Y, it looks along Z: a turn to its
    own right goes about −Y, up about −X, over to its own right about Z, one after the other."""
    names = ("head_yaw", "head_pitch", "head_roll")
    if not still and not any(n in motion.names for n in names):
        raise SaveError("The head does not move in this line; give it life first (--life).")
    yaw, pitch, roll = (
        motion.channel(n) if n in motion.names else np.zeros(motion.frames) for n in names
    )
    rows = [
        f"{-y + 0.0:.4f} {-p + 0.0:.4f} {r + 0.0:.4f}"
        for y, p, r in zip(yaw, pitch, roll, strict=True)
    ]
    head = f"{HEADER}Frames: {motion.frames}\nFrame Time: {1 / float(motion.fps):.8f}\n"
    return (head + "\n".join(rows) + "\n").encode()
