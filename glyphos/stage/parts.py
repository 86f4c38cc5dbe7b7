"""A group of pieces on the graphics chip. Where the processor draws, triangles that are turned away
are left out before the driver sees them: half of its work is what it does for each of them."""

from __future__ import annotations

from typing import Literal

import moderngl

from .groups import Group, Places, facing

Kind = Literal["quick", "fine", "cast"]


class Part:
    """What is drawn at once: quickly, finely, or into the shadow.

    arrays: how vertices are read for each of these; all use `order`, which holds the triangles.
    """

    def __init__(
        self,
        gl: moderngl.Context,
        group: Group,
        picture: moderngl.Texture | None,
        programs: dict[Kind, tuple[moderngl.Program, list[tuple[object, ...]]]],
    ) -> None:
        self.group, self.picture = group, picture
        # Fewer triangles, for pictures that must come soon: to be seen, and to throw a shadow
        self.light: Group | None = None
        self.casting: Group | None = None
        self._order = gl.buffer(group.faces.tobytes())
        self._whole = True  # whether it holds all triangles
        self._arrays = {
            kind: gl.vertex_array(program, content, self._order)
            for kind, (program, content) in programs.items()
        }

    def render(self, kind: Kind, places: Places | None, *, light: bool = False) -> None:
        """Draw. places: where vertices lie on the picture, to leave out what is turned away; light: with
        fewer triangles, if both are known."""
        if places is None:
            if not self._whole:
                self._order.write(self.group.faces.tobytes())
            self._whole = True
            self._arrays[kind].render()
            return
        fewer = self.casting if kind == "cast" else self.light
        seen = facing(places, (fewer if light else None) or self.group)
        self._whole = False
        if len(seen):
            self._order.write(seen.tobytes())
            self._arrays[kind].render(vertices=seen.size)

    def release(self) -> None:
        """Give everything back."""
        for array in self._arrays.values():
            array.release()
        self._order.release()
