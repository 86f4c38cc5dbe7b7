"""A better voice of the user's: any command that reads text on its standard input and writes WAV to its output."""

from __future__ import annotations

import os
import shlex
import signal
import subprocess
import tempfile
import time
from contextlib import suppress
from typing import IO

from ..errors import RecordingError
from ..files import reason
from ..progress import Progress

PATIENCE = 120.0  # seconds that a command may take for one line
MOST = 700_000_000  # bytes of an hour in stereo at 48 kHz
LOOK = 0.05  # seconds between two looks at it
SOUND = (b"RIFF", b"fLaC", b"OggS")


def by_command(
    command: str, text: str, *, seconds: float = PATIENCE, most: int = MOST, progress: Progress | None = None
) -> bytes:  # fmt: skip
    """What a voice command says: WAV. RecordingError, one sentence, where it says nothing, fails, hangs or never ends
    writing; progress may raise Cancelled. What it started then ends with it."""
    with (
        tempfile.TemporaryFile() as given,
        tempfile.TemporaryFile() as said,
        tempfile.TemporaryFile() as told,
    ):
        given.write(text.encode())
        given.seek(0)
        process = _started(command, given, said, told)
        end = time.monotonic() + seconds
        try:
            while not _over(process):
                if progress is not None:
                    progress(0.0)
                if time.monotonic() > end:
                    raise RecordingError(f"The voice command was not done after {seconds:g} seconds and was ended.")  # fmt: skip
                if os.fstat(said.fileno()).st_size > most:
                    raise RecordingError("The voice command wrote more than an hour of sound and was ended.")  # fmt: skip
        except BaseException:
            with suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()
            raise
        if process.returncode:
            told.seek(0)
            last = told.read().decode(errors="replace").strip().splitlines()[-1:]
            why = last[0] if last else "it says no more"
            raise RecordingError(f"The voice command ended with code {process.returncode}: {why}.")
        said.seek(0)
        sound = said.read()
    if sound[:4] not in SOUND:
        raise RecordingError("The voice command wrote no WAV to its standard output.")
    return sound


def _started(
    command: str, given: IO[bytes], said: IO[bytes], told: IO[bytes]
) -> subprocess.Popen[bytes]:
    """It runs in a group of processes of its own, so that all of it can be ended."""
    try:
        words = shlex.split(command)
        return subprocess.Popen(words, stdin=given, stdout=said, stderr=told, start_new_session=True)  # fmt: skip
    except FileNotFoundError:
        why = "there is no such program; check its name"
    except OSError as error:
        why = reason(error)
    except (ValueError, IndexError):
        why = "a quotation mark is not closed"
    raise RecordingError(f"The voice command “{command}” cannot be run: {why}.")


def _over(process: subprocess.Popen[bytes]) -> bool:
    """Whether it has ended, after a moment of waiting for it."""
    try:
        process.wait(LOOK)
    except subprocess.TimeoutExpired:
        return False
    return True
