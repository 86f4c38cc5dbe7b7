"""Heads from OpenUSD files: meshes with the blend shapes of UsdSkel, through usd-core."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from ...errors import ModelError
from ...progress import Progress
from ..head import Head, Material, Node, Piece, Shape
from ..posing import face_normals

UP = {"Z": np.array([[1.0, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]])}
PLAIN = (0.8, 0.75, 0.7, 1.0)


def read_usd(path: Path, *, progress: Progress | None = None) -> Head:
    """A head from a .usd, .usda, .usdc or .usdz file; ModelError with a sentence if it cannot be
    used."""
    try:
        from pxr import Tf, Usd
    except ImportError:
        raise ModelError(
            f"{path.name} needs usd-core, which is not installed; run `make setup` again."
        ) from None
    if not path.is_file():
        raise ModelError(f"There is no file {path}; check its name.")
    try:
        stage = Usd.Stage.Open(str(path))
        if stage is not None:
            return _head(stage, path, progress)
    except (Tf.ErrorException, TypeError, ValueError, OverflowError):
        pass  # numbers of another kind or count than the schema has
    raise ModelError(f"{path.name} is not a USD file, or damaged; export it again.")


def _head(stage: Any, path: Path, progress: Progress | None) -> Head:
    from pxr import UsdGeom

    prims = [p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    if not prims:
        raise ModelError(f"There is no mesh in {path.name}; export the head with its meshes.")
    base = UP.get(str(UsdGeom.GetStageUpAxis(stage)), np.eye(4))
    cache = UsdGeom.XformCache()
    nodes, pieces, targets = [], [], []
    for number, prim in enumerate(prims):
        if progress is not None:
            progress(number / len(prims))
        matrix = base @ np.array(cache.GetLocalToWorldTransform(prim)).T
        nodes.append(Node(str(prim.GetPath()), -1, matrix))
        shapes, names = _shapes(prim, path)
        pieces.append(_piece(prim, number, shapes, path))
        targets += [n for n in names if n not in targets]
    return Head(path.stem, path, tuple(pieces), tuple(nodes), targets=tuple(targets))


def _piece(prim: Any, node: int, shapes: dict[str, Shape], path: Path) -> Piece:
    from pxr import UsdGeom

    mesh = UsdGeom.Mesh(prim)
    points = _places(mesh.GetPointsAttr().Get())
    counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
    order = np.asarray(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
    if (
        not len(points)
        or counts.sum() != len(order)
        or (len(order) and not 0 <= order.min() <= order.max() < len(points))
    ):
        raise ModelError(f"The mesh {prim.GetName()} of {path.name} is damaged; export it again.")
    faces = _triangles(counts, order)
    if str(mesh.GetOrientationAttr().Get()) == "leftHanded":
        faces = faces[:, ::-1]
    for name, shape in shapes.items():
        if (
            shape.where is not None
            and len(shape.where)
            and not 0 <= shape.where.min() <= shape.where.max() < len(points)
        ):
            raise ModelError(
                f"The blend shape “{name}” of {path.name} moves points that are not there; export it again."
            )
        if shape.where is None and len(shape.delta) != len(points):
            raise ModelError(
                f"The blend shape “{name}” of {path.name} has another number of points than its mesh; export it again."
            )
    colors = None
    shown = mesh.GetDisplayColorAttr().Get()
    if shown is not None and len(shown) in (1, len(points)):
        colors = np.broadcast_to(np.asarray(shown, np.float32), (len(points), 3)).copy()
    material = Material(color=PLAIN if colors is None else (1.0, 1.0, 1.0, 1.0), two_sided=True)
    normals = face_normals(points, faces)
    return Piece(
        prim.GetName(),
        node,
        points,
        normals,
        faces.astype(np.uint32),
        material,
        colors,
        None,
        shapes,
    )


def _places(values: Any) -> np.ndarray:
    """(n, 3), what is no number as 0."""
    rows = np.asarray([] if values is None else values, np.float32).reshape(-1, 3)
    return np.nan_to_num(rows, nan=0.0, posinf=0.0, neginf=0.0)


def _triangles(counts: np.ndarray, order: np.ndarray) -> np.ndarray:
    """Polygons as fans of triangles."""
    starts = np.cumsum(counts) - counts
    made = []
    for size in np.unique(counts):
        if size < 3:
            continue
        first = starts[counts == size]
        for k in range(1, int(size) - 1):
            made.append(np.stack([order[first], order[first + k], order[first + k + 1]], 1))
    return np.concatenate(made) if made else np.zeros((0, 3), np.int64)


def _shapes(prim: Any, path: Path) -> tuple[dict[str, Shape], list[str]]:
    from pxr import UsdSkel

    binding = UsdSkel.BindingAPI(prim)
    names = [str(n) for n in binding.GetBlendShapesAttr().Get() or []]
    paths = binding.GetBlendShapeTargetsRel().GetTargets()
    if len(names) != len(paths):
        raise ModelError(
            f"{path.name} names {len(names)} blend shapes but has {len(paths)}; export it again."
        )
    found: dict[str, Shape] = {}
    for name, place in zip(names, paths, strict=True):
        shape = UsdSkel.BlendShape(prim.GetStage().GetPrimAtPath(place))
        if not shape:
            raise ModelError(
                f"The blend shape “{name}” of {path.name} is not there; export it again."
            )
        delta = _places(shape.GetOffsetsAttr().Get())
        index = shape.GetPointIndicesAttr().Get()
        where = None if index is None or not len(index) else np.asarray(index, np.intp)
        if where is not None and len(where) != len(delta):
            raise ModelError(
                f"The blend shape “{name}” of {path.name} is damaged; export it again."
            )
        if where is None:
            found[name] = Shape(None, delta)
        else:
            found[name] = Shape(where, delta)
    return found, names
