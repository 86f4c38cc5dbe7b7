"""Our own head as the measure of what a motion looks like, correctives included."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Any

import numpy as np

from ..builtin import builtin
from ..head import Head, Rig
from .features import Measures, measured
from .landmarks import find_face
from .stack import Floats, stacked

GESTURES = (
    "jaw_open", "lips_part", "lips_wide", "lips_narrow", "lips_round", "lips_press", "lip_to_teeth",
    "upper_lip_raise", "tongue_tip", "tongue_between_teeth", "tongue_front", "tongue_back", "tongue_high",
)  # fmt: skip
CORRECTIVES = ("fix_", "guard_")
OWNERS = {
    "fix_seal_jaw": "jaw_open", "fix_seal_raise": "upper_lip_raise", "fix_seal_lower": "lower_lip_lower",
    "fix_round_part": "lips_part", "fix_round_jaw": "jaw_open", "fix_round_teeth": "lips_round",
    "fix_teeth_jaw": "jaw_open", "fix_teeth_seal": "jaw_open", "fix_teeth_part": "lips_part",
    "fix_teeth_round": "lips_round", "fix_teeth_press": "lips_press", "fix_tip_jaw": "tongue_tip",
    "fix_high_jaw": "tongue_high", "fix_between_jaw": "tongue_between_teeth",
    "guard_between_front": "tongue_front", "guard_between_high": "tongue_high", "guard_between_tip": "tongue_tip",
    "guard_tip_front": "tongue_front", "guard_tip_high": "tongue_high",
}  # fmt: skip


class Reference:
    """A head of our own, found and measured as any other."""

    def __init__(self, head: Head) -> None:
        assert head.rig is not None
        self.rig: Rig = head.rig
        self.targets = head.targets
        self.measures: Measures = measured(find_face(stacked(head)))
        self.plain = tuple(t for t in head.targets if not t.startswith(CORRECTIVES))
        self.of_plain = [head.targets.index(t) for t in self.plain]
        self.rows: Floats = self.measures.rows[:, self.of_plain]  # rows x plain targets

    def weights(self, motion: Mapping[str, Any], frames: int) -> Floats:
        """Weights (frames, targets) of this head performing a motion."""
        found = self.rig.weights(motion)
        return np.stack(
            [np.broadcast_to(np.asarray(found.get(t, 0.0), float), frames) for t in self.targets], 1
        )

    def owner(self, target: str) -> str:
        """The plain target whose work a corrective takes back, or adds to."""
        if target in OWNERS:
            return OWNERS[target]
        if target.startswith("fix_blink"):
            return "blink_" + target.rsplit("_", 1)[1]
        if "between" in target:
            return "tongue_between_teeth"
        if target.startswith("guard_tip"):
            return "tongue_tip"
        return "tongue_high" if target.startswith("guard_front") else target


@cache
def reference() -> Reference:
    """Mabel."""
    return Reference(builtin("mabel"))
