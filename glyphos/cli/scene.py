"""`glyphos scene`: lines placed in time."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from .talk import Folder, counted, messages, only_for, progress, tell_left_out

if TYPE_CHECKING:
    from ..handoff.filming import Filming
    from ..production.production import Production
    from ..scene.documents import Scene

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Scenes: lines of several characters in time."
)


@app.command()
def new(
    context: typer.Context,
    production: Folder,
    name: Annotated[str, typer.Argument(help="Name of the scene.")],
    line: Annotated[list[str] | None, typer.Option(help="Only this line (may be given again), in this order; else all.")] = None,
    bed: Annotated[list[Path] | None, typer.Option(help="A sound that lies under it from the beginning (may be given again).")] = None,
    timeline: Annotated[Path | None, typer.Option("--from", help="A timeline of an editing program (.otio), or a table (file, speaker, start), to make it of.")] = None,
    bed_gain: Annotated[float, typer.Option(help="How much louder beds are, in dB.")] = -18.0,
) -> None:  # fmt: skip
    """Make a scene of lines: in order, with natural gaps, speakers facing each other, a shot for each turn."""
    from ..production.kinds import scene_key
    from ..production.store import Store

    if timeline is not None:
        only_for(
            context, ("line", "bed", "bed_gain"), "scenes of lines, and a timeline has its own"
        )
    store = Store.open(production)
    try:
        if timeline is not None:
            made, said = _brought(store.production, name, timeline)
        else:
            made, said = _made(store.production, name, line or [], bed or [], bed_gain)
        store.keep({scene_key(made.slug): made})
        store.settle()
    finally:
        store.close()
    messages.print(f"{name}: {said}, kept as scenes/{made.slug}.json")


def _made(
    shown: Production, name: str, line: list[str], bed: list[Path], bed_gain: float
) -> tuple[Scene, str]:
    """The scene, and what it is in words; a fault of it is told before it is kept."""
    import msgspec

    from ..errors import ScriptError
    from ..handoff.filming import Filming, Look, scene_from
    from ..production.documents import slugify
    from ..production.scenes import bed_brought_in
    from ..rates import frame_rate
    from ..scene.documents import Clip, Lane

    for wanted in line:
        if not shown.has(wanted):
            raise ScriptError(
                f"There is no line “{wanted}” in {shown.folder}; `glyphos lines` lists them."
            )
    chosen = [shown.line(s) for s in line] if line else shown.lines
    made = scene_from(chosen, slug=slugify(name, {s.slug for s in shown.scenes}), name=name)
    tell_left_out(x.slug for x in chosen if not x.heard)
    lanes = [
        Lane(source.stem, (Clip(audio=bed_brought_in(shown.folder, source), fade_in=0.5, fade_out=1.0),), False, bed_gain)
        for source in bed
    ]  # fmt: skip
    made = msgspec.structs.replace(made, lanes=(*made.lanes, *lanes))
    return made, described(Filming(made, shown, Look(frame_rate(shown.header.fps))))


def _brought(shown: Production, name: str, timeline: Path) -> tuple[Scene, str]:
    """The scene of a timeline; what was left out is told."""
    from ..handoff.bringing import scene_brought
    from ..handoff.filming import Filming, Look
    from ..rates import frame_rate

    brought = scene_brought(timeline, shown, name=name)
    for left in brought.said:
        messages.print(f"! {left}")
    return brought.scene, described(
        Filming(brought.scene, shown, Look(frame_rate(shown.header.fps)))
    )


def _scene_of(shown: Production, wanted: str) -> Scene:
    """By its slug, or by its name if no other has it; DocumentError, one sentence."""
    from ..errors import DocumentError

    named = [x for x in shown.scenes if x.name.casefold() == wanted.strip().casefold()]
    found = [x for x in shown.scenes if x.slug == wanted] or named
    if not found:
        raise DocumentError(
            f"There is no scene “{wanted}” in {shown.folder}; `glyphos scene show` lists them."
        )
    if len(found) > 1:
        slugs = ", ".join(x.slug for x in found)
        raise DocumentError(f"{len(found)} scenes are called “{wanted}”; take one of {slugs}.")
    return found[0]


def described(filming: Filming) -> str:
    """`3 clips of 2 speakers and a bed, 18.4 s`."""
    scene = filming.scene
    clips = sum(len(filming.clips(s)) for s in scene.speakers)
    beds = sum(not lane.speaks for lane in scene.lanes)
    seconds = filming.frames / float(filming.look.fps)
    parts = f"{counted(clips, 'clip')} of {counted(len(scene.speakers), 'speaker')}"
    return parts + (f" and {counted(beds, 'bed')}" if beds else "") + f", {seconds:.1f} s"


@app.command()
def show(
    production: Folder,
    name: Annotated[
        str | None, typer.Argument(help="Name of a scene, or its slug; else all are listed.")
    ] = None,
) -> None:
    """List scenes, or write what happens in one: time, speaker, words."""
    from ..handoff.filming import Filming, Look
    from ..production.production import Production
    from ..rates import frame_rate

    shown = Production.open(production)
    look = Look(frame_rate(shown.header.fps))
    if name is None:
        for each in shown.scenes:
            print(f"{each.slug}\t{each.name}\t{described(Filming(each, shown, look))}")
        return
    scene = _scene_of(shown, name)
    filming = Filming(scene, shown, look)
    for start, speaker, words in filming.script():
        print(f"{start:8.2f}\t{speaker}\t{words}")


@app.command()
def export(
    production: Folder,
    name: Annotated[str, typer.Argument(help="Name of a scene, or its slug.")],
    output: Annotated[Path, typer.Option("-o", "--output", help="Folder to write into.")],
    what: Annotated[list[str] | None, typer.Option(help="mix, stems, captions, curves, otio, gltf, usd (may be given again); else all.")] = None,
    loudness: Annotated[float | None, typer.Option(help="Loudness of the mix in LUFS; else levels stay.")] = None,
    fps: Annotated[str | None, typer.Option(help="Frames a second; else the production's.")] = None,
) -> None:  # fmt: skip
    """Write a scene's mix, a stem a lane, captions, and the curves of every speaker on one time axis."""
    from ..handoff.filming import Filming, Look
    from ..handoff.scenes import EXPORTS, export_scene
    from ..production.production import Production
    from ..rates import frame_rate

    for given in what or ():
        if given not in EXPORTS:
            raise typer.BadParameter(f"“{given}” is none of: {', '.join(EXPORTS)}")
    shown = Production.open(production)
    scene = _scene_of(shown, name)
    filming = Filming(scene, shown, Look(frame_rate(fps or shown.header.fps), loud=loudness))
    with progress(f"Writing {scene.name}") as told:
        left: list[str] = []
        made = export_scene(filming, output, what or EXPORTS, progress=told, said=left)
    for one in dict.fromkeys(left):
        messages.print(f"! {one}")
    for path in made:
        messages.print(f"written to {path}")


@app.command()
def motion(
    production: Folder,
    name: Annotated[str, typer.Argument(help="Name of a scene, or its slug.")],
    speaker: Annotated[str, typer.Argument(help="Whose head it is to move.")],
    source: Annotated[Path, typer.Argument(help="A recorded motion of a body (BVH).")],
    at: Annotated[float, typer.Option(help="When it begins in the scene, in seconds.")] = 0.0,
    cut: Annotated[float, typer.Option(help="Seconds left out at its beginning.")] = 0.0,
    length: Annotated[float, typer.Option(help="Seconds of it; else all there is.")] = 0.0,
    loop: Annotated[bool, typer.Option("--loop", help="Again and again, until the next or the end.")] = False,
    share: Annotated[float, typer.Option(help="How much of it, 0 to 1.")] = 1.0,
    added: Annotated[bool, typer.Option("--added", help="Added to how the head moves by itself, not in place of it.")] = False,
) -> None:  # fmt: skip
    """Lay a recorded motion on a speaker's head; where a head has bones of its names, on those."""
    from ..errors import DocumentError
    from ..production.kinds import scene_key
    from ..production.scenes import motion_brought_in
    from ..production.store import Store
    from ..scene.documents import Move, check_scene
    from ..scene.editing import with_lane

    store = Store.open(production)
    try:
        scene = _scene_of(store.production, name)
        lane = next((k for k, x in enumerate(scene.lanes) if x.speaks and x.name == speaker), None)
        if lane is None:
            raise DocumentError(f"Nobody called “{speaker}” speaks in {scene.name}; there are {', '.join(scene.speakers)}.")  # fmt: skip
        move = Move("motion.bvh", at, cut, length, loop, share, not added)
        made = with_lane(scene, lane, moves=(*scene.lanes[lane].moves, move))
        check_scene(made)
        kept = motion_brought_in(store.production.folder, source)
        moves = (*scene.lanes[lane].moves, Move(kept, at, cut, length, loop, share, not added))
        store.keep({scene_key(scene.slug): with_lane(scene, lane, moves=moves)})
        store.settle()
    finally:
        store.close()
    messages.print(f"{source.name} moves {speaker} in {scene.name}, kept as {kept}")
