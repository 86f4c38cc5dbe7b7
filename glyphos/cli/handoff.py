"""`glyphos handoff`: files for other programs, of the lines of a production."""

from __future__ import annotations

from typing import Annotated

import typer

from ..errors import ScriptError
from ..handoff.deliver import CURVES, TIMINGS, Wish, deliver, plan
from .talk import Folder, counted, messages, progress


def handoff(
    production: Folder,
    output: Annotated[str, typer.Option("-o", "--output", help="The folder to write into.")],
    line: Annotated[list[str] | None, typer.Option(help="Only this line (may be given again).")] = None,
    curves: Annotated[str, typer.Option(help=f"Curves as: {', '.join(CURVES)} or none.")] = "csv",
    timing: Annotated[str, typer.Option(help=f"Timing as: {', '.join(TIMINGS)} or none.")] = "none",
    fps: Annotated[str | None, typer.Option(help="Frames a second; else the production's.")] = None,
) -> None:  # fmt: skip
    """Write curves and timing of a production's lines, as the Handoff page does."""
    from ..production.production import Production

    for given, known in ((curves, CURVES), (timing, TIMINGS)):
        if given != "none" and given not in known:
            raise typer.BadParameter(f"“{given}” is none of: {', '.join(known)}, none")
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
    )
    planned = plan(shown, chosen, wish)
    with progress(f"Writing {counted(len(planned.items), 'file')}") as told:
        deliver(planned, output, progress=told)
    for item in planned.items:
        messages.print(f"written to {output}/{item.name}", markup=False)
    for slug in planned.left_out:
        messages.print(f"left out: {slug} has not been listened to", markup=False)
    if planned.left_out:
        raise SystemExit(1)
