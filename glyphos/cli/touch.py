"""`glyphos touch`: what the Curves page does to a curve, over a stretch of a line."""

from __future__ import annotations

import re
from typing import Annotated

import typer

from ..errors import EditError, ScriptError
from ..production.documents import Line
from ..production.production import Production
from ..production.store import Store
from .talk import Folder, counted, messages, only_for, progress

DOES = (
    "pull",
    "lift",
    "scale",
    "smooth",
    "hold",
    "ease",
    "copy",
    "fewer",
    "clear",
)  # as in motion.touch.doing


def touch(
    context: typer.Context,
    production: Folder,
    line: Annotated[str, typer.Argument(help="The line.")],
    channel: Annotated[str, typer.Argument(help="The channel, such as lip_corner_up_left.")],
    do: Annotated[str, typer.Argument(help=f"One of: {', '.join(DOES)}.")],
    by: Annotated[float | None, typer.Option(help="How much: pull and lift add it, scale multiplies, hold is it, fewer is the error in per cent.")] = None,
    over: Annotated[str, typer.Option(help="Seconds of the recording, as in 1.2-1.8; else the whole line.")] = "",
    word: Annotated[str, typer.Option(help="Over this word instead, the first that is written so.")] = "",
    about: Annotated[str, typer.Option(help="What scale leaves as it is: zero, rest or mean.")] = "zero",
    to: Annotated[str, typer.Option(help="The channel that copy goes to; else the other side.")] = "",
) -> None:  # fmt: skip
    """Touch up a curve of a line by hand; the line keeps it, on its sounds."""
    from ..motion.regions import ranges

    if do not in DOES:
        raise typer.BadParameter(f"“{do}” is none of: {', '.join(DOES)}")
    if about not in ("zero", "rest", "mean"):
        raise typer.BadParameter("--about is zero, rest or mean")
    if do in ("pull", "lift", "scale", "hold") and by is None:
        raise typer.BadParameter(f"{do} needs --by")
    if do != "copy":
        only_for(context, ("to",), "copy")
    if do != "scale":
        only_for(context, ("about",), "scale")
    if word:
        only_for(context, ("over",), "a stretch, and --word says another")
    for name in (channel, *([to] if to else [])):
        if name not in ranges():
            raise ScriptError(f"There is no channel “{name}”; names are as in lip_corner_up_left.")
    store = Store.open(production)
    try:
        if not store.production.has(line):
            raise ScriptError(
                f"There is no line “{line}” in {production}; `glyphos lines` lists them."
            )
        own = store.production.line(line)
        start, end = _stretch(own, over, word)
        with progress(f"Shaping {channel}"):
            made, said = shaped(store.production, own, channel, do, start, end, by, about, to)
        store.keep(store.production.put(made))
        messages.print(said)
    finally:
        store.close()


def _stretch(line: Line, over: str, word: str) -> tuple[float, float]:
    if line.reading is None or not line.reading.phrases:
        raise EditError("Listen to the line first; then its curves can be shaped.")
    if word:
        for w in line.reading.words():
            if w.text.strip('.,;:!?…“”"').lower() == word.lower():
                return w.start, w.end
        raise ScriptError(f"There is no word “{word}” in {line.slug}.")
    if not over:
        return 0.0, line.reading.audio.duration
    found = re.fullmatch(r"(\d+(?:\.\d*)?)-(\d+(?:\.\d*)?)", over.strip())
    if found is None or float(found[1]) >= float(found[2]):
        raise typer.BadParameter(f"“{over}” is no stretch; write as in 1.2-1.8")
    return float(found[1]), float(found[2])


def shaped(
    production: Production, line: Line, channel: str, do: str, start: float, end: float, by: float | None = None,
    about: str = "zero", to: str = "",
) -> tuple[Line, str]:  # fmt: skip
    """A line with a curve touched up, and what was done in words."""
    import msgspec

    from ..motion.touch import shaping
    from ..motion.touch.doing import done
    from ..motion.touch.several import inside
    from ..production.performed import motion_of
    from ..rates import frame_rate

    reading = line.reading
    assert reading is not None
    if do == "clear":
        left = tuple(t for t in line.touches if not inside(t, channel, reading, start, end))
        if left == line.touches:
            raise EditError(f"Nothing was done to {channel} by hand there.")
        gone = counted(len(line.touches) - len(left), "touch-up")
        return msgspec.structs.replace(line, touches=left), f"{gone} taken off {channel}"
    rate = frame_rate(production.header.fps)
    motion = motion_of(line, production.audio_path(line), rate, production.folder)
    curve = shaping.Curve.of(motion, channel, line.delivery)
    touches, made = done(line.touches, curve, reading, do, start, end, by, about=about, to=to)
    said = f"{do} {made.channel} over {start:.2f}–{end:.2f} s: {counted(len(made.keys), 'key')}"
    if do == "fewer":
        said += f", never more than {100 * shaping.away(curve, made, reading):.1f} % away"
    return msgspec.structs.replace(line, touches=touches), said
