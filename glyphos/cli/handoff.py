"""`glyphos handoff`: files for other programs, of the lines of a production."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ..errors import ScriptError
from ..handoff.deliver import CHARACTER_FORMATS, CURVES, TIMINGS, Wish, deliver, plan
from ..handoff.drawn import FORMATS
from ..handoff.handed import delivered
from .talk import Folder, counted, messages, progress, tell_left_out


def handoff(
    production: Folder,
    output: Annotated[str, typer.Option("-o", "--output", help="The folder to write into.")],
    line: Annotated[list[str] | None, typer.Option(help="Only this line (may be given again).")] = None,
    curves: Annotated[str, typer.Option(help=f"Curves as: {', '.join(CURVES)} or none.")] = "csv",
    timing: Annotated[str, typer.Option(help=f"Timing as: {', '.join(TIMINGS)} or none.")] = "none",
    character: Annotated[str, typer.Option(help=f"Each line on its character, as: {', '.join(CHARACTER_FORMATS)} or none.")] = "none",
    drawings: Annotated[str, typer.Option(help=f"Lines of characters of drawings, as: {', '.join(FORMATS)} or none.")] = "none",
    names: Annotated[str, typer.Option(help="How files are named, with {line}, {speaker}, {character}.")] = "{line}",
    error: Annotated[float, typer.Option(help="Most error of a character's keys, per cent of the range.")] = 0.5,
    first_frame: Annotated[int, typer.Option(help="Number of a character's first frame.")] = 0,
    rest_before: Annotated[float, typer.Option(help="Seconds of rest before, on a character.")] = 0.0,
    rest_after: Annotated[float, typer.Option(help="Seconds of rest after, on a character.")] = 0.0,
    layers: Annotated[str, typer.Option(help="together, or apart: each layer by itself too.")] = "together",
    fps: Annotated[str | None, typer.Option(help="Frames a second; else the production's.")] = None,
) -> None:  # fmt: skip
    """Write curves and timing of a production's lines, as the Handoff page does."""
    from ..production.production import Production

    for given, known in (
        (curves, CURVES),
        (timing, TIMINGS),
        (character, CHARACTER_FORMATS),
        (drawings, FORMATS),
    ):
        if given != "none" and given not in known:
            raise typer.BadParameter(f"“{given}” is none of: {', '.join(known)}, none")
    if layers not in ("together", "apart"):
        raise typer.BadParameter("--layers is together or apart")
    shown = Production.open(production)
    for slug in line or ():
        if not shown.has(slug):
            raise ScriptError(
                f"There is no line “{slug}” in {production}; `glyphos lines` lists them."
            )
    chosen = [x for x in shown.lines if (not line or x.slug in line)]
    wish = Wish(
        "" if curves == "none" else curves,
        "" if timing == "none" else timing,
        fps or shown.header.fps,
        "" if character == "none" else character,
        names, error / 100, first_frame, rest_before, rest_after,
        "" if drawings == "none" else drawings, layers == "apart",
    )  # fmt: skip
    planned = plan(shown, chosen, wish)
    with progress(f"Writing {counted(len(planned.items), 'file')}") as told:
        deliver(planned, output, progress=told)
    delivered(shown, planned, Path(output))
    for item in planned.items:
        messages.print(f"written to {output}/{item.name}")
    tell_left_out(planned.left_out)
    if planned.left_out:
        raise SystemExit(1)
