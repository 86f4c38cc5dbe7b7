"""A character that is named in the shell: a fitting, a model, drawings, or one of ours."""

from __future__ import annotations

from pathlib import Path

from ..characters.builtin import SETS, set_path
from ..characters.drawings.documents import Drawings, decode_drawings, is_drawings
from ..characters.dressing import Dressed
from ..characters.fittings import carried_over, digest_of, open_fitting
from ..characters.models.opening import open_head
from ..progress import Progress
from .talk import messages


def dressed_from(source: str, *, progress: Progress | None = None) -> Dressed:
    """The character of a fitting or a model; what changed since it was fitted is told."""
    path = Path(source)
    if path.suffix.lower() != ".json":
        return Dressed(open_head(source), progress=progress)
    fitting, model = open_fitting(path)
    head = open_head(model)
    if fitting.digest and fitting.digest != digest_of(model):
        fitting, said = carried_over(fitting, head)
        messages.print(
            f"{model.name} changed since it was fitted" + (": " + ", ".join(said) if said else ""),
        )
    return Dressed(head, fitting, progress=progress)


def is_drawn(source: str) -> bool:
    """Whether a character is one of drawings: a document of them, a folder, or a set of ours."""
    path = Path(source)
    if path.suffix.lower() == ".json" and path.is_file():
        return is_drawings(path.read_bytes())
    return path.is_dir() or source in SETS


def drawings_from(source: str) -> tuple[Drawings, Path]:
    """The drawings of a character, and the folder that they lie in."""
    from ..characters.drawings.reading import read_drawings

    path = Path(source)
    if path.is_file():
        return decode_drawings(path.read_bytes(), path.name), path.parent
    found = read_drawings(path if path.is_dir() else set_path(source))
    return found.drawings, found.folder
