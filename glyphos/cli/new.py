"""`glyphos new`: an empty production."""

from __future__ import annotations

from pathlib import Path
from shlex import quote
from typing import Annotated

import typer

from .talk import messages


def new(
    folder: Annotated[str, typer.Argument(help="The folder to make, such as my-show.glyphos.")],
    name: Annotated[str | None, typer.Option(help="What the production is called.")] = None,
    fps: Annotated[str, typer.Option(help="Frames a second.")] = "24",
    language: Annotated[str, typer.Option(help="Usual language of its lines.")] = "en",
) -> None:
    """Make a new, empty production."""
    from ..production.production import Production
    from ..rates import frame_rate
    from ..speech.espeak import voice_for

    frame_rate(fps)
    voice_for(language)
    Production.create(folder, name=name or Path(folder).stem, fps=fps, language=language)
    messages.print(f"{folder} made; bring in lines with: glyphos add {quote(folder)} FILES…")
