"""`glyphos picture`: a face as a picture, one frame or a sheet of sounds, off screen."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from .talk import messages, progress


def picture(
    character: Annotated[str, typer.Argument(help="mabel, osric, pip, a model, or a fitting.")],
    output: Annotated[Path, typer.Option("-o", "--output", help="The picture (.png).")],
    motion: Annotated[Path | None, typer.Option(help="A motion (JSON) to take frames from.")] = None,
    frame: Annotated[list[int] | None, typer.Option(help="A frame of the motion (may be given again).")] = None,
    pose: Annotated[list[str] | None, typer.Option(help="A sound or expression, or channel=value,… (may be given again).")] = None,
    view: Annotated[list[str] | None, typer.Option(help="front, three quarters, side, mouth, eyes, back (may be given again).")] = None,
    size: Annotated[int, typer.Option(help="Pixels of one picture's sides, 32..2048.")] = 320,
    background: Annotated[str, typer.Option(help="paper, night or none.")] = "paper",
    through: Annotated[bool, typer.Option("--through", help="Teeth and tongue seen through the skin.")] = False,
    wire: Annotated[bool, typer.Option("--wire", help="Only the edges of triangles.")] = False,
) -> None:  # fmt: skip
    """Draw a character: a sheet of all sounds, or the poses and frames that are asked for."""
    from ..errors import SaveError
    from ..handoff.curves import from_json
    from ..stage.sheets import draw_sheet, poses_named, save_png
    from ..stage.views import BACKGROUNDS, VIEWS
    from .dressing import dressed_from

    if output.suffix.lower() != ".png":
        raise SaveError(f"{output.name} should end in .png.")
    for given, known in ((view or [], VIEWS), ([background], BACKGROUNDS)):
        for name in given:
            if name not in known:
                raise typer.BadParameter(f"“{name}” is none of: {', '.join(known)}")
    if not 32 <= size <= 2048:
        raise typer.BadParameter("a size is between 32 and 2048")
    if motion is not None and not frame:
        raise typer.BadParameter("--motion needs the frames that are to be drawn; give --frame")
    shown = from_json(motion.read_bytes()) if motion is not None else None
    poses = poses_named(pose) if pose else {}
    for number in frame or ():
        if shown is None or not 0 <= number < shown.frames:
            raise typer.BadParameter(f"there is no frame {number}; give --motion and a frame of it")
        poses[f"frame {number}"] = dict(
            zip(shown.names, shown.values[number].tolist(), strict=True)
        )
    with progress(f"Drawing {character}") as told:
        dressed = dressed_from(character)
        made = draw_sheet(
            dressed, poses or poses_named(()), view or ["front"], (size, size), background=background,
            through=through, wire=wire, progress=told,
        )  # fmt: skip
        save_png(made, output)
    messages.print(f"written to {output}")
