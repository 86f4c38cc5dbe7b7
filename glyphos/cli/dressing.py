"""A character that is named in the shell: a fitting, a model, or one of ours."""

from __future__ import annotations

from pathlib import Path

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
            markup=False,
        )
    return Dressed(head, fitting, progress=progress)
