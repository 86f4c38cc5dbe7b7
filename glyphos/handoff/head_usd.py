"""A head of a glTF file, with a motion, as OpenUSD: meshes with blend shapes, nodes that turn, bones of skins
(UsdGeom and UsdSkel). Textures stay with the glTF file; colours are taken over."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..characters.dressing import Dress, Dressed
from ..characters.head import Head, Piece
from ..characters.posing import Poser
from .gltf_animation import target_weights, turned_nodes

ROOT = "/Head"


def head_layer(dress: Dress, dressed: Dressed) -> bytes:
    """The layer as text; its default prim is the head, ready to be referenced."""
    from pxr import Sdf, Tf, Usd, UsdGeom, UsdSkel, Vt

    head = dressed.head
    layer = Sdf.Layer.CreateAnonymous(".usda")
    stage = Usd.Stage.Open(layer)
    stage.SetTimeCodesPerSecond(float(dress.fps))
    stage.SetFramesPerSecond(float(dress.fps))
    stage.SetStartTimeCode(0)
    stage.SetEndTimeCode(dress.frames - 1)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    root = UsdSkel.Root.Define(stage, ROOT)
    stage.SetDefaultPrim(root.GetPrim())
    order = _order(head)
    joints = [_tokens(head)[k] for k in order]
    at = np.argsort(order)  # where a node stands among joints
    skeleton = UsdSkel.Skeleton.Define(stage, f"{ROOT}/Skeleton")
    skeleton.CreateJointsAttr(Vt.TokenArray(joints))
    worlds = Poser(head).worlds({})
    skeleton.CreateRestTransformsAttr(
        Vt.Matrix4dArray([_matrix(head.nodes[k].matrix) for k in order])
    )
    bound = _bound(head, worlds)
    skeleton.CreateBindTransformsAttr(Vt.Matrix4dArray([_matrix(bound[k]) for k in order]))
    animation = UsdSkel.Animation.Define(stage, f"{ROOT}/Skeleton/Motion")
    UsdSkel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([animation.GetPath()])  # fmt: skip
    targets = {n: v for n, v in target_weights(dress, head).items() if np.any(v)}
    names = [t for t in head.targets if t in targets]
    safe = {n: f"t{k}_{Tf.MakeValidIdentifier(n)}" for k, n in enumerate(names)}
    animation.CreateBlendShapesAttr(Vt.TokenArray([safe[n] for n in names]))
    weights = animation.CreateBlendShapeWeightsAttr()
    rows = np.stack([targets[n] for n in names], 1) if names else np.zeros((dress.frames, 0))
    for frame, row in enumerate(rows):
        weights.Set(Vt.FloatArray([float(v) for v in row]), Usd.TimeCode(frame))
    _turn(animation, head, dress)
    for number, piece in enumerate(head.pieces):
        _mesh(stage, piece, number, at, skeleton.GetPath(), safe, head)
    return str(layer.ExportToString()).encode()


def _order(head: Head) -> list[int]:
    """Nodes, parents before children, as UsdSkel wants joints."""

    def deep(k: int) -> int:
        parent = head.nodes[k].parent
        return 0 if parent < 0 else 1 + deep(parent)

    return sorted(range(len(head.nodes)), key=lambda k: (deep(k), k))


def _tokens(head: Head) -> list[str]:
    """Nodes as joints: each named by its number and its way from the top."""
    from pxr import Tf

    made: list[str] = []

    def token(k: int) -> str:
        node = head.nodes[k]
        own = f"n{k}_{Tf.MakeValidIdentifier(node.name or 'node')}"
        return own if node.parent < 0 else f"{token(node.parent)}/{own}"

    for k in range(len(head.nodes)):
        made.append(token(k))
    return made


def _bound(head: Head, worlds: list[Any]) -> list[Any]:
    """Where joints stand when meshes are bound to them: as their skin says, else as they are."""
    made = list(worlds)
    for skin in head.skins:
        for joint, inverse in zip(skin.joints, skin.inverse, strict=True):
            made[joint] = np.linalg.inv(inverse)
    return made


def _matrix(matrix: Any) -> Any:
    """USD multiplies rows from the left."""
    from pxr import Gf

    return Gf.Matrix4d(np.asarray(matrix, float).T.tolist())


def _turn(animation: Any, head: Head, dress: Dress) -> None:
    """All joints, and those of them that move frame by frame."""
    from pxr import Gf, Usd, Vt
    from scipy.spatial.transform import Rotation

    moved: dict[int, dict[str, Any]] = {}
    for node, (path, values) in turned_nodes(dress, head):
        moved.setdefault(node, {})[path] = values
    if not moved:
        return
    order = [k for k in _order(head) if k in moved]
    tokens = _tokens(head)
    animation.CreateJointsAttr(Vt.TokenArray([tokens[k] for k in order]))
    scales, places, turns = [], [], []
    for k in order:
        matrix = head.nodes[k].matrix
        scale = np.maximum(np.linalg.norm(matrix[:3, :3], axis=0), 1e-12)
        still = Rotation.from_matrix(matrix[:3, :3] / scale).as_quat()
        scales.append(scale)
        places.append(moved[k].get("translation", np.tile(matrix[:3, 3], (dress.frames, 1))))
        turns.append(moved[k].get("rotation", np.tile(still, (dress.frames, 1))))
    animation.CreateScalesAttr(Vt.Vec3hArray([Gf.Vec3h(*s.tolist()) for s in scales]))
    shifted, turned = animation.CreateTranslationsAttr(), animation.CreateRotationsAttr()
    for frame in range(dress.frames):
        time = Usd.TimeCode(frame)
        shifted.Set(Vt.Vec3fArray([Gf.Vec3f(*p[frame].tolist()) for p in places]), time)
        quats = [Gf.Quatf(float(q[frame][3]), *(float(x) for x in q[frame][:3])) for q in turns]
        turned.Set(Vt.QuatfArray(quats), time)


def _mesh(
    stage: Any, piece: Piece, number: int, at: Any, skeleton: Any, safe: dict[str, str], head: Head
) -> None:  # fmt: skip
    """A piece, bound to the node that it hangs on, or to its bones."""
    from pxr import Tf, UsdGeom, UsdSkel, Vt

    place = f"{ROOT}/m{number}_{Tf.MakeValidIdentifier(piece.name or 'piece')}"
    mesh = UsdGeom.Mesh.Define(stage, place)
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(piece.positions, np.float32)))  # fmt: skip
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(piece.faces), 3, np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(piece.faces.ravel().astype(np.int32)))
    mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(piece.normals, np.float32)))
    mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreateDoubleSidedAttr(piece.material.two_sided)
    base = np.asarray(piece.material.color[:3], np.float32)
    colors = base[None] if piece.colors is None else np.asarray(piece.colors, np.float32) * base
    shown = mesh.CreateDisplayColorPrimvar(UsdGeom.Tokens.constant if len(colors) == 1 else UsdGeom.Tokens.vertex)  # fmt: skip
    shown.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(colors[:, :3], np.float32)))
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets([skeleton])
    count = len(piece.positions)
    if piece.skin >= 0 and piece.joints is not None and piece.weights is not None:
        own = np.asarray(head.skins[piece.skin].joints)[piece.joints]
        shares = piece.weights
        bound = np.eye(4)
    else:  # it goes with its node as one
        own, shares = np.full((count, 1), piece.node), np.ones((count, 1), np.float32)
        bound = Poser(head).worlds({})[piece.node]
    width = own.shape[1]
    binding.CreateJointIndicesPrimvar(False, width).Set(Vt.IntArray.FromNumpy(at[own.ravel()].astype(np.int32)))  # fmt: skip
    binding.CreateJointWeightsPrimvar(False, width).Set(Vt.FloatArray.FromNumpy(np.asarray(shares, np.float32).ravel()))  # fmt: skip
    binding.CreateGeomBindTransformAttr(_matrix(bound))
    own_shapes = [(n, s) for n, s in piece.shapes.items() if n in safe and len(s.delta)]
    paths = []
    for name, shape in own_shapes:
        made = UsdSkel.BlendShape.Define(stage, f"{place}/{safe[name]}")
        made.CreateOffsetsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(shape.delta, np.float32)))  # fmt: skip
        if shape.where is not None:
            made.CreatePointIndicesAttr(Vt.IntArray.FromNumpy(np.asarray(shape.where, np.int32)))
        paths.append(made.GetPath())
    if paths:
        binding.CreateBlendShapesAttr(Vt.TokenArray([safe[n] for n, _ in own_shapes]))
        binding.CreateBlendShapeTargetsRel().SetTargets(paths)
