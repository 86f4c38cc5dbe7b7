"""`glyphos perform`: a recording or a Reading becomes curves."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from .talk import Language, Output, Script, Text, get_reading, messages, put_out


def perform(
    source: Annotated[str, typer.Argument(help="A recording, or a reading made by `listen`.")],
    script: Script = None, text: Text = None, language: Language = "en",
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
    output: Output = None,
) -> None:  # fmt: skip
    """Compute the motion of the face; writes curves as JSON or CSV by the ending of -o."""
    from ..handoff import curves
    from ..motion.delivery import Delivery
    from ..motion.loudness import measure
    from ..motion.perform import perform as compute
    from ..rates import frame_rate
    from ..speech.reading import load
    from ..speech.recording import open_recording

    rate = frame_rate(fps)
    delivery = Delivery(
        articulation=articulation, jaw_reach=jaw_reach, lead=lead, smoothing=smoothing, pace=pace,
        hold=hold, settle=settle, loudness_follow=loudness_follow, stress_follow=stress_follow,
        range_start=range_start, range_end=range_end, offset=offset, speed=speed,
    )  # fmt: skip
    loudness = None
    if Path(source).suffix.lower() == ".json":
        reading = load(source)
    else:
        reading = get_reading(source, script, text, language)
        recording = open_recording(source)
        loudness = measure(recording.samples, 16_000)
    motion = compute(reading, delivery, fps=rate, loudness=loudness)
    if output:
        curves.save(motion, output)
        messages.print(f"{motion.frames} frames at {fps} a second written to {output}")
    else:
        put_out(curves.to_json(motion), None)
