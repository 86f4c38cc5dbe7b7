"""Lines as a movie, in the background."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ....production.documents import Line
from ....progress import share
from ....rates import frame_rate
from ...drawing.words import counted
from ...model.context import Context
from ...model.jobs import Told

KINDS = "Movies (*.mp4 *.webm *.mov)"
SIZE = (1280, 720)


def film(context: Context, lines: Sequence[Line]) -> None:
    """Ask where to, and write one movie of lines, one after the other, with their sound."""
    from ....handoff.filming import Filming, Look, scene_from
    from ....scene.movie import check_film, write_film

    title = lines[0].slug if len(lines) == 1 else counted(len(lines), "line")
    scene = scene_from(lines, slug="movie", name=title)  # says first what cannot be shown
    production = context.document.production
    stem = lines[0].slug if len(lines) == 1 else production.folder.stem
    chosen = context.ask.save_file(f"Movie of {title}", f"{stem}.mp4", KINDS)
    if chosen is None:
        return
    path = chosen[0] if chosen[0].suffix else chosen[0].with_suffix(".mp4")
    check_film(path, SIZE)
    filming = Filming(scene, production, Look(frame_rate(production.header.fps), SIZE))
    filming.keep_off(path)

    def work(told: Told) -> Path:
        write_film(
            filming.film(progress=share(told, 0.0, 0.1)), path, progress=share(told, 0.1, 1.0)
        )
        return path

    context.jobs.submit(
        f"Filming {title}",
        work,
        lambda done: context.talk.say(f"The movie is written to {done}."),
        name="movie",
    )
