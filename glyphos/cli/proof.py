"""`glyphos proof`: what is wrong in the lines of a production, or will look so."""

from __future__ import annotations

from typing import Annotated

import msgspec
import typer

from ..proof.finding import Finding
from .talk import Folder, counted, messages, progress, put_out

SIGNS = {"note": "·", "poor": "!", "bad": "✗"}


def said(finding: Finding) -> str:
    """Why it may stay."""
    return f" (accepted: {finding.accepted})" if finding.accepted else ""


def proof(
    production: Folder,
    line: Annotated[list[str] | None, typer.Option(help="Only this line (may be given again); else all.")] = None,
    json: Annotated[bool, typer.Option("--json", help="As JSON instead of a list.")] = False,
    checks: Annotated[bool, typer.Option("--checks", help="List the checks, and where their limits come from.")] = False,
    fail_on: Annotated[str, typer.Option("--fail-on", help="note, poor or bad: exit code 1 where there is one so grave.")] = "",
    fps: Annotated[str | None, typer.Option(help="Frames a second; else the production's.")] = None,
    workers: Annotated[int | None, typer.Option(help="Processes; else one a core.")] = None,
    output: Annotated[str | None, typer.Option("-o", "--output", help="File to write to; else standard output.")] = None,
) -> None:  # fmt: skip
    """Look through lines for what an animator or a sound editor would notice."""
    from ..batch.proofs import proof_many
    from ..errors import ScriptError
    from ..production.production import Production
    from ..proof.finding import CHECKS, SEVERITIES, gravest
    from ..rates import frame_rate

    if fail_on and fail_on not in SEVERITIES:
        raise typer.BadParameter(f"“{fail_on}” is none of: {', '.join(SEVERITIES)}")
    if checks:
        rows = [f"{c.family}\t{c.name}\t{c.about}\t{c.source}" for c in CHECKS.values()]
        put_out("\n".join(rows).encode() + b"\n", output)
        return
    shown = Production.open(production)
    for wanted in line or ():
        if not shown.has(wanted):
            raise ScriptError(f"There is no line “{wanted}” in {shown.folder}; `glyphos lines` lists them.")  # fmt: skip
    chosen = [shown.line(s) for s in line] if line else list(shown.lines)
    rate = frame_rate(fps or shown.header.fps)
    with progress(f"Looking through {counted(len(chosen), 'line')}") as told:
        found = proof_many(shown, chosen, rate, workers=workers, progress=told)
    flat = [f for own in found.values() for f in own]
    if json:
        put_out(msgspec.json.format(msgspec.json.encode(flat), indent=1) + b"\n", output)
    else:
        rows = [f"{f.line}\t{f.start:8.2f}\t{SIGNS[f.severity]} {f.severity}\t{f.text}{said(f)}" for f in flat]  # fmt: skip
        put_out("".join(f"{row}\n" for row in rows).encode(), output)
        messages.print(f"{counted(len(flat), 'finding')} in {counted(len(chosen), 'line')}", markup=False)  # fmt: skip
    worst = gravest(flat)
    if fail_on and worst is not None and SEVERITIES.index(worst) >= SEVERITIES.index(fail_on):
        raise typer.Exit(1)
