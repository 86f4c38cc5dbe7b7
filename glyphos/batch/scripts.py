"""Programs of the user's own, run before and after a line or a job: any executable that reads the line as JSON
on its standard input. Its exit code says whether it went well; what it prints goes to the log."""

from __future__ import annotations

import os
import shlex
import signal
import subprocess
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec

from ..errors import GlyphosError

TAIL = 4000  # characters of its output that are kept


class ScriptFailed(GlyphosError):
    """It ended with another code than 0, or not in time."""


@dataclass(frozen=True)
class Ran:
    """What it printed."""

    output: str


def check_command(command: str) -> None:
    """ScriptFailed for a command that cannot be run."""
    from shutil import which

    try:
        words = shlex.split(command)
    except ValueError as error:
        raise ScriptFailed(f"“{command}” is no command: {str(error).lower()}.") from None
    if words and which(words[0]) is None:
        raise ScriptFailed(f"“{words[0]}” is no program that can be run; check its name and whether it may be executed.")  # fmt: skip


def run_script(command: str, told: dict[str, Any], *, folder: Path, seconds: float) -> Ran:
    """Run a command; ScriptFailed says how it ended, in one sentence."""
    words = shlex.split(command)
    try:
        process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, cwd=folder,
            start_new_session=True,
        )  # fmt: skip
    except OSError as error:
        raise ScriptFailed(f"“{words[0]}” cannot be run: {(error.strerror or str(error)).lower()}.") from None  # fmt: skip
    try:
        output, _ = process.communicate(msgspec.json.encode(told), timeout=seconds or None)
    except subprocess.TimeoutExpired:
        _end(process)
        raise ScriptFailed(f"“{words[0]}” was not done after {seconds:g} seconds and was ended.") from None  # fmt: skip
    except BaseException:
        _end(process)
        raise
    text = output.decode(errors="replace")[-TAIL:].strip()
    if process.returncode:
        last = f": {text.splitlines()[-1]}" if text else ""
        raise ScriptFailed(f"“{words[0]}” ended with code {process.returncode}{last}")
    return Ran(text)


def _end(process: subprocess.Popen[bytes]) -> None:
    """With everything it has begun."""
    try:
        os.killpg(process.pid, signal.SIGKILL)
    except ProcessLookupError:
        process.kill()
    process.wait()
