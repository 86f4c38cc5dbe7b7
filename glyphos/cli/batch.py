"""`glyphos batch`: a folder, a table or a production through all steps, unattended."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import msgspec
import typer

from ..errors import Cancelled, GlyphosError, ScriptError
from .talk import WordsModel, counted, messages, only_for, progress

if TYPE_CHECKING:
    from ..batch.engine import Engine
    from ..batch.job import Outcome
    from ..batch.recipe import Recipe, Step
    from ..batch.running import Run


def batch(
    context: typer.Context,
    source: Annotated[Path, typer.Argument(help="A production, a folder of recordings with their texts, or a table (CSV: file, speaker, language, text).")],
    to: Annotated[Path, typer.Option("--to", help="The folder for everything that is made.")],
    recipe: Annotated[Path | None, typer.Option(help="Settings from a file (TOML); options here come first.")] = None,
    save_recipe: Annotated[Path | None, typer.Option("--save-recipe", help="Keep the settings as such a file.")] = None,
    steps: Annotated[str, typer.Option(help="Some of: listen,perform,proof,hand.")] = "",
    formats: Annotated[str, typer.Option(help="What is handed over, as in glb,csv,vtt.")] = "",
    character: Annotated[str, typer.Option(help="Who speaks all lines: a model, a fitting, drawings, or one of ours.")] = "",
    language: Annotated[str, typer.Option(help="Language of recordings that say none, such as en or it.")] = "",
    fps: Annotated[str, typer.Option(help="Frames a second; else the production's, or 24.")] = "",
    lexicon: Annotated[str, typer.Option(help="A file of pronunciations.")] = "",
    life: Annotated[float | None, typer.Option(help="Let faces live: 0 to 2, 1 as people do.")] = None,
    mood: Annotated[str, typer.Option(help="A mood for all lines, as in joy:0.6.")] = "",
    words_model: WordsModel = None,
    workers: Annotated[int | None, typer.Option(help="Processes; else one a core.")] = None,
    cluster: Annotated[str, typer.Option(help="Address or scheduler file of a dask cluster, instead of processes here.")] = "",
    resume: Annotated[bool, typer.Option("--resume", help="Go on with what is in the folder; only what is missing or changed is made.")] = False,
    before: Annotated[str, typer.Option(help="A program run before each line; it reads the line as JSON.")] = "",
    after: Annotated[str, typer.Option(help="A program run after each line.")] = "",
    preview: Annotated[bool, typer.Option("--preview", help="A small movie of each line, too.")] = False,
    report: Annotated[bool, typer.Option("--report/--no-report", help="Write report.html, .csv and .json.")] = True,
    watch: Annotated[bool, typer.Option("--watch", help="Go on: do new and changed recordings as they come, until Ctrl+C.")] = False,
    seconds: Annotated[float | None, typer.Option(help="Most seconds for a line.")] = None,
    memory: Annotated[float | None, typer.Option(help="Most megabytes for a line.")] = None,
    minutes: Annotated[float | None, typer.Option(help="Longest recording, minutes.")] = None,
    retries: Annotated[int | None, typer.Option(help="How often a line is tried again when its process is lost.")] = None,
) -> None:  # fmt: skip
    """Do many lines: listen, perform, proof and hand over, each in a process of its own.

    Exit code 1 if a line failed. What is done stays done: stop it at any time and say --resume.
    """
    from ..batch.recipe import Recipe, check_recipe, read_recipe, with_formats, write_recipe
    from ..batch.running import engine_for
    from ..motion.life.event import Liveliness

    if cluster:
        only_for(context, ("workers",), "processes here, and a cluster has its own")
    made = read_recipe(recipe) if recipe is not None else Recipe()
    if formats:
        made = with_formats(made, formats)
    changes: dict[str, object] = {
        name: value for name, value in (
            ("steps", _steps(steps)), ("language", language), ("fps", fps), ("lexicon", lexicon), ("mood", mood),
            ("preview", preview), ("words_model", str(words_model or "")),
            ("life", Liveliness(life) if life is not None else None),
            ("characters", made.characters | {"*": character} if character else {}),
        ) if value
    }  # fmt: skip
    limits = {"seconds": seconds, "megabytes": memory, "minutes": minutes, "retries": retries}
    given = {k: v for k, v in limits.items() if v is not None}
    scripts = {k: v for k, v in (("before", before), ("after", after)) if v}
    made = msgspec.structs.replace(
        made, limits=msgspec.structs.replace(made.limits, **given),
        scripts=msgspec.structs.replace(made.scripts, **scripts), **changes,
    )  # fmt: skip
    check_recipe(made)
    if save_recipe is not None:
        write_recipe(made, save_recipe)
        messages.print(f"written to {save_recipe}")
    engine = engine_for(made, workers=workers, cluster=cluster)
    try:
        failed = _worked(source, to, made, engine, resume=resume, report=report, watch=watch)
    except KeyboardInterrupt:
        raise Cancelled("Stopped; what is done is kept: go on with --resume.") from None
    if failed:
        raise typer.Exit(1)


def _worked(source: Path, to: Path, recipe: Recipe, engine: Engine, *, resume: bool, report: bool, watch: bool) -> bool:  # fmt: skip
    """Do it all and say what became of it; whether a line failed."""
    from ..batch.running import run_batch

    calm = False
    try:
        if watch:
            _watched(source, to, recipe, engine, resume, report)
            return False
        with progress("Working through the lines") as told:
            run = run_batch(source, to, recipe, engine, resume=resume, each=_each, progress=told)
        calm = True
    finally:
        engine.close(now=not calm)
    return _told(run, report, recipe)


def _steps(text: str) -> tuple[Step, ...]:
    from ..batch.recipe import STEPS

    wanted = [s.strip() for s in text.split(",") if s.strip()]
    for step in wanted:
        if step not in STEPS:
            raise typer.BadParameter(f"“{step}” is none of: {', '.join(STEPS)}")
    return tuple(s for s in STEPS if s in wanted)


def _each(outcome: Outcome) -> None:
    if outcome.state == "failed":
        messages.print(f"{outcome.line.slug}: {outcome.problem}")


def _told(run: Run, report: bool, recipe: Recipe) -> bool:
    """Say what became of it, and write the report; whether a line failed."""
    from ..batch.report.writing import write_report

    for text in run.refused:
        messages.print(f"left out: {text}")
    counts = {s: sum(o.state == s for o in run.outcomes) for s in ("done", "there", "failed")}
    said = [counted(counts["done"]) + " done"]
    if counts["there"]:
        said.append(f"{counts['there']} were there already")
    if counts["failed"]:
        said.append(f"{counts['failed']} failed")
    messages.print(f"{', '.join(said)} in {run.seconds:.1f} s")
    if report:
        path = write_report(run)
        messages.print(f"written to {path}")
    return bool(counts["failed"] or run.refused)


def _watched(source: Path, to: Path, recipe: Recipe, engine: Engine, resume: bool, report: bool) -> None:  # fmt: skip
    from ..batch.watching import watch

    if not source.is_dir():
        raise ScriptError("Only a folder can be watched.")
    messages.print(f"Watching {source}; Ctrl+C ends it.")
    try:
        for run in watch(source, to, recipe, engine, resume=resume, each=_each):
            _told(run, report, recipe)
    except KeyboardInterrupt:
        messages.print("No longer watching.")
    except GlyphosError:
        raise
