"""The command line: `glyphos` and its commands.

Results go to standard output or `-o`; messages and progress to standard error. Exit code 0 done,
1 the work failed with one sentence, 2 wrong usage.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from .. import __version__
from ..errors import sentence
from .add import add
from .batch import batch
from .character import app as character
from .check import check
from .handoff import handoff
from .lines import lines
from .listen import listen
from .live import live
from .movie import movie
from .new import new
from .perform import perform
from .picture import picture
from .proof import proof
from .say import say
from .scene import app as scene
from .talk import messages
from .touch import touch
from .tracker import tracker
from .window import demo, open_, open_window

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
    "  glyphos batch recordings/ --to out --formats csv,vtt            a whole folder, unattended\n\n"
    "  glyphos handoff show.glyphos -o out --curves csv --timing vtt   files for other programs\n\n"
    "  glyphos perform line.json --character head.glb -o line.glb      the same on your own head\n\n"
    "`perform` also takes the recording itself and does both at once.",
)
app.command()(demo)
app.command(name="open")(open_)
for command in (
    listen,
    perform,
    check,
    new,
    add,
    say,
    batch,
    lines,
    proof,
    handoff,
    picture,
    movie,
    touch,
    tracker,
    live,
):
    app.command()(command)
app.add_typer(character, name="character")
app.add_typer(scene, name="scene")


@app.callback(invoke_without_command=True)
def start(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    """Open the window if no command is given."""
    if version:
        print(f"glyphos {__version__}")
    elif context.invoked_subcommand is None:
        open_window(None)


def main() -> None:
    """Run the command line."""
    known = {c.name or c.callback.__name__ for c in app.registered_commands if c.callback}
    known |= {str(g.name) for g in app.registered_groups}
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
    except BrokenPipeError:
        sys.stderr.close()
        raise SystemExit(1) from None
    except Exception as error:  # whatever it is: one sentence, never a traceback
        messages.print(sentence(error), markup=False)
        raise SystemExit(1) from None
