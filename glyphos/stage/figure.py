"""A head on the graphics chip: morph targets and bones applied there, as `Poser` does for measuring.

What targets do is kept in one texture, each from its first to its last vertex, brought there when
it is first used; a vertex shader adds up those that are active and lets the bones carry the sum
(linear blending, glTF 2.0, 3.7.3.2). Posed vertices are written to a buffer (transform feedback)
that shadow and picture are both drawn from. A test holds this and `Poser` together.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import moderngl
import numpy as np
from numpy.typing import NDArray

from ..characters.head import Array
from ..characters.posing import SEEN, Poser, Turns, of_normals

WIDTH = 1024  # vertices a row of the texture: two texels each, a move and a bend of the normal
FIRST_ROWS, MOST_ROWS = 64, 16_384
ACROSS = 7  # texels of a bone: four columns of its matrix, three of that for normals

POSE = """#version 330
uniform sampler2D deltas, acting, bones;
uniform int count;
in vec3 point, normal; in vec4 joints, shares;
out vec3 posed, bent;
vec4 cell(int bone, int column) { return texelFetch(bones, ivec2(column, bone), 0); }
void main() {
    vec3 p = point, n = normal;
    for (int i = 0; i < count; i++) {
        vec4 a = texelFetch(acting, ivec2(i, 0), 0);  // weight, first and last vertex, row
        int k = gl_VertexID - int(a.y);
        if (k >= 0 && gl_VertexID <= int(a.z)) {
            ivec2 at = ivec2(2 * (k % WIDTH), int(a.w) + k / WIDTH);
            p += a.x * texelFetch(deltas, at, 0).xyz;
            n += a.x * texelFetch(deltas, at + ivec2(1, 0), 0).xyz;
        }
    }
    posed = vec3(0); bent = vec3(0);
    for (int j = 0; j < 4; j++) if (shares[j] > 0.) {
        int b = int(joints[j]);
        posed += shares[j] * (cell(b, 0).xyz * p.x + cell(b, 1).xyz * p.y + cell(b, 2).xyz * p.z + cell(b, 3).xyz);
        bent += shares[j] * (cell(b, 4).xyz * n.x + cell(b, 5).xyz * n.y + cell(b, 6).xyz * n.z);
    }
}""".replace("WIDTH", str(WIDTH))


@dataclass(frozen=True)
class _Kept:
    """Where a target stands in the texture, and the vertices it reaches from and to."""

    row: int
    first: int
    last: int


class Figure:
    """One head; `moving` holds points and normals (n, 6 floats) of its last pose."""

    def __init__(self, gl: moderngl.Context, program: moderngl.Program, poser: Poser) -> None:
        """program: `pose_program`, shared by all figures of a context."""
        self._gl, self._program, self.poser = gl, program, poser
        points, normals = poser.shape
        self.count = len(points)
        joints, shares, self._bones = _carried(poser)
        rows = np.concatenate([points, normals, joints, shares], 1).astype("f4")
        still = gl.buffer(rows.tobytes() or b"\0" * 56)
        self.moving = gl.buffer(reserve=max(24, self.count * 24), dynamic=True)
        self._vao = gl.vertex_array(
            program, [(still, "3f 3f 4f 4f", "point", "normal", "joints", "shares")]
        )
        self._still = still
        self._rows = np.zeros((self.count, 6), np.float32)
        self._deltas = gl.texture((2 * WIDTH, FIRST_ROWS), 3, dtype="f4")
        self._matrices = gl.texture((ACROSS, max(1, len(self._bones))), 3, dtype="f4")
        self._active = gl.texture((1, 1), 4, dtype="f4")
        self._nowhere = gl.simple_framebuffer((1, 1))  # without one, nothing is computed at all
        self._kept: dict[tuple[str, int], _Kept] = {}
        self._used = 0
        self._most = min(MOST_ROWS, int(gl.info["GL_MAX_TEXTURE_SIZE"]))
        self._turns: object = None

    def pose(self, weights: Mapping[str, float], turns: Turns | None = None) -> None:
        """Put the head into a pose; arguments as those of `Poser.pose`."""
        if not self.count:
            return
        acting = {k: w for k, w in self.poser.targets(weights).items() if abs(w) > SEEN}
        if sum(self._room(k, n) for k in acting for n in self._numbers(k)) > self._most:
            self.show(*self.poser.pose(weights, turns))  # more than the chip holds at once
            return
        rows = self._rows_of(acting)
        if self._active.width < len(rows):
            self._active.release()
            self._active = self._gl.texture((2 * len(rows), 1), 4, dtype="f4")
        if len(rows):
            self._active.write(rows.tobytes(), viewport=(0, 0, len(rows), 1))
        self._turn(weights, turns or {})
        for unit, texture in enumerate((self._deltas, self._active, self._matrices)):
            texture.use(unit)
        for name, value in (("deltas", 0), ("acting", 1), ("bones", 2), ("count", len(rows))):
            uniform = self._program[name]
            assert isinstance(uniform, moderngl.Uniform)
            uniform.value = value
        self._nowhere.use()
        self._vao.transform(self.moving, moderngl.POINTS, vertices=self.count)

    def show(self, points: Array, normals: Array) -> None:
        """A pose that was found elsewhere: vertices and normals (n, 3)."""
        if len(points):
            np.concatenate([points, normals], 1, out=self._rows)
            self.moving.write(self._rows)

    def posed(self) -> tuple[Array, Array]:
        """Points and normals (n, 3) of the last pose, read back."""
        rows = np.frombuffer(self.moving.read(self.count * 24), np.float32).reshape(-1, 6)
        return rows[:, :3].copy(), rows[:, 3:].copy()

    def release(self) -> None:
        """Give back what it holds on the chip."""
        for held in (self._vao, self._still, self.moving, self._deltas, self._matrices,
                     self._active, self._nowhere):  # fmt: skip
            held.release()

    # ------------------------------------------------------------------ inside
    def _rows_of(self, weights: Mapping[str, float]) -> Array:
        """Of every active target of every piece: weight, first and last vertex, row (k, 4)."""
        wanted = [
            (key, number, weight)
            for key, weight in weights.items()
            for number in self._numbers(key)
        ]
        need = sum(self._room(key, number) for key, number, _ in wanted
                   if (key, number) not in self._kept)  # fmt: skip
        if self._used + need > self._deltas.height:
            self._grow(need, wanted)
        made = [(weight, self._place(key, number)) for key, number, weight in wanted]
        return np.array(
            [(weight, k.first, k.last, k.row) for weight, k in made], np.float32
        ).reshape(-1, 4)

    def _numbers(self, target: str) -> range:
        return range(len(self.poser.moves(target)))

    def _room(self, target: str, number: int) -> int:
        first, last = self.poser.moves(target)[number].reach
        return -(-(last - first + 1) // WIDTH)

    def _grow(self, need: int, wanted: list[tuple[str, int, float]]) -> None:
        """A larger texture; where that cannot be, one with what is active alone."""
        whole = self._used + need
        if whole > self._most:
            whole = sum(self._room(key, number) for key, number, _ in wanted)
        rows = min(max(2 * self._deltas.height, 1 << (whole - 1).bit_length()), self._most)
        self._deltas.release()
        self._deltas = self._gl.texture((2 * WIDTH, rows), 3, dtype="f4")
        self._kept.clear()
        self._used = 0

    def _place(self, target: str, number: int) -> _Kept:
        known = self._kept.get((target, number))
        if known is None:
            move = self.poser.moves(target)[number]
            first, last = move.reach
            rows = self._room(target, number)
            cells = np.zeros((rows * WIDTH, 2, 3), np.float32)
            cells[move.where - first, 0] = move.delta
            cells[move.where - first, 1] = move.bend
            self._deltas.write(cells.tobytes(), viewport=(0, self._used, 2 * WIDTH, rows))
            known = self._kept[target, number] = _Kept(self._used, first, last)
            self._used += rows
        return known

    def _turn(self, weights: Mapping[str, float], turns: Turns) -> None:
        all_turns = self.poser.turned(weights, turns)
        state = {k: m.tobytes() for k, m in all_turns.items()}
        if state == self._turns:
            return
        self._turns = state
        worlds = self.poser.worlds(all_turns)
        cells = np.zeros((max(1, len(self._bones)), ACROSS, 3), np.float32)
        for k, (node, inverse) in enumerate(self._bones):
            matrix = worlds[node] if inverse is None else worlds[node] @ inverse
            cells[k, :4] = matrix[:3, :4].T
            cells[k, 4:] = of_normals(matrix)
        self._matrices.write(cells.tobytes())


def pose_program(gl: moderngl.Context) -> moderngl.Program:
    """The program that poses heads."""
    return gl.program(vertex_shader=POSE, varyings=("posed", "bent"))


def _carried(
    poser: Poser,
) -> tuple[Array, Array, list[tuple[int, NDArray[np.float64] | None]]]:
    """What carries each vertex: numbers of bones and shares (n, 4), and the bones: a node, and the
    matrix from the mesh to it at rest (none for a piece that hangs on a node)."""
    head = poser.head
    bones: list[tuple[int, NDArray[np.float64] | None]] = []
    begins: dict[tuple[str, int], int] = {}
    joints, shares = [np.zeros((0, 4), np.float32)], [np.zeros((0, 4), np.float32)]
    for piece in head.pieces:
        kind = ("skin", piece.skin) if piece.skin >= 0 else ("node", piece.node)
        if kind not in begins:
            begins[kind] = len(bones)
            if piece.skin >= 0:
                skin = head.skins[piece.skin]
                bones += zip(skin.joints, skin.inverse, strict=True)
            else:
                bones.append((piece.node, None))
        count = len(piece.positions)
        if piece.skin >= 0:
            assert piece.joints is not None and piece.weights is not None
            joints.append(piece.joints.astype(np.float32) + begins[kind])
            shares.append(piece.weights.astype(np.float32))
        else:
            joints.append(np.full((count, 4), begins[kind], np.float32))
            shares.append(np.tile(np.array([1, 0, 0, 0], np.float32), (count, 1)))
    return np.concatenate(joints), np.concatenate(shares), bones
