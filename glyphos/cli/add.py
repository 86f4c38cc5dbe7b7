"""`glyphos add`: recordings become lines of a production."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

import typer

from ..errors import ScriptError
from .lines import listen_to_lines
from .talk import Folder, WordsModel, counted, messages, progress


def add(
    production: Folder,
    files: Annotated[list[str], typer.Argument(help="Recordings, folders, or tables (CSV: file, speaker, language, text).")],
    listen: Annotated[bool, typer.Option("--listen", help="Listen to the new lines at once.")] = False,
    language: Annotated[str, typer.Option(help="Language of recordings whose table says none; else the production's.")] = "",
    words_model: WordsModel = None,
) -> None:  # fmt: skip
    """Bring recordings into a production, each with the .txt (or .vtt, .srt) beside it as its script."""
    from ..production.adding import add_lines, languages_told, there_already, wanted_from
    from ..production.store import Store
    from ..speech.words import prefer

    prefer(words_model)
    store = Store.open(production)
    try:
        found = wanted_from(files)
        if not found.wanted and not found.refused:
            raise ScriptError("There are no recordings in there; name sound or video files.")
        wanted = [replace(w, language=w.language or language) for w in found.wanted]
        with progress("Adding") as told:
            added = add_lines(store.production, wanted, progress=told)
        told_in = languages_told(added.told, store.production.header.language)
        again = there_already(store.production, added.lines)
        store.keep(store.production.added(added.lines))
        refused = (*found.refused, *added.refused)
        for refusal in refused:
            messages.print(f"left out: {refusal}")
        messages.print(f"{counted(len(added.lines))} added{told_in}{again}")
        well = not listen or listen_to_lines(store, [x.slug for x in added.lines])
    finally:
        store.close()
    if refused or not well:
        raise SystemExit(1)
