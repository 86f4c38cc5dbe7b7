"""What the commands share: options, messages, progress, and getting a reading of a recording."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ..errors import ScriptError, printable
from ..files import write_atomic
from ..progress import Progress
from ..speech.captioned import script_beside

if TYPE_CHECKING:  # most commands say nothing, and the window has other ways
    from rich.console import Console

    from ..speech.reading import Reading


class Messages:
    """Standard error; what prints there is loaded when something is said."""

    @cached_property
    def console(self) -> Console:
        return console(stderr=True)

    def print(self, what: str) -> None:
        self.console.print(printable(what), soft_wrap=True)


def console(*, stderr: bool = False) -> Console:
    """A terminal that shows texts as they are: names and scripts may hold what could be taken for markup."""
    from rich.console import Console

    return Console(stderr=stderr, highlight=False, markup=False, emoji=False)


messages = Messages()

Audio = Annotated[str, typer.Argument(help="A recording: WAV, FLAC, Ogg, MP3, M4A, MP4 or WebM.")]
Script = Annotated[
    str | None,
    typer.Option(
        help="Text file with what is said; else the .txt (or .vtt, .srt) of the same name beside AUDIO."
    ),
]
Text = Annotated[str | None, typer.Option(help="What is said, given here instead of in a file.")]
Language = Annotated[
    str,
    typer.Option(
        help="Language code such as en, en-gb, it, es, fr, de; else the one the script is in, or en."
    ),
]
Output = Annotated[str | None, typer.Option("-o", "--output", help="Where to write the result.")]
Folder = Annotated[str, typer.Argument(metavar="PRODUCTION", help="A production's folder.")]


@contextmanager
def progress(what: str) -> Iterator[Progress]:
    """A bar on standard error while something is done."""
    from rich.markup import escape
    from rich.progress import Progress as Bar

    with Bar(console=messages.console, transient=True) as bar:
        task = bar.add_task(escape(printable(what)), total=1.0)
        yield lambda fraction: bar.update(task, completed=fraction)


def only_for(context: typer.Context, names: Sequence[str], whom: str) -> None:
    """BadParameter for an option that was given to what does not know it; an option without effect would mislead.

    names: of parameters. whom: what they belong to, in words.
    """
    for name in names:
        source = context.get_parameter_source(name)
        if source is not None and source.name == "COMMANDLINE":
            raise typer.BadParameter(f"--{name.replace('_', '-')} is for {whom}")


def put_out(data: bytes, output: str | None) -> None:
    """Write a result to a file or to standard output."""
    if output is None:
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
    else:
        write_atomic(output, data)
        messages.print(f"written to {output}")


def counted(count: int, what: str = "line") -> str:
    """`1 line`, `2 lines`."""
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def tell_left_out(slugs: Iterable[str]) -> None:
    """Of lines that cannot be shown or handed over yet."""
    for slug in slugs:
        messages.print(f"left out: {slug} has not been listened to")


WordsModel = Annotated[
    Path | None,
    typer.Option(
        help="Folder of a model for words in the format of faster-whisper, for other languages."
    ),
]


def get_reading(
    audio: str, script: str | None, text: str | None, language: str, *, no_script: bool = False,
    sounds: bool = False, lexicon: str | None = None, clean: bool = False, channel: int = 0,
    words_model: Path | None = None,
) -> Reading:  # fmt: skip
    """Listen to a recording as the options say."""
    from ..speech.espeak import language_name, voice_for
    from ..speech.lexicon import read_lexicon_file
    from ..speech.listening import listen_line
    from ..speech.recording import open_recording
    from ..speech.scripted import name_told
    from ..speech.sounds_only import listen_for_sounds
    from ..speech.words import prefer
    from ..speech.written import languages_of
    from ..voice.unwritten import listen_unwritten

    if script is not None and text is not None:
        raise typer.BadParameter("give --script or --text, not both")
    if (no_script or sounds) and (script is not None or text is not None):
        raise typer.BadParameter("give a script, or --no-script or --sounds, not both")
    named, language = language, language or "en"
    voice_for(language)
    prefer(words_model)
    own = read_lexicon_file(lexicon) if lexicon else None
    recording = open_recording(audio, channel=channel - 1 if channel else None)
    if no_script or sounds:
        with progress(f"Making out {recording.name}") as told:
            if sounds:
                return listen_for_sounds(recording, language=language, progress=told)
            reading, made = listen_unwritten(recording, language=language, progress=told)
            if made.seems(language):
                messages.print(
                    f"This sounds like another language ({made.language}); give --language."
                )
            elif doubt := made.doubt_told(language):
                messages.print(doubt)
            if not made.text:
                messages.print("No words could be made out; these are the sounds that are heard.")
            return reading
    if text is None:
        text = _script_text(audio, script)
    if not named:
        (language,) = languages_of([text], language)
        if language != "en":
            messages.print(f"The script is in {language_name(language)}.")
    with progress(f"Listening to {recording.name}") as told:
        reading = listen_line(
            recording, text, language=language, lexicon=own, condition=clean, progress=told
        )
    if named := name_told(text, reading):
        messages.print(named)
    return reading


def _script_text(audio: str, script: str | None) -> str:
    from ..speech.script import read_script_file

    found = script or script_beside(Path(audio))
    if found is None:
        raise ScriptError(
            f"There is no script: give --script FILE or --text, put {Path(audio).stem}.txt beside the "
            "recording, or use --no-script."
        )
    return read_script_file(found)
