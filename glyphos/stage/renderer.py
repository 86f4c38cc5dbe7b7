"""Drawing heads off screen with OpenGL 3.3: one context, one thread, pixels out.

Nothing here knows of windows. Whoever made a Stage must use it from the same thread.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from ..characters.head import Array, Doubles, Head
from ..characters.posing import Poser, Turns
from ..errors import StageError
from . import shaders, surfaces
from .figure import Figure, pose_program
from .groups import groups_of, ordered, projected
from .lighter import CASTING, lighter, looked_at
from .parts import Kind, Part
from .surfaces import Pictures, scaled, tile
from .views import (
    BACKGROUNDS,
    VIEWS,
    Camera,
    Framing,
    eye_and_target,
    framing_of,
    look_at,
    perspective,
)

SAMPLES = 4
# Drivers that draw on the processor, on which sums over what is active are quicker in NumPy
SOFTWARE = ("llvmpipe", "softpipe", "swrast", "swiftshader")
KEPT = 4  # quick pictures with one shadow,
# if no vertex has gone further than this share of the head, by whether they are drawn lightly
MOVED = {False: 0.01, True: 0.04}
FINE_SHADOW = 1024  # pixels of the shadow,
SHADOW = {False: 512, True: 256}  # and of that of quick pictures, by whether they are drawn lightly
KEY, FILL, RIM = (-0.46, 0.52, 0.72), (0.85, 0.05, 0.65), (0.55, 0.45, -0.75)
Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class Shot:
    """One head as it is to be seen: weights of its channels or targets, turned nodes, and how."""

    head: Head
    weights: Mapping[str, float] = field(default_factory=dict)
    turns: Turns = field(default_factory=dict)
    camera: Camera = VIEWS["front"]
    mirror: bool = False
    wire: bool = False
    through: bool = False  # teeth and tongue are seen through the skin
    framing: Framing | None = None  # where its face is, if that is known better than by a guess


@dataclass
class _Shadow:
    """Of quick pictures of a head: kept for some."""

    texture: moderngl.Texture
    age: int = 0  # pictures since it was made
    at: Array | None = None  # where vertices were when it was cast


@dataclass
class _Loaded:
    """A head on the graphics chip."""

    head: Head
    figure: Figure
    parts: list[Part]
    framing: Framing
    grain: float
    pictures: Pictures
    shadows: dict[bool, _Shadow] = field(default_factory=dict)  # by whether they are drawn lightly

    def lighten(self) -> None:
        """Find fewer triangles for all parts, once: for what is seen, and fewer still for the shadow."""
        poser = self.figure.poser
        if any(part.light is None for part in self.parts):
            rest, normals = poser.pose({})
            seen = looked_at(poser, rest, normals, surfaces.still(self.head, rest, normals))
            for part in self.parts:
                fewer = lighter(part.group.faces, rest, seen)
                part.light = replace(part.group, faces=ordered(fewer))
                fewest = lighter(fewer, rest, seen, CASTING)
                part.casting = replace(part.group, faces=ordered(fewest))


@dataclass
class _Frame:
    """Where a picture of one size is drawn, and where it comes to lie when edges are smooth."""

    drawn: moderngl.Framebuffer
    ready: moderngl.Framebuffer
    picture: moderngl.Texture


class Stage:
    """Draws; see the module. Raises StageError, one sentence, where there is no OpenGL.

    on_chip: whether heads are posed by the driver too; not where it is the processor that draws.
    """

    def __init__(self) -> None:
        try:
            self._gl = moderngl.create_context(standalone=True, backend="egl", require=330)  # type: ignore[arg-type]
        except Exception as error:
            raise StageError(
                "There is no OpenGL 3.3 here, so heads cannot be shown in 3D; install the Mesa "
                f"drivers (libegl1, libgl1-mesa-dri) and start again ({error})."
            ) from None
        self._fine = self._gl.program(shaders.VERTEX, shaders.FRAGMENT)
        self._quick = {
            (shiny, pictured): self._gl.program(*shaders.quick(shiny=shiny, pictured=pictured))
            for shiny in (False, True)
            for pictured in (False, True)
        }
        self._edges = self._gl.program(shaders.SCREEN, shaders.EDGES)
        corners = self._gl.buffer(np.array([-1, -1, 1, -1, -1, 1, 1, 1], "f4").tobytes())
        self._screen = self._gl.vertex_array(self._edges, [(corners, "2f", "corner")])
        self._pose = pose_program(self._gl)
        self.on_chip = not any(name in self.driver.lower() for name in SOFTWARE)
        self._deep = self._gl.program(shaders.DEPTH_VERTEX, shaders.DEPTH_FRAGMENT)
        self._loaded: dict[int, _Loaded] = {}
        self._frames: dict[tuple[int, int, bool], _Frame] = {}
        self._soft: moderngl.Texture | None = None
        self._white = self._gl.texture((1, 1), 4, b"\xff\xff\xff\xff")

    @property
    def driver(self) -> str:
        """What draws, in the driver's own words."""
        return str(self._gl.info["GL_RENDERER"])

    def draw(
        self, shots: Sequence[Shot], size: tuple[int, int], *, background: str = "paper",
        fine: bool = False, light: bool = False,
    ) -> Pixels:  # fmt: skip
        """A picture (height, width, 4) of heads side by side.

        fine: with the grain of clay and softer shadows, for pictures that stay; light: with fewer triangles where it
        is the processor that draws, for pictures that must come soon.
        """
        width, height = max(8, size[0]), max(8, size[1])
        gl = self._gl
        frame = self._frame(width, height, fine)
        drawn = frame.drawn
        red, green, blue = (c / 255 for c in BACKGROUNDS[background])
        drawn.use()
        drawn.clear(red, green, blue, 0.0 if background == "none" else 1.0, depth=1.0)
        part = width // max(1, len(shots))
        for k, shot in enumerate(shots):
            held = self._load(shot.head)
            if light and not self.on_chip:
                held.lighten()
            points: Array | None = None
            if self.on_chip:
                held.figure.pose(shot.weights, shot.turns)
            else:
                points, normals = held.figure.poser.pose(shot.weights, shot.turns)
                held.figure.show(points, normals)
            lit, key = _light(shot.framing or held.framing)
            shadow = self._shadow(held, lit, fine, points, light)
            drawn.use()
            drawn.viewport = (k * part, 0, part, height)
            shadow.use(0)
            self._draw_one(shot, held, part / height, lit, key, fine, points, light)
        drawn.viewport = (0, 0, width, height)
        if fine:
            gl.copy_framebuffer(frame.ready, drawn)
        else:
            gl.enable_only(0)
            frame.ready.use()
            frame.picture.use(0)
            self._screen.render(moderngl.TRIANGLE_STRIP)
        data = np.frombuffer(frame.ready.read(components=4), np.uint8).reshape(height, width, 4)
        return np.ascontiguousarray(data[::-1])

    def framing(self, head: Head) -> Framing:
        """Where the face of a head is."""
        return self._load(head).framing

    def forget(self, head: Head) -> None:
        """Give back what a head holds on the chip."""
        held = self._loaded.pop(id(head), None)
        if held is not None:
            for part in held.parts:
                part.release()
            for shadow in held.shadows.values():
                shadow.texture.release()
            held.pictures.release()
            held.figure.release()

    def close(self) -> None:
        """Give everything back."""
        self._gl.release()

    # ------------------------------------------------------------------ inside
    def _draw_one(
        self, shot: Shot, held: _Loaded, aspect: float, lit: Doubles, key: Doubles, fine: bool,
        points: Array | None, light: bool,
    ) -> None:  # fmt: skip
        gl = self._gl
        framing = shot.framing or held.framing
        eye, target = eye_and_target(framing, shot.camera)
        size = framing.size
        away = float(np.linalg.norm(eye - target))
        matrix = perspective(aspect, max(0.02 * away, away - 4 * size), away + 6 * size)
        view = matrix @ look_at(eye, target, np.asarray(framing.up, float))
        places = None if points is None or shot.wire else projected(points, view)
        if shot.mirror:
            view = np.diag([-1.0, 1, 1, 1]) @ view
        taps, span = (2, 0.0022) if fine else (1, 0.0035)
        for paint in (self._fine,) if fine else self._quick.values():
            _tell(
                paint, view=_bytes(view), light=_bytes(lit), eye=tuple(eye), key=tuple(key),
                fill=_unit(FILL), rim=_unit(RIM), taps=taps, span=span, shadow=0, picture=1,
            )  # fmt: skip
        if fine:
            _tell(self._fine, grain=held.grain, fine=True, bumps=2)
        gl.wireframe = shot.wire
        gl.front_face = "cw" if shot.mirror else "ccw"
        gl.blend_func = (  # type: ignore[assignment]
            moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA,
            moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA,
        )  # fmt: skip
        for last in (False, True):  # what is seen through comes last
            for part in held.parts:
                veil = shot.through and part.group.outside
                if (veil or part.group.material.see_through) == last:
                    paint = self._surface(held, part, fine)
                    _tell(paint, opacity=0.28 if veil else 1.0)
                    both = part.group.material.two_sided or shot.wire
                    self._sides(both, blend=last)
                    kind: Kind = "fine" if fine else "quick"
                    part.render(kind, None if both else places, light=light)
        gl.wireframe = False
        gl.front_face = "ccw"

    def _sides(self, both: bool, *, blend: bool = False) -> None:
        """Draw what is nearest, of surfaces with one side only that."""
        self._gl.enable_only(
            moderngl.DEPTH_TEST
            | (0 if both else moderngl.CULL_FACE)
            | (moderngl.BLEND if blend else 0)
        )

    def _surface(self, held: _Loaded, part: Part, fine: bool) -> moderngl.Program:
        """Tell its program how a part looks."""
        material, picture = part.group.material, part.picture
        paint = self._fine if fine else self._quick[part.group.shiny, picture is not None]
        (picture or self._white).use(1)
        _tell(paint, pictured=picture is not None, cut=material.cut, tile=tile(material))
        if fine:
            bumps = held.pictures.get(material.normal_map, material)
            (bumps or self._white).use(2)
            _tell(paint, bumped=bumps is not None)
        return paint

    def _load(self, head: Head) -> _Loaded:
        held = self._loaded.get(id(head))
        if held is not None and held.head is head:
            return held
        poser = Poser(head)
        rest, normals = poser.pose({})
        framing = framing_of(head, rest)
        gl = self._gl
        figure = Figure(gl, self._pose, poser)
        moving = figure.moving
        still = gl.buffer(
            np.concatenate(
                [surfaces.still(head, rest, normals), scaled(rest, framing)], 1
            ).tobytes()
        )
        pictures, parts = Pictures(gl, head), []
        for group in groups_of(head, poser.first):
            picture = pictures.get(group.material.texture, group.material)
            quick = self._quick[group.shiny, picture is not None]
            posed = (moving, "3f 3f", "point", "normal")
            looks = (still, "3f 2f 2f 3f", "color", "surface", "uv", "rest")
            plain = (
                (still, "3f 2f 2f 12x", "color", "surface", "uv")
                if picture
                else (still, "3f 2f 20x", "color", "surface")
            )
            ways: dict[Kind, tuple[moderngl.Program, list[tuple[object, ...]]]] = {
                "quick": (quick, [posed, plain]),
                "fine": (self._fine, [posed, looks]),
                "cast": (self._deep, [(moving, "3f 12x", "point")]),
            }
            parts.append(Part(gl, group, picture, ways))
        grain = 1.0 if head.rig is not None else 0.0
        held = self._loaded[id(head)] = _Loaded(head, figure, parts, framing, grain, pictures)
        return held

    def _frame(self, width: int, height: int, fine: bool) -> _Frame:
        known = self._frames.get((width, height, fine))
        if known is None:
            gl = self._gl
            if len(self._frames) > 6:
                for frame in self._frames.values():
                    frame.drawn.release()
                    frame.ready.release()
                self._frames.clear()
            picture = gl.texture((width, height), 4)
            picture.repeat_x = picture.repeat_y = False
            samples = SAMPLES if fine else 0
            color = gl.renderbuffer((width, height), 4, samples=SAMPLES) if fine else picture
            drawn = gl.framebuffer(color, gl.depth_renderbuffer((width, height), samples=samples))
            ready = gl.framebuffer(gl.renderbuffer((width, height), 4))
            known = self._frames[width, height, fine] = _Frame(drawn, ready, picture)
        return known

    def _shadow(
        self, held: _Loaded, lit: Doubles, fine: bool, points: Array | None, light: bool
    ) -> moderngl.Texture:
        """The shadow of the key light; of quick pictures kept for some, while little moves.

        points: where vertices are, if that is known here.
        """
        if fine:
            texture = self._soft = self._soft or self._depth(FINE_SHADOW)
        else:
            kept = held.shadows.get(light)
            if kept is None:
                kept = held.shadows[light] = _Shadow(self._depth(SHADOW[light]))
            texture = kept.texture
            kept.age += 1
            near = MOVED[light] * held.framing.size
            if kept.age % KEPT and points is not None and kept.at is not None:
                if float(np.abs(points - kept.at).max(initial=0.0)) < near:
                    return texture
            kept.at = points
        places = None if points is None else projected(points, lit)
        frame = self._gl.framebuffer(depth_attachment=texture)
        frame.use()
        frame.clear(depth=1.0)
        _tell(self._deep, light=_bytes(lit))
        for part in held.parts:
            if part.group.casting:
                both = part.group.material.two_sided
                self._sides(both)
                part.render("cast", None if both else places, light=light)
        frame.release()
        return texture

    def _depth(self, size: int) -> moderngl.Texture:
        texture = self._gl.depth_texture((size, size))
        texture.compare_func = ""
        texture.repeat_x = texture.repeat_y = False
        return texture


def _tell(program: moderngl.Program, **values: Any) -> None:
    """Set uniforms; matrices as bytes."""
    for name, value in values.items():
        uniform = program.get(name, None)  # what a shader does not use is not there
        if isinstance(uniform, moderngl.Uniform):
            if isinstance(value, bytes):
                uniform.write(value)
            else:
                uniform.value = value


def _light(framing: Framing) -> tuple[Doubles, Doubles]:
    """The matrix from the world to the key light, and the way to it."""
    up, front = np.asarray(framing.up, float), np.asarray(framing.front, float)
    left = np.cross(up, front)
    x, y, z = _unit(KEY)
    key = x * left + y * up + z * front
    size = framing.size
    target = np.asarray(framing.mouth) + size * (0.12 * up - 0.25 * front)
    wide = 0.80 * size
    box = np.diag([1 / wide, 1 / wide, -1 / (1.3 * size), 1.0])
    box[2, 3] = -2.5 / 1.3
    return box @ look_at(target + key * 2.5 * size, target, up), key


def _unit(v: tuple[float, float, float]) -> tuple[float, float, float]:
    x, y, z = np.asarray(v) / np.linalg.norm(v)
    return float(x), float(y), float(z)


def _bytes(matrix: Doubles) -> bytes:
    return matrix.T.astype("f4").tobytes()
