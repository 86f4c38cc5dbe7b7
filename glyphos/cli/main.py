"""The command line: `glyphos` and its commands.

Results go to standard output or `-o`; messages and progress to standard error. Exit code 0 done,
1 the work failed with one sentence, 2 wrong usage.
"""

from __future__ import annotations

import os
import signal
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from importlib import import_module
from io import TextIOWrapper
from pathlib import Path
from typing import Annotated, TextIO

import typer

from .. import __version__
from ..errors import sentence
from .talk import messages

# Scoring runs on threads of its own; more threads inside each would only be in the way.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

HELP = (
    "Glyphos turns a recorded line of dialogue into a speaking face.\n\n"
    "Without a command it opens the window. The usual way in the shell:\n\n"
    "  glyphos listen line.wav --script line.txt -o line.json     when is each sound said?\n\n"
    "  glyphos perform line.json --fps 24 -o line.csv              how does the mouth move?\n\n"
    "  glyphos new show.glyphos; glyphos add show.glyphos recordings/ --listen   many at once\n\n"
    "  glyphos batch recordings/ --to out --formats csv,vtt            a whole folder, unattended\n\n"
    "  glyphos handoff show.glyphos -o out --curves csv --timing vtt   files for other programs\n\n"
    "  glyphos perform line.json --character head.glb -o line.glb      the same on your own head\n\n"
    "`perform` also takes the recording itself and does both at once."
)
# Commands and groups of them in the order of the help, with the module of each that is not named like it
COMMANDS = {"demo": "window", "open": "window"} | {
    name: name
    for name in ("listen", "perform", "check", "new", "add", "say", "batch", "lines", "proof", "handoff", "picture",
                 "movie", "touch", "tracker", "live")
}  # fmt: skip
GROUPS = ("character", "scene")


def command_line(arguments: Sequence[str] = ()) -> typer.Typer:
    """The command line for these arguments: of the one command that they name, else of all.

    One alone is read and built in a third of the time.
    """
    app = typer.Typer(add_completion=False, rich_markup_mode=None, help=HELP)
    app.callback(invoke_without_command=True)(start)
    first = arguments[0] if arguments else ""
    alone = first in COMMANDS or first in GROUPS or first == "--version"
    for name, module in COMMANDS.items():
        if name == first or not alone:
            functions = import_module(f".{module}", __package__)
            app.command(name=name)(getattr(functions, "open_" if name == "open" else name))
    for name in GROUPS:
        if name == first or not alone:
            app.add_typer(import_module(f".{name}", __package__).app, name=name)
    return app


def start(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    """Open the window if no command is given."""
    if version:
        print(f"glyphos {__version__}")
    elif context.invoked_subcommand is None:
        from .window import open_window

        open_window(None)


@contextmanager
def ended_in_order() -> Iterator[None]:
    """Whoever is asked to end, by a queue of a farm or a terminal that closes, ends as by Ctrl+C: what is half done is
    taken away, what is done is kept."""
    numbers = [n for n in (signal.SIGTERM, signal.SIGHUP) if signal.getsignal(n) == signal.SIG_DFL]
    for number in numbers:  # not those that `nohup` has ignored
        signal.signal(number, signal.default_int_handler)
    try:
        yield
    finally:
        for number in numbers:
            signal.signal(number, signal.SIG_DFL)


def write_any_text(out: TextIO) -> None:
    """Let a terminal of another encoding show what it can, and the rest by number, where it would refuse all."""
    if isinstance(out, TextIOWrapper) and out.errors == "strict":
        out.reconfigure(errors="backslashreplace")


def main() -> None:
    """Run the command line."""
    write_any_text(sys.stdout)
    arguments = sys.argv[1:]
    first = arguments[0] if arguments else "open"
    if (
        not first.startswith("-")
        and first not in COMMANDS
        and first not in GROUPS
        and (Path(first).exists() or os.sep in first or "." in first)
    ):
        sys.argv.insert(1, "open")  # `glyphos my-show.glyphos` opens the window on it
    try:
        with ended_in_order():
            command_line(sys.argv[1:] or ["open"])()
    except BrokenPipeError:
        sys.stderr.close()
        raise SystemExit(1) from None
    except Exception as error:  # whatever it is: one sentence, never a traceback
        messages.print(sentence(error))
        raise SystemExit(1) from None
