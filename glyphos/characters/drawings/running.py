"""Drawings for a face that moves now, with nothing known of what comes: the nearest, held so long that it is seen."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from .choosing import CHANGE, EYES, MUST, part_wrongness
from .documents import CLOSED, Drawings, Mouth, Part, Pose, View
from .features import rows_of, unlike

NEARER = 4.0  # degrees by which another view is nearer before the head turns to it
HOLD = 2 / 24  # seconds that a drawing stands at least, unless lips shut


class Running:
    """`show` is told values as they come, at rising seconds."""

    def __init__(self, drawings: Drawings) -> None:
        self.drawings = drawings
        self._view, self._mouth, self._since = drawings.views[0], drawings.views[0].rest, -1.0
        self._states: dict[str, Mouth] = {}

    def show(
        self, moment: Mapping[str, float], seconds: float
    ) -> tuple[View, Mouth | None, dict[str, Mouth]]:
        """The view, the mouth in it, and the drawing of each of its parts."""
        values = dict(moment)
        view = self._seen_from(values.get("head_yaw", 0.0))
        best = min(self.drawings.mouths, key=lambda m: self._cost(m, values))
        shuts = best.closed and not self._mouth.closed
        if best is not self._mouth and (shuts or seconds - self._since >= HOLD):
            self._mouth, self._since = best, seconds
        for part in view.parts:
            self._states[part.name] = self._part(part, values)
        mouth = self.drawings.in_view(view, self._mouth) if view.mouths else None
        return view, mouth, {p.name: self._states[p.name] for p in view.parts}

    def _seen_from(self, yaw: float) -> View:
        """The view of a turn in degrees; one that wavers between two stays where it is."""
        nearest = self.drawings.view_at(yaw)
        if abs(self._view.yaw - yaw) - abs(nearest.yaw - yaw) > NEARER:
            self._view = nearest
        return self._view

    def _cost(self, mouth: Mouth, values: Pose) -> float:
        must = (
            MUST["closed"] if values.get("lips_part", 0.0) <= CLOSED and not mouth.closed else 0.0
        )
        return unlike(mouth.pose, values) + must + (CHANGE if mouth is not self._mouth else 0.0)

    def _part(self, part: Part, values: Pose) -> Mouth:
        now = self._states.get(part.name)
        names = sorted(values)
        wrong = part_wrongness(part, names, rows_of(names, [values]))[0]
        cost = wrong + EYES * np.array([d is not now for d in part.drawings])
        return part.drawings[int(cost.argmin())]
