"""Drawing heads off screen with OpenGL 3.3: one context, one thread, pixels out.

Nothing here knows of windows. Whoever made a Stage must use it from the same thread.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from ..characters.head import Doubles, Head, Material
from ..characters.posing import Poser, Turns
from ..errors import StageError
from . import shaders, surfaces
from .figure import Figure, pose_program
from .surfaces import Pictures, scaled, tile
from .views import VIEWS, Camera, Framing, eye_and_target, framing_of, look_at, perspective

SAMPLES = 4
SHINY = 0.55  # less rough than this glints
# Drivers that draw on the processor, on which sums over what is active are quicker in NumPy
SOFTWARE = ("llvmpipe", "softpipe", "swrast", "swiftshader")
KEPT = 4  # quick pictures with one shadow,
MOVED = 0.01  # if what targets do adds up to less than this share of the head
SHADOW = {False: 512, True: 1024}  # pixels of the shadow, by whether it is fine
BACKGROUNDS = {"paper": (214, 204, 186), "night": (32, 34, 40), "none": (0, 0, 0)}
KEY, FILL, RIM = (-0.46, 0.52, 0.72), (0.85, 0.05, 0.65), (0.55, 0.45, -0.75)
OURS = "Glyphos"
THIN = ("spectacles",)  # shadows of these would confuse the eye
OUTSIDE = ("skin", "shell", "jaw", "mouth", "lid", "brow")  # what teeth are seen through
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
class _Loaded:
    """A head on the graphics chip."""

    head: Head
    figure: Figure
    pieces: list[tuple[dict[bool, moderngl.VertexArray], Material, str]]
    cast: moderngl.VertexArray
    framing: Framing
    grain: float
    pictures: Pictures
    shadow: moderngl.Texture | None = None  # of quick pictures
    age: int = 0  # pictures since it was made
    cast_at: tuple[Mapping[str, float], Turns] = field(default_factory=lambda: ({}, {}))


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
        self._quick = self._gl.program(shaders.QUICK_VERTEX, shaders.QUICK_FRAGMENT)
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
        fine: bool = False,
    ) -> Pixels:  # fmt: skip
        """A picture (height, width, 4) of heads side by side.

        fine: with the grain of clay and softer shadows, for pictures that stay.
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
            if self.on_chip:
                held.figure.pose(shot.weights, shot.turns)
            else:
                held.figure.show(*held.figure.poser.pose(shot.weights, shot.turns))
            light, key = _light(shot.framing or held.framing)
            gl.enable_only(moderngl.DEPTH_TEST)
            shadow = self._shadow(held, light, fine, shot)
            drawn.use()
            drawn.viewport = (k * part, 0, part, height)
            shadow.use(0)
            self._draw_one(shot, held, part / height, light, key, fine)
        drawn.viewport = (0, 0, width, height)
        if fine:
            gl.copy_framebuffer(frame.ready, drawn)
        else:
            gl.enable_only(0)
            frame.ready.use()
            frame.picture.use(0)
            _tell(self._edges, drawn=0, step1=(1 / width, 1 / height))
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
            for vaos, _, _ in held.pieces:
                for vao in vaos.values():
                    vao.release()
            if held.shadow is not None:
                held.shadow.release()
            held.pictures.release()
            held.cast.release()
            held.figure.release()

    def close(self) -> None:
        """Give everything back."""
        self._gl.release()

    # ------------------------------------------------------------------ inside
    def _draw_one(
        self, shot: Shot, held: _Loaded, aspect: float, light: Doubles, key: Doubles, fine: bool
    ) -> None:
        gl, paint = self._gl, self._fine if fine else self._quick
        framing = shot.framing or held.framing
        eye, target = eye_and_target(framing, shot.camera)
        size = framing.size
        away = float(np.linalg.norm(eye - target))
        matrix = perspective(aspect, max(0.02 * away, away - 4 * size), away + 6 * size)
        if shot.mirror:
            matrix = np.diag([-1.0, 1, 1, 1]) @ matrix
        view = matrix @ look_at(eye, target, np.asarray(framing.up, float))
        taps, span = (2, 0.0022) if fine else (1, 0.0035)
        _tell(
            paint, view=_bytes(view), light=_bytes(light), eye=tuple(eye), key=tuple(key),
            fill=_unit(FILL), rim=_unit(RIM), taps=taps, span=span, shadow=0, picture=1,
        )  # fmt: skip
        if fine:
            _tell(paint, grain=held.grain, fine=True, bumps=2)
        gl.wireframe = shot.wire
        for last in (False, True):  # what is seen through comes last
            for vaos, material, name in held.pieces:
                veil = shot.through and name.startswith(OUTSIDE)
                if (veil or material.see_through) != last:
                    continue
                self._surface(held, material, fine)
                _tell(paint, opacity=0.28 if veil else 1.0)
                flags = moderngl.DEPTH_TEST
                if not material.two_sided and not shot.wire:
                    flags |= moderngl.CULL_FACE
                gl.enable_only(flags | (moderngl.BLEND if last else 0))
                gl.front_face = "cw" if shot.mirror else "ccw"
                gl.blend_func = (  # type: ignore[assignment]
                    moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA,
                    moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA,
                )  # fmt: skip
                vaos[fine].render()
        gl.wireframe = False
        gl.front_face = "ccw"

    def _surface(self, held: _Loaded, material: Material, fine: bool) -> None:
        paint = self._fine if fine else self._quick
        picture = held.pictures.get(material.texture, material)
        (picture or self._white).use(1)
        _tell(paint, pictured=picture is not None, cut=material.cut, tile=tile(material))
        if fine:
            bumps = held.pictures.get(material.normal_map, material)
            (bumps or self._white).use(2)
            _tell(paint, bumped=bumps is not None)
        else:
            _tell(paint, shiny=material.rough < SHINY)

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
        pieces, casts = [], []
        for k, piece in enumerate(head.pieces):
            faces = piece.faces + np.uint32(poser.first[k])
            if not len(faces):
                continue
            order = gl.buffer(faces.astype("u4").tobytes())
            fine = [
                (moving, "3f 3f", "point", "normal"),
                (still, "3f 2f 2f 3f", "color", "surface", "uv", "rest"),
            ]
            quick = [fine[0], (still, "3f 2f 2f 12x", "color", "surface", "uv")]
            vaos = {
                True: gl.vertex_array(self._fine, fine, order),
                False: gl.vertex_array(self._quick, quick, order),
            }
            pieces.append((vaos, piece.material, piece.name))
            if not piece.name.startswith(THIN) and not piece.material.see_through:
                casts.append(faces)
        order = gl.buffer(
            np.concatenate([np.zeros((0, 3), "u4"), *casts]).astype("u4").tobytes() or b"\0" * 12
        )
        cast = gl.vertex_array(self._deep, [(moving, "3f 12x", "point")], order)
        grain = 1.0 if head.rig is not None else 0.0
        held = self._loaded[id(head)] = _Loaded(
            head, figure, pieces, cast, framing, grain, Pictures(gl, head)
        )
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

    def _shadow(self, held: _Loaded, light: Doubles, fine: bool, shot: Shot) -> moderngl.Texture:
        """The shadow of the key light; of quick pictures kept for some, since only lips move."""
        size = held.framing.size
        if fine:
            texture = self._soft = self._soft or self._depth(SHADOW[True])
        else:
            texture = held.shadow = held.shadow or self._depth(SHADOW[False])
            held.age += 1
            if held.age % KEPT and self._cast_still(held, shot, size):
                return texture
            held.cast_at = (dict(shot.weights), dict(shot.turns))
        frame = self._gl.framebuffer(depth_attachment=texture)
        frame.use()
        frame.clear(depth=1.0)
        _tell(self._deep, light=_bytes(light))
        held.cast.render()
        frame.release()
        return texture

    def _cast_still(self, held: _Loaded, shot: Shot, size: float) -> bool:
        """Whether the kept shadow is nearly that of this pose."""
        weights, turns = held.cast_at
        if held.age == 1 or {k: m.tobytes() for k, m in shot.turns.items()} != {
            k: m.tobytes() for k, m in turns.items()
        }:
            return False
        poser, far = held.figure.poser, 0.0
        now, then = poser.targets(shot.weights), poser.targets(weights)
        for target in now.keys() | then.keys():
            if change := abs(now.get(target, 0.0) - then.get(target, 0.0)):
                far += change * poser.farthest(target)
        return far < MOVED * size

    def _depth(self, size: int) -> moderngl.Texture:
        texture = self._gl.depth_texture((size, size))
        texture.compare_func = ""
        texture.repeat_x = texture.repeat_y = False
        return texture


def _tell(program: moderngl.Program, **values: Any) -> None:
    """Set uniforms; matrices as bytes."""
    for name, value in values.items():
        uniform = program[name]
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
