"""What of a head's surface stays as it is: colours, gloss, light that cannot reach; its pictures."""

from __future__ import annotations

import io

import moderngl
import numpy as np

from ..characters.head import CLAMPED, MIRRORED, Array, Head, Material
from ..characters.posing import Poser
from .occlusion import occlusion
from .views import Framing

LARGEST = 2048  # pixels of a picture's side


def still(head: Head, rest: Array, normals: Array) -> Array:
    """Colour, gloss, glow and place on the picture of every vertex (n, 7).

    Light that cannot reach darkens colours, unless the head brings its own.
    """
    made = []
    for piece in head.pieces:
        count, material = len(piece.positions), piece.material
        rows = np.zeros((count, 7), np.float32)
        rows[:, :3] = material.color[:3]
        if piece.colors is not None:
            rows[:, :3] *= piece.colors
        rows[:, 3] = np.clip((0.95 - material.rough) / 0.7, 0.0, 1.0)
        rows[:, 4] = max(material.glow)
        if piece.uv is not None:
            rows[:, 5:7] = piece.uv
        made.append(rows)
    rows = np.concatenate([np.zeros((0, 7), np.float32), *made])
    if head.rig is None:
        rows[:, :3] *= occlusion(rest, normals, Poser(head).faces)[:, None]
    return rows


def scaled(rest: Array, framing: Framing) -> Array:
    """Points at rest in tenths of a head's usual height, for the grain of the clay."""
    return ((rest - np.asarray(framing.mouth, np.float32)) * np.float32(2.4 / framing.size)).astype(
        "f4"
    )


class Pictures:
    """The pictures of one head on the graphics chip, brought there when they are first needed."""

    def __init__(self, gl: moderngl.Context, head: Head) -> None:
        self._gl, self._head = gl, head
        self._made: dict[tuple[int, tuple[int, int]], moderngl.Texture] = {}

    def get(self, number: int, material: Material) -> moderngl.Texture | None:
        """A picture as a material repeats it; None where there is none."""
        images = self._head.images
        if not 0 <= number < len(images) or not images[number]:
            return None
        key = (number, material.wraps)
        if key not in self._made:
            self._made[key] = self._bring(images[number], material.wraps)
        return self._made[key]

    def _bring(self, data: bytes, wraps: tuple[int, int]) -> moderngl.Texture:
        from PIL import Image

        try:
            picture = Image.open(io.BytesIO(data)).convert("RGBA")
            picture.thumbnail((LARGEST, LARGEST))
        except (OSError, ValueError, Image.DecompressionBombError):  # a broken picture is white
            return self._gl.texture((1, 1), 4, b"\xff\xff\xff\xff")
        pixels = np.asarray(picture)
        for axis, wrap in ((1, wraps[0]), (0, wraps[1])):
            if wrap == MIRRORED:  # there and back again, as one picture of twice the size (`tile`)
                pixels = np.concatenate([pixels, np.flip(pixels, axis)], axis)
        height, width = pixels.shape[:2]
        made = self._gl.texture((width, height), 4, np.ascontiguousarray(pixels).tobytes())
        made.repeat_x, made.repeat_y = wraps[0] != CLAMPED, wraps[1] != CLAMPED
        made.build_mipmaps()
        made.anisotropy = 4.0
        return made

    def release(self) -> None:
        """Give them back."""
        for texture in self._made.values():
            texture.release()


def tile(material: Material) -> tuple[float, float]:
    """What places on a picture are multiplied by, since a mirrored one holds itself twice."""
    x, y = (0.5 if wrap == MIRRORED else 1.0 for wrap in material.wraps)
    return x, y
