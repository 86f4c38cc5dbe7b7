"""Commands of the shell, run in this process."""

from __future__ import annotations

from collections.abc import Sequence

from typer.testing import CliRunner, Result

from glyphos.cli.main import command_line


def invoke(words: Sequence[object]) -> Result:
    """What a command says, and how it ends; what it raises is in `exception`."""
    arguments = [str(w) for w in words]
    return CliRunner().invoke(command_line(arguments), arguments)
