"""Where the camera of a scene is at a time: a shot's own view, or on its way there from the one before."""

from __future__ import annotations

from dataclasses import astuple

import numpy as np

from ..stage.views import VIEWS, Camera
from .documents import Scene, Shot


def camera_of(shot: Shot) -> Camera:
    """Where a shot is seen from once its move is over."""
    return Camera(*shot.camera) if shot.camera else VIEWS[shot.view]


def camera_at(scene: Scene, seconds: float) -> Camera:
    """Where the camera is; a move begins and ends slowly, and goes the shorter way round."""
    shot = scene.shot_at(seconds)
    before = scene.shot_before(shot)
    there = camera_of(shot)
    if before is None or not shot.move or before.of != shot.of:
        return there
    share = min(max((seconds - shot.start) / shot.move, 0.0), 1.0)
    eased = share * share * (3 - 2 * share)
    a, b = np.array(astuple(camera_of(before))), np.array(astuple(there))
    b[0] = a[0] + (b[0] - a[0] + 180) % 360 - 180
    return Camera(*(a + eased * (b - a)).tolist())
