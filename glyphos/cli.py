"""The same work from a shell. Results go to standard output or `-o`; messages to standard error."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import Progress

from . import __version__
from .errors import GlyphosError

app = typer.Typer(
    add_completion=False,
    rich_markup_mode=None,
    help="Glyphos turns a recorded line of dialogue into a speaking face.\n\n"
    "Without a command it opens the window. The usual way in the shell:\n\n"
    "  glyphos listen line.wav --script line.txt -o line.json     when is each sound said?\n\n"
    "  glyphos perform line.json --fps 24 -o line.csv              how does the mouth move?\n\n"
    "`perform` also takes the recording itself and does both at once.",
)
messages = Console(stderr=True, highlight=False, soft_wrap=True)

Audio = Annotated[str, typer.Argument(help="A recording: WAV, FLAC, Ogg, MP3, M4A, MP4 or WebM.")]
Script = Annotated[
    str | None,
    typer.Option(help="Text file with what is said; else the .txt of the same name beside AUDIO."),
]
Text = Annotated[str | None, typer.Option(help="What is said, given here instead of in a file.")]
Language = Annotated[str, typer.Option(help="Language code such as en, it, es, fr, de.")]
Output = Annotated[str | None, typer.Option("-o", "--output", help="Where to write the result.")]


@app.callback(invoke_without_command=True)
def start(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    """Open the window if no command is given."""
    if version:
        print(f"glyphos {__version__}")
    elif context.invoked_subcommand is None:
        _open_window(None)


@app.command()
def demo() -> None:
    """Open the window on a copy of the demo production."""
    from .production.demo import copy_demo

    _open_window(copy_demo())


@app.command(name="open")
def open_(path: Annotated[str, typer.Argument(help="A production or a recording.")]) -> None:
    """Open the window on a production or a recording."""
    _open_window(Path(path))


@app.command()
def listen(
    audio: Audio, script: Script = None, text: Text = None, language: Language = "en",
    output: Output = None,
) -> None:  # fmt: skip
    """Find every phrase, word and sound of a script in a recording; writes a Reading as JSON."""
    from .speech.reading import encode

    _write(encode(_listen(audio, script, text, language)), output)


@app.command()
def perform(
    source: Annotated[str, typer.Argument(help="A recording, or a reading made by `listen`.")],
    script: Script = None, text: Text = None, language: Language = "en",
    fps: Annotated[str, typer.Option(help="Frames a second: 24, 25, 29.97, 60 …")] = "24",
    articulation: Annotated[float, typer.Option(help="Strength of the shapes, 0..2.")] = 1.0,
    jaw_reach: Annotated[float, typer.Option(help="How far the jaw opens, 0..2.")] = 1.0,
    lead: Annotated[float, typer.Option(help="Milliseconds the mouth is early, -100..200.")] = 40,
    smoothing: Annotated[float, typer.Option(help="Easing in milliseconds, 0..120.")] = 30,
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
    from .handoff import curves
    from .motion.delivery import Delivery
    from .motion.loudness import measure
    from .motion.perform import frame_rate
    from .motion.perform import perform as compute
    from .speech.reading import load
    from .speech.recording import open_recording

    rate = frame_rate(fps)
    delivery = Delivery(
        articulation, jaw_reach, lead, smoothing, settle, loudness_follow, stress_follow,
        range_start, range_end, offset, speed,
    )  # fmt: skip
    loudness = None
    if Path(source).suffix.lower() == ".json":
        reading = load(source)
    else:
        reading = _listen(source, script, text, language)
        recording = open_recording(source)
        loudness = measure(recording.samples, 16_000)
    motion = compute(reading, delivery, fps=rate, loudness=loudness)
    if output:
        curves.save(motion, output)
        messages.print(f"{motion.frames} frames at {fps} a second written to {output}")
    else:
        _write(curves.to_json(motion), None)


def _listen(audio: str, script: str | None, text: str | None, language: str):  # type: ignore[no-untyped-def]
    from .errors import ScriptError
    from .speech.listen import listen as hear
    from .speech.recording import open_recording
    from .speech.script import read_script_file

    if script is not None and text is not None:
        raise typer.BadParameter("give --script or --text, not both")
    recording = open_recording(audio)
    if text is None:
        beside = Path(audio).with_suffix(".txt")
        if script is None and not beside.exists():
            raise ScriptError(
                f"There is no script: give --script FILE or --text, or put {beside.name} "
                "beside the recording."
            )
        text = read_script_file(script or beside)
    with Progress(console=messages, transient=True) as bar:
        task = bar.add_task(f"Listening to {recording.path.name}", total=1.0)
        return hear(
            recording, text, language=language,
            progress=lambda fraction: bar.update(task, completed=fraction),
        )  # fmt: skip


def _write(data: bytes, output: str | None) -> None:
    if output is None:
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        return
    from .files import write_atomic

    write_atomic(output, data)
    messages.print(f"written to {output}")


def _open_window(path: Path | None) -> None:
    from .app.main import run

    raise SystemExit(run(path))


def main() -> None:
    """Run the command line: exit code 0 done, 1 failed with one sentence, 2 wrong usage."""
    known = {"listen", "perform", "demo", "open"}
    arguments = sys.argv[1:]
    if (
        arguments
        and not arguments[0].startswith("-")
        and arguments[0] not in known
        and (Path(arguments[0]).exists() or os.sep in arguments[0] or "." in arguments[0])
    ):
        sys.argv.insert(1, "open")  # `glyphos my-show.glyphos` opens the window on it
    try:
        app()
    except GlyphosError as error:
        messages.print(str(error), markup=False)
        raise SystemExit(1) from None
    except BrokenPipeError:
        sys.stderr.close()
        raise SystemExit(1) from None
    except OSError as error:
        messages.print(f"{error.strerror or error}: {error.filename or ''}", markup=False)
        raise SystemExit(1) from None


if __name__ == "__main__":
    main()
