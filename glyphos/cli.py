"""The same work from a shell. Results go to standard output or `-o`; messages to standard error."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import Progress
from rich.table import Table

from . import __version__
from .errors import GlyphosError

# Scoring runs on threads of its own; more threads inside each would only be in the way.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

app = typer.Typer(
    add_completion=False,
    rich_markup_mode=None,
    help="Glyphos turns a recorded line of dialogue into a speaking face.\n\n"
    "Without a command it opens the window. The usual way in the shell:\n\n"
    "  glyphos listen line.wav --script line.txt -o line.json     when is each sound said?\n\n"
    "  glyphos perform line.json --fps 24 -o line.csv              how does the mouth move?\n\n"
    "  glyphos new show.glyphos; glyphos add show.glyphos recordings/ --listen   many at once\n\n"
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
    no_script: Annotated[bool, typer.Option("--no-script", help="Make out the words, too (English); they are a draft.")] = False,
    sounds: Annotated[bool, typer.Option("--sounds", help="Sounds only, without any words; for every language.")] = False,
    lexicon: Annotated[str | None, typer.Option(help="File of own pronunciations: a word and its sounds a line.")] = None,
    check: Annotated[bool, typer.Option("--check", help="Check the recording first and say what is found.")] = False,
    clean: Annotated[bool, typer.Option("--clean", help="Listen to a cleaned copy of the recording.")] = False,
    channel: Annotated[int, typer.Option(help="Listen to one channel, from 1; 0 for all.")] = 0,
    output: Output = None,
) -> None:  # fmt: skip
    """Find every phrase, word and sound of a script in a recording; writes a Reading as JSON.

    With -o, the ending says how: .json, .csv, .vtt, .srt or .TextGrid.
    """
    from .handoff import timing
    from .speech.reading import encode

    if check:
        _print_check(_check(audio), messages)
    reading = _listen(audio, script, text, language, no_script=no_script, sounds=sounds,
                      lexicon=lexicon, clean=clean, channel=channel)  # fmt: skip
    if output and not output.lower().endswith(".json"):
        timing.save(reading, output)
        messages.print(f"written to {output}")
    else:
        _write(encode(reading), output)


@app.command()
def check(
    audio: Audio,
    json: Annotated[bool, typer.Option("--json", help="As JSON instead of a table.")] = False,
) -> None:
    """Check a recording: level, clipping, noise, music, channels; what each does to the result."""
    import msgspec

    result = _check(audio)
    if json:
        _write(msgspec.json.format(msgspec.json.encode(result), indent=1) + b"\n", None)
    else:
        _print_check(result, Console(highlight=False))


@app.command()
def new(
    folder: Annotated[str, typer.Argument(help="The folder to make, such as my-show.glyphos.")],
    name: Annotated[str | None, typer.Option(help="What the production is called.")] = None,
    fps: Annotated[str, typer.Option(help="Frames a second.")] = "24",
    language: Annotated[str, typer.Option(help="Usual language of its lines.")] = "en",
) -> None:
    """Make a new, empty production."""
    import dataclasses

    import msgspec

    from .motion.perform import frame_rate
    from .production.store import Store
    from .speech.espeak import voice_for

    frame_rate(fps)
    voice_for(language)
    store = Store.create(folder, name=name or Path(folder).stem, fps=fps)
    header = msgspec.structs.replace(store.production.header, language=language)
    store.keep(dataclasses.replace(store.production, header=header))
    store.close()
    messages.print(f"{folder} made; bring in lines with: glyphos add {folder} FILES…")


@app.command()
def add(
    production: Annotated[str, typer.Argument(help="A production's folder.")],
    files: Annotated[list[str], typer.Argument(help="Recordings, folders, or tables (CSV: file, speaker, language, text).")],
    listen: Annotated[bool, typer.Option("--listen", help="Listen to the new lines at once.")] = False,
) -> None:  # fmt: skip
    """Bring recordings into a production, each with the .txt beside it as its script."""
    from .errors import ScriptError
    from .production.adding import add_lines, wanted_from
    from .production.store import Store

    store = Store.open(production)
    try:
        wanted = wanted_from(files)
        if not wanted:
            raise ScriptError("There are no recordings in there; name sound or video files.")
        with Progress(console=messages, transient=True) as bar:
            task = bar.add_task("Adding", total=1.0)
            added = add_lines(store.production, wanted,
                              progress=lambda f: bar.update(task, completed=f))  # fmt: skip
        store.keep(added.production)
        for refusal in added.refused:
            messages.print(f"left out: {refusal}", markup=False)
        messages.print(f"{len(added.slugs)} lines added")
        if listen:
            _listen_lines(store, added.slugs)
    finally:
        store.close()
    if added.refused:
        raise SystemExit(1)


@app.command()
def lines(
    production: Annotated[str, typer.Argument(help="A production's folder.")],
    listen: Annotated[bool, typer.Option("--listen", help="Listen to every line that needs it first.")] = False,
    state: Annotated[str, typer.Option(help="Only lines in this state, such as doubtful.")] = "",
    search: Annotated[str, typer.Option(help="Only lines with these words.")] = "",
    sort: Annotated[str, typer.Option(help="order, speaker, length, state or words.")] = "order",
    json: Annotated[bool, typer.Option("--json", help="As JSON instead of a table.")] = False,
) -> None:  # fmt: skip
    """List the lines of a production with their states; with --listen, listen to them."""
    from .production.listing import SORTS, Listing
    from .production.production import STATES, Production
    from .production.store import Store

    if state and state not in STATES:
        raise typer.BadParameter(f"a state is one of: {', '.join(STATES)}")
    if sort not in SORTS:
        raise typer.BadParameter(f"sort by one of: {', '.join(SORTS)}")
    if listen:
        store = Store.open(production)
        try:
            wanted = [
                x.slug for x in store.production.lines if x.reading is None and x.script.strip()
            ]
            _listen_lines(store, wanted)
            shown = store.production
        finally:
            store.close()
    else:
        shown = Production.open(production)
    listing = Listing()
    found = listing.listed(shown.lines, text=search, state=state, sort=sort)
    rows = [{"line": x.slug, "speaker": x.speaker, "state": listing.state(x), "seconds": round(x.duration, 2),
             "language": x.language, "words": x.title, "problem": x.problem} for x in found]  # fmt: skip
    if json:
        import json as encoder

        _write(encoder.dumps(rows, indent=1, ensure_ascii=False).encode() + b"\n", None)
        return
    table = Table("line", "speaker", "state", "seconds", "words", box=None, pad_edge=False)
    for row in rows:
        table.add_row(*(str(row[k]) for k in ("line", "speaker", "state", "seconds", "words")))
    Console(highlight=False).print(table)


def _listen_lines(store, slugs) -> None:  # type: ignore[no-untyped-def]
    from .production.batch import job_for, listen_many, with_heard
    from .production.production import read_lexicon

    lexicon = read_lexicon(store.folder)
    jobs = [job_for(store.production, store.production.line(s), lexicon) for s in slugs
            if store.production.line(s).script.strip()]  # fmt: skip
    if not jobs:
        messages.print("there is nothing to listen to")
        return
    with Progress(console=messages, transient=True) as bar:
        task = bar.add_task(f"Listening to {len(jobs)} lines", total=len(jobs))
        for heard in listen_many(jobs):
            line = with_heard(store.production.line(heard.slug), heard)
            store.keep(store.production.with_line(line))
            bar.advance(task)
            if heard.problem:
                messages.print(f"{heard.slug}: {heard.problem}", markup=False)


def _check(audio: str):  # type: ignore[no-untyped-def]
    from .proof.recording_check import check as measure

    return measure(audio)


def _print_check(result, console: Console) -> None:  # type: ignore[no-untyped-def]
    table = Table(box=None, show_header=False, pad_edge=False)
    for name, value in (
        ("recording", result.file), ("length", f"{result.duration:.2f} s"),
        ("sample rate", f"{result.sample_rate} Hz"), ("channels", str(result.channels)),
        ("loudness", f"{result.loudness:.1f} LUFS"), ("peak", f"{result.peak:.1f} dB"),
        ("noise floor", f"{result.noise_floor:.1f} dB"), ("voice above noise", f"{result.signal_to_noise:.1f} dB"),
        ("clipped samples", str(result.clipped)), ("heard up to", f"{result.bandwidth:.0f} Hz"),
    ):  # fmt: skip
        table.add_row(name, value)
    for finding in result.findings:
        table.add_row(finding.severity, f"{finding.text} {finding.advice}".strip())
    console.print(table)


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


def _listen(  # type: ignore[no-untyped-def]
    audio: str, script: str | None, text: str | None, language: str, *, no_script: bool = False,
    sounds: bool = False, lexicon: str | None = None, clean: bool = False, channel: int = 0,
):  # fmt: skip
    from .errors import ScriptError
    from .speech.espeak import voice_for
    from .speech.lexicon import read_lexicon_file
    from .speech.listening import listen_line
    from .speech.recording import open_recording
    from .speech.script import read_script_file

    if script is not None and text is not None:
        raise typer.BadParameter("give --script or --text, not both")
    if (no_script or sounds) and (script is not None or text is not None):
        raise typer.BadParameter("give a script, or --no-script or --sounds, not both")
    voice_for(language)
    own = read_lexicon_file(lexicon) if lexicon else None
    recording = open_recording(audio, channel=channel - 1 if channel else None)
    if no_script or sounds:
        return _listen_unscripted(recording, language, sounds)
    if text is None:
        beside = Path(audio).with_suffix(".txt")
        if script is None and not beside.exists():
            raise ScriptError(
                f"There is no script: give --script FILE or --text, put {beside.name} beside the "
                "recording, or use --no-script."
            )
        text = read_script_file(script or beside)
    with Progress(console=messages, transient=True) as bar:
        task = bar.add_task(f"Listening to {recording.path.name}", total=1.0)
        return listen_line(
            recording, text, language=language, lexicon=own, condition=clean,
            progress=lambda fraction: bar.update(task, completed=fraction),
        )  # fmt: skip


def _listen_unscripted(recording, language: str, sounds: bool):  # type: ignore[no-untyped-def]
    from .speech.recognise import listen_for_sounds, listen_without_script

    make = listen_for_sounds if sounds else listen_without_script
    with Progress(console=messages, transient=True) as bar:
        task = bar.add_task(f"Making out {recording.path.name}", total=1.0)
        return make(recording, language=language, progress=lambda f: bar.update(task, completed=f))


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
    known = {c.name or c.callback.__name__ for c in app.registered_commands if c.callback}
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
