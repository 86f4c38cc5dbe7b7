"""`glyphos character`: what a model has, and how it wears our motion."""

from __future__ import annotations

import json as encoder
from pathlib import Path
from typing import Annotated, Any

import typer

from .talk import messages, progress, put_out

app = typer.Typer(help="Look at a model and fit it.", rich_markup_mode=None, no_args_is_help=True)

Model = Annotated[
    str,
    typer.Argument(help="A model (.glb .gltf .vrm .usd .usda .usdc .usdz), or mabel, osric, pip."),
]
Poses = Annotated[
    Path | None,
    typer.Option(
        help="A list of poses that the model's animation holds: a name and a frame a line."
    ),
]


@app.command()
def inspect(
    model: Model,
    poses: Poses = None,
    json: Annotated[bool, typer.Option("--json", help="As JSON.")] = False,
) -> None:
    """Say what a model has and what its channels are."""
    from ..characters.dressing import Dressed
    from ..characters.models.opening import open_head
    from ..errors import ModelError

    with progress(f"Reading {Path(model).name}") as told:
        head = open_head(model, poses=poses, progress=told)
        try:
            dressed: Dressed | None = Dressed(head)
            trouble = ""
        except ModelError as error:
            dressed, trouble = None, str(error)
    document = described(head, dressed, trouble)
    if json:
        put_out(encoder.dumps(document, indent=1, ensure_ascii=False).encode() + b"\n", None)
        return
    print(f"{head.name}: {head.vertices:,} points, {head.triangles:,} triangles in {len(head.pieces)} pieces, "
          f"{len(head.channels)} channels")  # fmt: skip
    for said in document["said"]:
        print(f"  {said}")
    for channel in document["channels"]:
        parts = [channel["name"]]
        if channel.get("gesture"):
            parts.append(f"{channel['gesture']} ({channel['verdict']}: {channel['reason']})")
        print("  " + " — ".join(parts))
    for finding in document["findings"]:
        print(f"! {finding}")


def described(head: Any, dressed: Any, trouble: str = "") -> dict[str, Any]:
    """What a model has, as a document."""
    from ..characters.dressing import findings, summary

    channels = []
    votes = {v.channel: v for v in dressed.fit.votes} if dressed is not None and dressed.fit else {}
    names = {n.name: n for n in dressed.named} if dressed is not None else {}
    for channel in head.channels:
        entry: dict[str, Any] = {"name": channel, "range": [0.0, 1.0]}
        vote, named = votes.get(channel), names.get(channel)
        if vote is not None:
            own = (
                vote.named.gesture
                if vote.verdict in ("agree", "unsure", "name only")
                else vote.gesture
            )
            reason = (
                vote.named.reason if vote.named.known else f"by its shape, likeness {vote.likeness}"
            )
            entry.update(
                gesture=own, verdict=vote.verdict, reason=reason, by_name=vote.named.pose,
                by_shape=vote.gesture, likeness=vote.likeness,
            )  # fmt: skip
        elif dressed is not None and dressed.own:
            entry.update(gesture=channel, verdict="own", reason="the head says so itself")
        elif named is not None and named.known:
            entry.update(
                gesture=named.gesture, verdict="name only", reason=named.reason, by_name=named.pose
            )
        channels.append(entry)
    said = list(head.said)
    if dressed is not None and dressed.face is not None:
        said += dressed.face.said
    found = [trouble] if trouble else findings(dressed) if dressed is not None else []
    if dressed is not None:
        said += summary(dressed)
    return {
        "name": head.name, "points": head.vertices, "triangles": head.triangles,
        "pieces": [p.name for p in head.pieces], "bones": sum(len(s.joints) for s in head.skins),
        "channels": channels, "said": said, "findings": found,
    }  # fmt: skip


@app.command()
def fit(
    model: Model,
    output: Annotated[Path, typer.Option("-o", "--output", help="Where to write the fitting (.json).")],
    earlier: Annotated[Path | None, typer.Option("--from", help="Carry over what an earlier fitting has set.")] = None,
) -> None:  # fmt: skip
    """Fit a model and keep the fitting, which remembers the model by its relative path."""
    import msgspec

    from ..characters.dressing import Dressed, findings
    from ..characters.fittings import carried_over, decode_fitting, encode_fitting, fitting_for
    from ..characters.models.opening import open_head
    from ..errors import SaveError

    if output.suffix.lower() != ".json":
        raise SaveError(f"{output.name} should end in .json, since that is what a fitting is.")
    with progress(f"Fitting {Path(model).name}") as told:
        head = open_head(model)
        made = fitting_for(head, output)
        if earlier is not None:
            before, said = carried_over(decode_fitting(earlier.read_bytes(), earlier.name), head)
            for words in said:
                messages.print(words)
            made = msgspec.structs.replace(before, model=made.model, digest=made.digest)
        dressed = Dressed(head, made, progress=told)
    put_out(encode_fitting(made), str(output))
    for finding in findings(dressed):
        messages.print(f"! {finding}")


@app.command()
def drawings(
    folder: Annotated[Path, typer.Argument(help="A folder with mouth drawings (PNG, SVG …), or one sheet of them.")],
    output: Annotated[Path, typer.Option("-o", "--output", help="Where to write the character (.json), in that folder or above it.")],
    grid: Annotated[str, typer.Option(help="Cut a sheet into COLUMNSxROWS, as in 4x3; else by its gaps.")] = "",
) -> None:  # fmt: skip
    """Make a character of drawings; what each shows is found by its name and its picture."""
    from ..characters.drawings.cutting import grid_of
    from ..characters.drawings.documents import encode_drawings
    from ..characters.drawings.reading import in_words, read_drawings, relative_to
    from ..errors import SaveError

    if output.suffix.lower() != ".json":
        raise SaveError(f"{output.name} should end in .json, since that is what a character is.")
    with progress(f"Reading {folder.name}") as told:
        found = read_drawings(folder, grid=grid_of(grid) if grid else None, progress=told)
    put_out(encode_drawings(relative_to(found, output)), str(output))
    for words in found.said:
        messages.print(words)
    for view in found.drawings.views:
        parts = [f"{m.name}: {in_words(m.pose)}" for m in view.mouths]
        messages.print(f"{view.name}: {'; '.join(parts)}")
