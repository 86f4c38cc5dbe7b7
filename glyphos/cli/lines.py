"""`glyphos lines`: what a production has, and listening to what needs it."""

from __future__ import annotations

import json as encoder
from collections.abc import Sequence
from typing import Annotated

import typer
from rich.table import Table

from ..production.documents import STATES
from ..production.listing import SORTS, Listing
from ..production.store import Store
from .talk import Folder, WordsModel, console, counted, messages, progress, put_out


def lines(
    production: Folder,
    listen: Annotated[bool, typer.Option("--listen", help="Listen to every line that needs it first.")] = False,
    words_model: WordsModel = None,
    state: Annotated[str, typer.Option(help="Only lines in this state, such as doubtful.")] = "",
    search: Annotated[str, typer.Option(help="Only lines with these words.")] = "",
    sort: Annotated[str, typer.Option(help="order, speaker, length, state or words.")] = "order",
    json: Annotated[bool, typer.Option("--json", help="As JSON instead of a table.")] = False,
) -> None:  # fmt: skip
    """List the lines of a production with their states; with --listen, listen to them."""
    from ..production.production import Production
    from ..speech.words import prefer

    prefer(words_model)
    if state and state not in STATES:
        raise typer.BadParameter(f"a state is one of: {', '.join(STATES)}")
    if sort not in SORTS:
        raise typer.BadParameter(f"sort by one of: {', '.join(SORTS)}")
    well = True
    if listen:
        store = Store.open(production)
        try:
            wanted = [x.slug for x in store.production.lines if x.reading is None]
            well = listen_to_lines(store, wanted)
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
        put_out(encoder.dumps(rows, indent=1, ensure_ascii=False).encode() + b"\n", None)
    else:
        table = Table("line", "speaker", "state", "seconds", "words", box=None, pad_edge=False)
        for row in rows:
            table.add_row(*(str(row[k]) for k in ("line", "speaker", "state", "seconds", "words")))
        console().print(table)
    if not well:
        raise typer.Exit(1)


def listen_to_lines(store: Store, slugs: Sequence[str]) -> bool:
    """Listen to lines of an open production, several at once; problems are told a line each. Whether there are none.

    What is heard on a line without a script becomes its draft.
    """
    from ..batch.listening import listen_many, with_heard, work_for

    works = [work_for(store.production, x) for x in map(store.production.line, slugs)]
    if not works:
        messages.print("there is nothing to listen to")
        return True
    well = True
    with progress(f"Listening to {counted(len(works))}") as told:
        for heard in listen_many(works, progress=told):
            store.keep(store.production.put(with_heard(store.production.line(heard.slug), heard)))
            if heard.problem:
                well = False
                messages.print(f"{heard.slug}: {heard.problem}")
    return well
