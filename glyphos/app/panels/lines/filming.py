"""Lines as a movie, in the background."""

from __future__ import annotations

from collections.abc import Sequence

from ....production.documents import Line
from ...drawing.words import counted
from ...model.context import Context


def film(context: Context, lines: Sequence[Line]) -> None:
    """Ask where to, and write one movie of lines, one after the other, with their sound."""
    from ....handoff.filming import scene_from
    from ...dialogs.movie import make_movie

    title = lines[0].slug if len(lines) == 1 else counted(len(lines), "line")
    scene = scene_from(lines, slug="movie", name=title)  # says first what cannot be shown
    stem = lines[0].slug if len(lines) == 1 else context.document.folder.stem
    make_movie(context, scene, title, stem)
