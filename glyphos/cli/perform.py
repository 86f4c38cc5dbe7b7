"""`glyphos perform`: a recording or a Reading becomes curves."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ..errors import RecordingError
from ..motion.curve import Motion
from ..motion.delivery import Delivery
from ..progress import share
from ..speech.reading import Reading
from .living import wanted, whole_face
from .talk import Language, Output, Script, Text, get_reading, messages, only_for, progress, put_out

if TYPE_CHECKING:
    from ..handoff.exposure import Samples


OTHER = 0.02  # seconds by which another recording lasts longer or shorter


def perform(
    context: typer.Context,
    source: Annotated[str, typer.Argument(help="A recording, or a reading made by `listen`.")],
    script: Script = None, text: Text = None, language: Language = "",
    recording: Annotated[Path | None, typer.Option(help="The recording that a reading was made of; else the one of its name beside it.")] = None,
    fps: Annotated[str, typer.Option(help="Frames a second: 24, 25, 29.97, 60 …")] = "24",
    articulation: Annotated[float, typer.Option(help="Strength of the shapes, 0..2.")] = 1.0,
    jaw_reach: Annotated[float, typer.Option(help="How far the jaw opens, 0..2.")] = 1.0,
    lead: Annotated[float, typer.Option(help="Milliseconds the mouth is early, -100..200.")] = 40,
    smoothing: Annotated[float, typer.Option(help="Easing in milliseconds, 0..120.")] = 30,
    pace: Annotated[float, typer.Option(help="Pace of lips, crisp 0.5 to lazy 2.")] = 1.0,
    hold: Annotated[float, typer.Option(help="How long a shape is held, 0..1.")] = 0.5,
    settle: Annotated[float, typer.Option(help="Milliseconds until rest, 80..600.")] = 250,
    loudness_follow: Annotated[float, typer.Option(help="Louder opens wider, 0..1.")] = 0.5,
    stress_follow: Annotated[float, typer.Option(help="Stress opens wider, 0..1.")] = 0.5,
    range_start: Annotated[float, typer.Option(help="Perform from this second.")] = 0.0,
    range_end: Annotated[float, typer.Option(help="Perform up to this second; 0: all.")] = 0.0,
    offset: Annotated[float, typer.Option(help="Place the line this many seconds later.")] = 0.0,
    speed: Annotated[float, typer.Option(help="Play the line this much faster.")] = 1.0,
    character: Annotated[str | None, typer.Option(help="Who wears it: a fitting, a model, drawings (their document or folder), or mabel, osric, pip.")] = None,
    error: Annotated[float, typer.Option(help="Most error of a character's keys, per cent of the range; 0: a key a frame.")] = 0.5,
    first_frame: Annotated[int, typer.Option(help="Number of a character's first frame.")] = 0,
    rest_before: Annotated[float, typer.Option(help="Seconds of rest before, on a character.")] = 0.0,
    rest_after: Annotated[float, typer.Option(help="Seconds of rest after, on a character.")] = 0.0,
    step: Annotated[int | None, typer.Option(help="Drawings change on ones, twos or threes: 1, 2, 3; else as the character says.")] = None,
    change: Annotated[float | None, typer.Option(help="How dear a change of drawings is, 0..10; 1 as usual.")] = None,
    shortest: Annotated[int | None, typer.Option(help="Frames that a drawing is held at least; usually 2.")] = None,
    pins: Annotated[Path | None, typer.Option(help="A list of changes made elsewhere, which is kept: `frame name` or `seconds name` a line.")] = None,
    life: Annotated[float | None, typer.Option(help="Life from the voice (blinks, gaze, brows, head): its strength, 0..2; 1 as in talk.")] = None,
    seed: Annotated[int, typer.Option(help="Another number draws another life.")] = 0,
    head: Annotated[str, typer.Option(help="Whether the head moves: on or off.")] = "on",
    mood: Annotated[list[str] | None, typer.Option(help="NAME:START-END:STRENGTH in seconds, as in joy:0.5-2.5:0.8 (may be given again).")] = None,
    layer: Annotated[list[Path] | None, typer.Option(help="Recorded curves (.csv) or a head (.bvh), laid on (may be given again).")] = None,
    output: Output = None,
) -> None:  # fmt: skip
    """Compute the motion of the face; writes curves as JSON or CSV by the ending of -o.

    With --character: the curves of that character, as .csv, .json, .glb, .gltf, .vrma or .usda; the
    held drawings of a character of drawings, as .txt, .seconds.txt, .csv, .xsheet.csv, .xsheet.pdf,
    .xsheet.svg, .png-folder, .mouth.png-folder or .sprites.json.

    With --life, --mood or --layer the rest of the face moves, too; without them it is speech alone.
    """
    from ..handoff import curves
    from ..motion.loudness import measure
    from ..motion.perform import perform as compute
    from ..rates import frame_rate
    from .dressing import is_drawn

    drawn = character is not None and is_drawn(character)
    if character is None:
        only_for(context, ("first_frame", "rest_before", "rest_after"), "a character")
    if character is None or drawn:
        only_for(context, ("error",), "a character with a head")
    if not drawn:
        only_for(context, ("step", "change", "shortest", "pins"), "a character of drawings")
    rate = frame_rate(fps)
    wish_for = wanted(life, seed, head, mood, layer)
    delivery = Delivery(
        articulation=articulation, jaw_reach=jaw_reach, lead=lead, smoothing=smoothing, pace=pace,
        hold=hold, settle=settle, loudness_follow=loudness_follow, stress_follow=stress_follow,
        range_start=range_start, range_end=range_end, offset=offset, speed=speed,
    )  # fmt: skip
    reading, samples = _heard(Path(source), script, text, language, recording)
    loudness = measure(samples, 16_000) if samples is not None else None
    motion = compute(reading, delivery, fps=rate, loudness=loudness)
    motion = whole_face(motion, reading, delivery, wish_for, samples)
    if character is not None and drawn:
        wish = (step, change, shortest)
        rests = (rest_before, rest_after)
        _in_drawings(
            motion, reading, delivery, character, output, wish, first_frame, pins, samples, rests
        )
    elif character is not None:
        _on_character(motion, character, output, error, first_frame, rest_before, rest_after)
    elif output:
        curves.save(motion, output)
        messages.print(f"{motion.frames} frames at {fps} a second written to {output}")
    else:
        put_out(curves.to_json(motion), None)


def _heard(
    source: Path, script: str | None, text: str | None, language: str, recording: Path | None
) -> tuple[Reading, Samples | None]:
    """What is said, and its sound (16 kHz): of a reading, that of its recording, if that is to be found."""
    from ..speech.reading import load
    from ..speech.recording import open_recording

    if source.suffix.lower() != ".json":
        if recording is not None:
            raise typer.BadParameter("--recording belongs to a reading")
        reading = get_reading(str(source), script, text, language)
        return reading, open_recording(source).samples
    if script is not None or text is not None or language:
        raise typer.BadParameter(
            "a reading knows what is said; give the recording with a script instead"
        )
    reading = load(source)
    place = recording or source.parent / Path(reading.audio.file).name
    if recording is None and not place.is_file():
        messages.print(
            f"{reading.audio.file or 'Its recording'} is not beside the reading, so that its loudness plays no part; "
            "give --recording FILE.",
        )
        return reading, None
    found = open_recording(place)
    if abs(found.duration - reading.audio.duration) > OTHER:
        if recording is not None:
            raise RecordingError(f"{place.name} lasts {found.duration:.2f} s, but the reading is of {reading.audio.duration:.2f} s; give the recording that was listened to.")  # fmt: skip
        messages.print(f"{place.name} has changed since it was listened to, so that its loudness plays no part; listen again.")  # fmt: skip
        return reading, None
    return reading, found.samples


def _on_character(
    motion: Motion, character: str, output: str | None, error: float, first_frame: int, before: float,
    after: float,
) -> None:  # fmt: skip
    from ..characters.dressing import findings
    from ..handoff.dressed import hand_over, to_json
    from ..handoff.handing import Handing, rested
    from .dressing import dressed_from

    if not 0 <= error <= 50 or not 0 <= before <= 600 or not 0 <= after <= 600:
        raise typer.BadParameter("an error is between 0 and 50, a rest between 0 and 600")
    name = Path(output).stem if output else "line"
    handing = Handing(error / 100, first_frame, before, after, name)
    with progress(f"Dressing {Path(character).stem}") as told:
        dressed = dressed_from(character, progress=share(told, 0.0, 0.4))
        dress = dressed.wear(motion, progress=share(told, 0.4, 1.0))
        if output is None:
            put_out(to_json(rested(dress, handing), handing), None)
            return
        for path in hand_over(dress, dressed, Path(output), handing):
            messages.print(f"written to {path}")
    for finding in findings(dressed, dress):
        messages.print(f"! {finding}")


def _in_drawings(
    motion: Motion, reading: Reading, delivery: Delivery, character: str, output: str | None,
    wish: tuple[int | None, float | None, int | None], first_frame: int, pins: Path | None,
    samples: Samples | None, rests: tuple[float, float],
) -> None:  # fmt: skip
    import msgspec

    from ..characters.drawings.documents import check_drawings
    from ..characters.drawings.pins import Pin, with_pin
    from ..characters.drawings.sheet import said_of, sheet_of
    from ..errors import DocumentError
    from ..handoff.drawn import Spoken, hand_over, rested
    from ..handoff.exposure import read_changes, to_list
    from .dressing import drawings_from

    drawings, folder = drawings_from(character)
    own = drawings.wish
    asked = {k: v for k, v in zip(("step", "change", "hold"), wish, strict=True) if v is not None}
    drawings = msgspec.structs.replace(drawings, wish=msgspec.structs.replace(own, **asked))
    try:
        check_drawings(drawings)
    except DocumentError as error:
        raise typer.BadParameter(str(error)) from None
    fps = float(motion.fps)
    made: tuple[Pin, ...] = ()
    if pins is not None:
        if not pins.is_file():
            raise DocumentError(f"There is no file {pins}; check its name.")
        for first, after, mouth in read_changes(
            pins.read_bytes(), pins.name, drawings, motion.frames, fps, first_frame
        ):
            made = with_pin(made, mouth, first, after, reading, delivery, fps)
    sheet = sheet_of(motion, drawings, made, reading, delivery)
    name = Path(output).name.split(".")[0] if output else ""
    spoken = rested(Spoken(sheet, reading, delivery, folder, samples, first_frame, name), *rests)
    if output is None:
        put_out(to_list(spoken.sheet, first_frame), None)
        return
    with progress(f"Writing {Path(output).name}") as told:
        written = hand_over(spoken, Path(output), progress=told)
    for place in written:
        messages.print(f"written to {place}")
    for words in said_of(sheet):
        messages.print(words)
