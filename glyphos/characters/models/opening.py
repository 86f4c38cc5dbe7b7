"""Opening a head from whatever file it is in: the one way for window, shell and Python."""

from __future__ import annotations

from pathlib import Path

from ...errors import ModelError
from ...progress import Progress
from ..builtin import BUILTIN, builtin
from ..head import Head
from ..sources import USD
from .bones import with_jaw, with_poses
from .container import read_container
from .gltf import read_gltf
from .looking import with_looks
from .usd import read_usd
from .vrm import bones_of, vrm_version

GLTF = (".glb", ".gltf", ".vrm")
ENDINGS = (*GLTF, *USD)


def open_head(
    path: str | Path, *, poses: Path | None = None, progress: Progress | None = None
) -> Head:
    """A head from a model's file, or one of ours by its name.

    poses: a list of poses that the file's animation holds; by default the .poses of the same name
    beside it, where the file has an animation. Raises ModelError, one sentence, for what
    cannot be used.
    """
    if str(path) in BUILTIN:
        return builtin(str(path))
    path = Path(path)
    ending = path.suffix.lower()
    if ending in USD:
        return with_looks(read_usd(path, progress=progress))
    if ending not in GLTF:
        raise ModelError(
            f"{path.name} is no model that Glyphos reads; choose one that ends in {', '.join(ENDINGS)}."
        )
    head = read_gltf(path, progress=progress)
    if head.rig is not None:
        return head
    container = read_container(path)
    bones, old = bones_of(container), vrm_version(container) == "0"
    head = with_looks(head, bones, backwards=old)
    beside = poses or path.with_suffix(".poses")
    if poses is not None or (beside.is_file() and container.items("animations")):
        return with_poses(head, container, beside)
    return with_jaw(head, bones)
