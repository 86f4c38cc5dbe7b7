"""`glyphos listen`: a recording and its script become a Reading."""

from __future__ import annotations

from typing import Annotated

import typer

from .check import measured, show
from .talk import Audio, Language, Output, Script, Text, WordsModel, get_reading, messages, put_out


def listen(
    audio: Audio, script: Script = None, text: Text = None, language: Language = "",
    no_script: Annotated[bool, typer.Option("--no-script", help="Make out the words, too; they are a draft.")] = False,
    sounds: Annotated[bool, typer.Option("--sounds", help="Sounds only, without any words; for every language.")] = False,
    lexicon: Annotated[str | None, typer.Option(help="File of own pronunciations: a word and its sounds a line.")] = None,
    check: Annotated[bool, typer.Option("--check", help="Check the recording first and say what is found.")] = False,
    clean: Annotated[bool, typer.Option("--clean", help="Listen to a cleaned copy of the recording.")] = False,
    channel: Annotated[int, typer.Option(help="Listen to one channel, from 1; 0 for all.")] = 0,
    words_model: WordsModel = None, output: Output = None,
) -> None:  # fmt: skip
    """Find every phrase, word and sound of a script in a recording; writes a Reading as JSON.

    With -o, the ending says how: .json, .csv, .vtt, .srt or .TextGrid.
    """
    from ..handoff import timing
    from ..speech.reading import encode

    if check:
        show(measured(audio), messages.console)
    reading = get_reading(audio, script, text, language, no_script=no_script, sounds=sounds,
                          lexicon=lexicon, clean=clean, channel=channel, words_model=words_model)  # fmt: skip
    if output and not output.lower().endswith(".json"):
        timing.save(reading, output)
        messages.print(f"written to {output}")
    else:
        put_out(encode(reading), output)
