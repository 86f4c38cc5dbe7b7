"""`glyphos`, `glyphos demo`, `glyphos open`: the window."""

from __future__ import annotations

import gc
from pathlib import Path
from typing import Annotated

import typer


def demo() -> None:
    """Open the window on a copy of the demo production."""
    from ..production.demo import copy_demo

    open_window(copy_demo())


def open_(
    path: Annotated[str, typer.Argument(help="A production or a recording.")],
    line: Annotated[str, typer.Option(help="The line of a production that is shown, as a report names it.")] = "",
) -> None:  # fmt: skip
    """Open the window on a production or a recording."""
    open_window(Path(path), line)


def open_window(path: Path | None, line: str = "") -> None:
    """Open the window; without a path on what was open last. line: to be shown."""
    gc.disable()  # reading modules makes no garbage; an open window collects for itself
    from ..app.main import run

    raise SystemExit(run(path, line))
