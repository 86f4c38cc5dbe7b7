"""`glyphos movie`: lines, a scene or a recording as a movie."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import msgspec
import typer

from .talk import (
    Language,
    Script,
    Text,
    counted,
    get_reading,
    messages,
    only_for,
    progress,
    tell_left_out,
)

if TYPE_CHECKING:
    from ..production.production import Production
    from ..scene.documents import Scene
    from ..speech.reading import Reading


def movie(
    context: typer.Context,
    source: Annotated[Path, typer.Argument(help="A production, the document of one of its scenes or lines, or a recording.")],
    output: Annotated[Path, typer.Option("-o", "--output", help="The movie: .mp4, .webm, .mov, or a folder of pictures (.png-folder).")],
    fps: Annotated[str | None, typer.Option(help="Frames a second; else the production's, or 24.")] = None,
    size: Annotated[str, typer.Option(help="Pixels, as in 1280x720, 1080x1080 or 720x1280.")] = "1280x720",
    view: Annotated[str | None, typer.Option(help="front, three quarters, side, mouth, eyes, back; else as the scene says.")] = None,
    captions: Annotated[str, typer.Option(help="none, burnt (on the picture), track (switched on by whoever looks) or file (WebVTT beside it).")] = "none",
    background: Annotated[str | None, typer.Option(help="paper, night, none (clear, in .mov and pictures), or a picture.")] = None,
    character: Annotated[str | None, typer.Option(help="Who speaks a recording: mabel, osric or pip.")] = None,
    loudness: Annotated[float | None, typer.Option(help="Loudness in LUFS (EBU R 128: -23; for the web -16); else levels stay.")] = None,
    fine: Annotated[bool, typer.Option("--fine", help="Soft shadows and the grain of clay; takes about eight times as long.")] = False,
    silent: Annotated[bool, typer.Option("--silent", help="No sound.")] = False,
    workers: Annotated[int | None, typer.Option(help="Processes that paint; else one a core.")] = None,
    no_script: Annotated[bool, typer.Option("--no-script", help="Make out the words of a recording.")] = False,
    script: Script = None, text: Text = None, language: Language = "",
) -> None:  # fmt: skip
    """Write a movie of a scene, of a line, of all lines of a production one after the other, or of a recording."""
    from ..handoff.filming import CAPTIONS, Filming, Look
    from ..handoff.scenes import film_scene
    from ..production.kinds import is_production
    from ..rates import frame_rate
    from ..scene.movie import check_film
    from ..scene.painting import readable_background
    from ..stage.views import VIEWS

    for given, known in ((captions, CAPTIONS), (view or "front", VIEWS)):
        if given not in known:
            raise typer.BadParameter(f"“{given}” is none of: {', '.join(known)}")
    if loudness is not None and not -70 <= loudness <= -5:
        raise typer.BadParameter("a loudness is between -70 and -5 LUFS")
    pixels = _size(size)
    check_film(output, pixels)
    if source.suffix.lower() == ".json" or is_production(source):
        only_for(context, ("character", "no_script", "script", "text", "language"), "a recording")
    production, scene = _scene(
        source,
        lambda: get_reading(str(source), script, text, language, no_script=no_script),
        character,
    )
    rate = frame_rate(fps or production.header.fps)
    look = Look(
        rate,
        pixels,
        view or "",
        readable_background(background or ""),
        fine,
        captions == "burnt",
        loudness,
    )
    with progress(f"Filming {scene.name}") as told:
        filming = Filming(scene, production, look)
        filming.keep_off(output)
        beside = film_scene(
            filming, output, captions=captions, silent=silent, workers=workers, progress=told
        )
    messages.print(f"{counted(filming.frames, 'frame')} at {rate} a second written to {output}")
    if beside is not None:
        messages.print(f"written to {beside}")


def _size(text: str) -> tuple[int, int]:
    try:
        width, height = (int(x) for x in text.lower().replace("×", "x").split("x"))
    except ValueError:
        raise typer.BadParameter(f"“{text}” is no size; write 1280x720, for one") from None
    return width, height


def _scene(
    source: Path, listen: Callable[[], Reading], character: str | None
) -> tuple[Production, Scene]:
    """What a source shows, and the production that it belongs to; `listen`: to a recording."""
    from ..errors import DocumentError
    from ..handoff.filming import scene_from
    from ..production.kinds import LINE, SCENE, is_production
    from ..production.production import Production

    if is_production(source):
        production = Production.open(source)
        made = scene_from(production.lines, slug=source.stem, name=production.header.name)
        tell_left_out(x.slug for x in production.lines if not x.heard)
        return production, made
    if source.suffix.lower() != ".json":
        return _recorded(source, listen, character)
    if not source.is_file():
        raise DocumentError(f"There is no file {source}; check its name.")
    data, folder = source.read_bytes(), source.resolve().parent.parent
    if not is_production(folder):
        raise DocumentError(
            f"{source.name} lies in no production; give the document of a line or a scene where it is kept."
        )
    production = Production.open(folder)
    if _format(data) == "glyphos-scene":
        return production, SCENE.read(data, source.name)
    line = LINE.read(data, source.name)
    return production, scene_from([line], slug=line.slug)


def _format(data: bytes) -> str:
    try:
        return str(msgspec.json.decode(data, type=dict).get("format", ""))
    except (msgspec.DecodeError, UnicodeDecodeError):
        return ""


def _recorded(
    source: Path, listen: Callable[[], Reading], character: str | None
) -> tuple[Production, Scene]:
    """A recording, listened to on the way."""
    from ..characters.builtin import BUILTIN
    from ..handoff.filming import scene_from
    from ..motion.life.event import Liveliness
    from ..production.documents import Header, Line
    from ..production.production import Production

    if character is not None and character.lower() not in BUILTIN:
        raise typer.BadParameter(f"“{character}” is none of: {', '.join(BUILTIN)}")
    reading = listen()
    line = Line(
        "line", source.name, speaker=(character or BUILTIN[0]).capitalize(), reading=reading,
        duration=reading.audio.duration, life=Liveliness(),
    )  # fmt: skip
    production = Production.of(source.resolve().parent, Header(source.stem), [line])
    return production, scene_from([line], slug=source.stem, name=source.name)
