"""All characters of a scene as OpenUSD: a layer that refers to one for each, where its speaker stands, all on the
scene's time."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..errors import SaveError
from ..files import DISK, make_folder
from ..production.documents import slugify
from ..progress import Progress
from ..stage.views import framing_from, framing_of
from .filming import Filming
from .handing import Handing
from .head_usd import head_layer
from .scene_gltf import HEADS, USUAL, points_of
from .usd_animation import ENDINGS, to_usda


def save_scene_usd(filming: Filming, path: Path, *, progress: Progress | None = None) -> list[str]:
    """Write a scene as .usda, with a layer beside it for each head; who was left out, in words. SaveError
    where nobody has a head."""
    from pxr import Sdf, Tf, Usd, UsdGeom

    told, said = progress or (lambda _: None), list[str]()
    scene, fps = filming.scene, float(filming.look.fps)
    layer = Sdf.Layer.CreateAnonymous(".usda")
    stage = Usd.Stage.Open(layer)
    stage.SetTimeCodesPerSecond(fps)
    stage.SetFramesPerSecond(fps)
    stage.SetStartTimeCode(0)
    stage.SetEndTimeCode(filming.frames - 1)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/Scene").GetPrim())
    files: dict[Path, bytes] = {}
    taken: set[str] = set()
    referred: dict[str, Any] = {}
    for k, speaker in enumerate(scene.speakers):
        told(k / len(scene.speakers))
        slug = slugify(speaker, taken)
        taken.add(slug)
        beside = path.with_name(f"{path.stem}.{slug}.usda")
        try:
            data, size, root = _head(filming, speaker, beside)
        except SaveError as error:
            said.append(f"{speaker}: {error}")
            continue
        files[beside] = data
        place = scene.place(speaker)
        prim = UsdGeom.Xform.Define(stage, f"/Scene/{Tf.MakeValidIdentifier(slug)}")
        prim.GetPrim().SetDisplayName(speaker)
        prim.AddTranslateOp().Set((place.right, 0.0, -place.back))
        prim.AddRotateYOp().Set(-place.turn)
        if size != 1.0:
            prim.AddScaleOp().Set((size, size, size))
        inner = stage.DefinePrim(prim.GetPath().AppendChild("Model")).GetPath()
        referred[str(inner)] = Sdf.Reference(f"./{beside.name}", root or Sdf.Path())
    if not files:
        raise SaveError(" ".join(said) or "Nobody speaks in this scene.")
    del stage  # it would look for what is not written yet
    for inner, reference in referred.items():
        layer.GetPrimAtPath(inner).referenceList.prependedItems.append(reference)
    make_folder(path.parent)
    DISK.write_all({**files, path: str(layer.ExportToString()).encode()})
    return said


def _head(filming: Filming, speaker: str, beside: Path) -> tuple[bytes, float, Any]:
    """A head's layer, its size, and the prim to refer to if it says none itself."""
    from pxr import Usd

    character = filming.production.character_for(speaker)
    if character.drawings is not None:
        raise SaveError("is drawn and has no model to be written.")
    dressed, dress = filming.dress(speaker)
    framing = framing_from(dressed.framing) or framing_of(dressed.head, points_of(dressed.head))
    size = 1.0 if HEADS[0] <= framing.size <= HEADS[1] else USUAL / framing.size
    model = dressed.head.path
    if model.suffix.lower() not in ENDINGS:
        return head_layer(dress, dressed), size, ""
    data = to_usda(dress, dressed, Handing(name=filming.scene.slug), beside)
    source = Usd.Stage.Open(str(model))
    if source.GetDefaultPrim().IsValid():
        return data, size, ""
    first = next(iter(source.GetPseudoRoot().GetChildren()), None)
    return data, size, first.GetPath() if first is not None else ""
