"""OpenUSD: a layer with blend-shape weights, and turns of head and eyes where the skeleton has joints for them,
that stands over the person's own file."""

from __future__ import annotations

from pathlib import Path

from ..characters.dressing import Dress, Dressed
from ..errors import SaveError
from .gltf_animation import target_weights
from .handing import Handing
from .usd_joints import turning

ENDINGS = (".usd", ".usda", ".usdc", ".usdz")


def to_usda(dress: Dress, dressed: Dressed, handing: Handing, path: Path) -> bytes:
    """The layer as text; SaveError for a model that is no USD or has no skeleton to animate."""
    import os

    from pxr import Gf, Sdf, Tf, Usd, UsdSkel, Vt

    model = dressed.head.path
    if model.suffix.lower() not in ENDINGS:
        raise SaveError(
            f"{model.name} is no USD file, so no layer can stand over it; choose .glb, .csv or .json."
        )
    source = Usd.Stage.Open(str(model))
    skeletons = [p for p in source.Traverse() if p.IsA(UsdSkel.Skeleton)]
    if not skeletons:
        raise SaveError(
            f"{model.name} has no skeleton to hang blend shapes on; export it with UsdSkel."
        )
    targets = target_weights(dress, dressed.head)
    names = [t for t in dressed.head.targets if t in targets]
    layer = Sdf.Layer.CreateAnonymous(".usda")
    layer.subLayerPaths.append(str(model.resolve()))
    stage = Usd.Stage.Open(layer)
    stage.SetTimeCodesPerSecond(float(dress.fps))
    stage.SetFramesPerSecond(float(dress.fps))
    stage.SetStartTimeCode(handing.first_frame)
    stage.SetEndTimeCode(handing.first_frame + dress.frames - 1)
    for key in ("upAxis", "metersPerUnit"):
        if source.HasAuthoredMetadata(key):
            stage.SetMetadata(key, source.GetMetadata(key))
    if (first := source.GetDefaultPrim()).IsValid():
        layer.defaultPrim = first.GetName()
    for skeleton in skeletons:
        place = skeleton.GetPath().AppendChild("glyphos_" + Tf.MakeValidIdentifier(handing.name))
        animation = UsdSkel.Animation.Define(stage, place)
        animation.CreateBlendShapesAttr(Vt.TokenArray(names))
        weights = animation.CreateBlendShapeWeightsAttr()
        for frame in range(dress.frames):
            row = [float(targets[n][frame]) for n in names]
            weights.Set(Vt.FloatArray(row), Usd.TimeCode(frame + handing.first_frame))
        joints = turning(source.GetPrimAtPath(skeleton.GetPath()), dress.turns, dress.frames)
        if joints:
            animation.CreateJointsAttr(Vt.TokenArray([j.token for j in joints]))
            animation.CreateTranslationsAttr(
                Vt.Vec3fArray([Gf.Vec3f(*j.translation.tolist()) for j in joints])
            )
            animation.CreateScalesAttr(Vt.Vec3hArray([Gf.Vec3h(*j.scale.tolist()) for j in joints]))
            turned = animation.CreateRotationsAttr()
            for frame in range(dress.frames):
                quats = [Gf.Quatf(*j.rotations[frame].tolist()) for j in joints]
                turned.Set(Vt.QuatfArray(quats), Usd.TimeCode(frame + handing.first_frame))
        over = stage.OverridePrim(skeleton.GetPath())
        UsdSkel.BindingAPI.Apply(over).CreateAnimationSourceRel().SetTargets([place])
    beside = Path(os.path.relpath(model.resolve(), path.resolve().parent)).as_posix()
    return str(layer.ExportToString()).replace(f"@{model.resolve()}@", f"@{beside}@").encode()
