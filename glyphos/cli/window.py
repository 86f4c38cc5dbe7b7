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


def open_(path: Annotated[str, typer.Argument(help="A production or a recording.")]) -> None:
    """Open the window on a production or a recording."""
    open_window(Path(path))


def open_window(path: Path | None) -> None:
    """Open the window; without a path on what was open last."""
    gc.disable()  # reading modules makes no garbage; an open window collects for itself
    from ..app.main import run

    raise SystemExit(run(path))
