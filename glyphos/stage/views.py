"""Where the camera stands: fixed views of a head, and orbits between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..characters.head import Array, Doubles, Head

BACKGROUNDS = {"paper": (214, 204, 186), "night": (32, 34, 40), "none": (0, 0, 0)}
FIELD = 26.0  # degrees of view, as of a portrait lens


@dataclass(frozen=True)
class Framing:
    """Where a face is: the middle of its mouth, the height of the head, and the axes up and front."""

    mouth: tuple[float, float, float]
    size: float
    up: tuple[float, float, float] = (0.0, 1.0, 0.0)
    front: tuple[float, float, float] = (0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Camera:
    """Degrees to the character's own left and up; `near` is the distance and `lift`, `back` where it
    looks, from the mouth, all in heights of the head."""

    azimuth: float = 0.0
    elevation: float = 3.0
    near: float = 3.35
    lift: float = 0.13
    back: float = 0.33

    def orbited(self, right: float, up: float) -> Camera:
        """Moved round the head by degrees."""
        turned = (self.azimuth + right + 180) % 360 - 180
        return replace(self, azimuth=turned, elevation=float(np.clip(self.elevation + up, -85, 85)))

    def zoomed(self, factor: float) -> Camera:
        """Nearer (over 1) or farther."""
        return replace(self, near=float(np.clip(self.near / factor, 0.4, 12.0)))


VIEWS = {
    "front": Camera(),
    "three quarters": Camera(36, 5),
    "side": Camera(88, 2, back=0.29),
    "mouth": Camera(8, 3, 1.12, -0.017, 0.0),
    "eyes": Camera(12, 3, 1.4, 0.33, 0.04),
    "back": Camera(150, 12, 3.6, 0.11, 0.33),
}


HEADS = 3.6  # mouths wide, a head is high: of ours, and a usual measure of portraits


def framing_from(found: Sequence[float]) -> Framing | None:
    """Of ten numbers: the middle of the mouth, its width, the axes up and front; None if there are
    none."""
    if len(found) != 10:
        return None
    x, y, z, width, *axes = found
    return Framing(
        (x, y, z), HEADS * width, (axes[0], axes[1], axes[2]), (axes[3], axes[4], axes[5])
    )


def framing_of(head: Head, points: Array) -> Framing:
    """Where the face of a head is: as it says itself, else guessed from what moves."""
    moving = [
        points[a:b] for piece, a, b in _ranges(head) if piece.shapes
    ] or [points]  # fmt: skip
    around = np.concatenate(moving)
    low, high = np.percentile(around, 1, axis=0), np.percentile(around, 99, axis=0)
    if head.rig is not None and head.rig.height > 0:
        return Framing(head.rig.mouth, head.rig.height)
    height = float(max(high[1] - low[1], high[0] - low[0], 1e-6))
    top = float(high[1])
    size = min(height, 1.5 * float(high[0] - low[0]) or height)
    mouth = (float(low[0] + high[0]) / 2, top - 0.72 * size, float(high[2]) - 0.08 * size)
    return Framing(mouth, size)


def _ranges(head: Head):  # type: ignore[no-untyped-def]
    at = 0
    for piece in head.pieces:
        yield piece, at, at + len(piece.positions)
        at += len(piece.positions)


def eye_and_target(framing: Framing, camera: Camera) -> tuple[Doubles, Doubles]:
    """Where the camera is, and what it looks at."""
    up, front = np.asarray(framing.up, float), np.asarray(framing.front, float)
    left = np.cross(up, front)
    a, e = np.radians(camera.azimuth), np.radians(camera.elevation)
    target = np.asarray(framing.mouth) + framing.size * (camera.lift * up - camera.back * front)
    way = np.sin(a) * np.cos(e) * left + np.sin(e) * up + np.cos(a) * np.cos(e) * front
    return target + framing.size * camera.near * way, target


def pointed(
    framing: Framing, camera: Camera, aspect: float, x: float, y: float, points: Array
) -> Doubles:
    """The point of a head that a person points to: x and y from −1 (left, below) to 1 on the picture.

    The nearest to the eye among those close to the line of sight.
    """
    eye, target = eye_and_target(framing, camera)
    view = look_at(eye, target, np.asarray(framing.up, float))
    wide, high = (1 / perspective(aspect, 0.1, 10)[k, k] for k in (0, 1))
    way = np.array([x * wide, y * high, -1.0]) @ view[:3, :3]
    way /= np.linalg.norm(way)
    from_eye = points.astype(float) - eye
    along = from_eye @ way
    away = np.linalg.norm(from_eye - along[:, None] * way, axis=1)
    close = away < max(0.02 * framing.size, float(away.min()) * 1.5)
    return np.asarray(points[np.flatnonzero(close)[along[close].argmin()]], float)


def look_at(eye: Doubles, target: Doubles, up: Doubles) -> Doubles:
    """The matrix (4, 4) from the world to a camera."""
    ahead = (target - eye) / np.linalg.norm(target - eye)
    side = np.cross(ahead, up)
    side /= max(float(np.linalg.norm(side)), 1e-9)
    made = np.eye(4)
    made[:3, :3] = np.stack([side, np.cross(side, ahead), -ahead])
    made[:3, 3] = -made[:3, :3] @ eye
    return made


def perspective(aspect: float, near: float, far: float) -> Doubles:
    """The matrix of a lens; a narrow picture sees nearly as wide as a square one."""
    t = 1 / np.tan(np.radians(FIELD) / 2) * min(1.0, 1.2 * aspect)
    made = np.zeros((4, 4))
    made[0, 0], made[1, 1] = t / aspect, t
    made[2, 2], made[2, 3] = (far + near) / (near - far), 2 * far * near / (near - far)
    made[3, 2] = -1
    return made
