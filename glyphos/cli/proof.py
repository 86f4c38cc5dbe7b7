"""`glyphos proof`: what is wrong in the lines of a production, or will look so."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING, Annotated

import typer

from ..files import json_lines
from ..proof.finding import Finding
from .talk import Folder, counted, messages, only_for, progress, put_out

if TYPE_CHECKING:
    from ..production.production import Production

SIGNS = {"note": "·", "poor": "!", "bad": "✗"}


def said(finding: Finding) -> str:
    """Why it may stay."""
    return f" (accepted: {finding.accepted})" if finding.accepted else ""


def proof(
    context: typer.Context,
    production: Folder,
    line: Annotated[list[str] | None, typer.Option(help="Only this line (may be given again); else all.")] = None,
    json: Annotated[bool, typer.Option("--json", help="As JSON instead of a list.")] = False,
    html: Annotated[bool, typer.Option("--html", help="As a page to read; with -o its file.")] = False,
    mend: Annotated[bool, typer.Option("--mend", help="Mend what can be mended, each by the smallest change, and look again.")] = False,
    checks: Annotated[bool, typer.Option("--checks", help="List the checks, and where their limits come from.")] = False,
    fail_on: Annotated[str, typer.Option("--fail-on", help="note, poor or bad: exit code 1 where there is one so grave.")] = "",
    fps: Annotated[str | None, typer.Option(help="Frames a second; else the production's.")] = None,
    workers: Annotated[int | None, typer.Option(help="Processes; else one a core.")] = None,
    output: Annotated[str | None, typer.Option("-o", "--output", help="File to write to; else standard output.")] = None,
) -> None:  # fmt: skip
    """Look through lines for what an animator or a sound editor would notice."""
    from ..batch.proofs import proof_many
    from ..batch.report.proofpage import proof_page
    from ..errors import ScriptError
    from ..production.production import Production
    from ..proof.finding import CHECKS, SEVERITIES, gravest
    from ..proof.whole import WHOLE
    from ..rates import frame_rate

    if fail_on and fail_on not in SEVERITIES:
        raise typer.BadParameter(f"“{fail_on}” is none of: {', '.join(SEVERITIES)}")
    if html:
        only_for(context, ("json",), "another program, and --html is for people")
    if checks:
        known = [(c.family, c.name, c.about, c.source) for c in CHECKS.values()]
        known += [(c.family, c.name, c.about, c.source) for c in WHOLE.values()]
        rows = ["\t".join(row) for row in known]
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
    if mend:
        shown = _mended(production, found, rate)
        chosen = [shown.line(x.slug) for x in chosen]
        with progress("Looking again") as told:
            found = proof_many(shown, chosen, rate, workers=workers, progress=told)
    flat = [f for own in found.values() for f in own]
    if html:
        put_out(proof_page(shown, chosen, found), output)
    elif json:
        put_out(json_lines(flat), output)
    else:
        rows = [f"{f.line}\t{f.start:8.2f}\t{SIGNS[f.severity]} {f.severity}\t{f.text}{said(f)}" for f in flat]  # fmt: skip
        put_out("".join(f"{row}\n" for row in rows).encode(), output)
        messages.print(f"{counted(len(flat), 'finding')} in {counted(len(chosen), 'line')}")  # fmt: skip
    worst = gravest(flat)
    if fail_on and worst is not None and SEVERITIES.index(worst) >= SEVERITIES.index(fail_on):
        raise typer.Exit(1)


def _mended(production: str, found: dict[str, list[Finding]], rate: Fraction) -> Production:
    """The production with all that could be mended, kept, and files handed over again; what was done is told."""
    from ..batch.listening import listened
    from ..errors import EditError
    from ..handoff.handed import again
    from ..handoff.looking import by_handing
    from ..production.store import Store
    from ..proof.mending import mend, mendable

    every = [f for own in found.values() for f in own]
    wanted = [f for f in every if f.line and mendable(f)]
    handed = dict.fromkeys(f.line for f in every if by_handing(f))
    store = Store.open(production)
    try:
        with progress(f"Mending {counted(len(wanted), 'finding')}") as told:
            for number, finding in enumerate(wanted):
                told(number / len(wanted))
                try:
                    made = mend(store.production, finding, rate, listened)
                except EditError:
                    continue
                store.keep(made.changes)
                messages.print(f"{finding.line}: {made.name.lower()} ({finding.check})")
        for slug in handed:
            count = len(again(store.production, slug, rate))
            messages.print(f"{slug}: handed over again ({counted(count, 'file')})")
        return store.production
    finally:
        store.close()
