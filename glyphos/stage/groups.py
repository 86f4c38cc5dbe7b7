"""Pieces that are drawn alike are drawn at once, their triangles in an order that drivers like.

A driver keeps the last vertices it has computed. Where the processor draws, those are some hundred
in places by their number (`PLACES`), and what is computed twice is what a picture waits for.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..characters.head import Head, Material

SHINY = 0.55  # less rough than this glints
OUTSIDE = ("skin", "shell", "jaw", "mouth", "lid", "brow")  # what teeth are seen through
THIN = ("spectacles",)  # shadows of these would confuse the eye
PLACES = 256
Faces = NDArray[np.uint32]
Places = NDArray[np.complex64]


@dataclass(frozen=True)
class Group:
    """Triangles (m, 3) of one look. outside: teeth are seen through them on wish; casting: they
    throw a shadow."""

    faces: Faces
    material: Material
    shiny: bool
    outside: bool
    casting: bool

    @cached_property
    def corners(self) -> NDArray[np.intp]:
        """The three vertices of all triangles (3, m)."""
        return np.ascontiguousarray(self.faces.T).astype(np.intp)


def groups_of(head: Head, first: NDArray[np.int64]) -> list[Group]:
    """What is drawn alike, in the order of the pieces.

    first: the number of each piece's first vertex in the head.
    """
    parts: dict[tuple[Material, bool, bool, bool], list[Faces]] = {}
    for piece, start in zip(head.pieces, first, strict=False):
        if len(piece.faces):
            # colours, gloss and glow are told vertex by vertex
            look = replace(piece.material, name="", color=(), rough=0.0, glow=())
            outside = piece.name.startswith(OUTSIDE)
            casting = not piece.name.startswith(THIN) and not piece.material.see_through
            key = (look, piece.material.rough < SHINY, outside, casting)
            parts.setdefault(key, []).append((piece.faces + np.uint32(start)).astype(np.uint32))
    return [Group(ordered(np.concatenate(faces)), *key) for key, faces in parts.items()]


def ordered(faces: Faces) -> Faces:
    """The same triangles by their first vertex, if fewer vertices are computed twice so."""
    by_vertex = faces[np.argsort(faces.min(axis=1), kind="stable")] if len(faces) else faces
    return by_vertex if computed(by_vertex) < computed(faces) else faces


def computed(faces: Faces) -> int:
    """How many vertices a driver computes that keeps the last one of each of `PLACES` places."""
    numbers = faces.ravel()
    place = numbers % PLACES
    by_place = np.argsort(place, kind="stable")
    changes = (np.diff(numbers[by_place]) != 0).sum()
    return int(changes) + (1 if len(numbers) else 0)


def projected(points: NDArray[np.float32], view: NDArray[np.float64]) -> Places | None:
    """Where points (n, 3) come to lie on the picture, as numbers x + iy; None if any is behind the
    eye. view: (4, 4), from the head to the picture."""
    matrix = view.astype(np.float32)
    x, y, _, w = matrix[:, :3] @ points.T + matrix[:, 3:]
    if not len(w) or float(w.min()) <= 0:
        return None
    return np.asarray((x + np.complex64(1j) * y) / w, np.complex64)


def facing(places: Places, group: Group) -> Faces:
    """The triangles that show their front, as OpenGL tells it: corners counter-clockwise."""
    a, b, c = (places.take(corner) for corner in group.corners)
    b -= a
    c -= a
    return group.faces.take(np.flatnonzero(b.real * c.imag > b.imag * c.real), axis=0)
