"""A process that works for another one: takes a function and what it is given, answers with what it made. It branches
off from the `stem`. Standard output stays free for whatever a library prints."""

from __future__ import annotations

import os
import pickle
import tempfile
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path
from time import process_time

from ..errors import GlyphosError, sentence

BEGUN = b"begun"
TICKS = os.sysconf("SC_CLK_TCK")


def serve(read: int, write: int) -> None:
    """Do what is asked until nobody asks any more. Tells that it has begun, then answers: (True, value, seconds of the processor) or
    (False, a sentence, whether a person can act on it)."""
    asked, told = Connection(read, writable=False), Connection(write, readable=False)
    while True:
        try:
            request = asked.recv_bytes()
        except EOFError:
            return
        began = spent()
        try:
            function, given = pickle.loads(request)
            told.send_bytes(BEGUN)  # what it needs is read; from now on its time counts
            answer = (True, function(*given), spent() - began)
        except Exception as error:  # whatever it is, it is told; the next task may be a better one
            answer = (False, sentence(error), isinstance(error, GlyphosError))
        told.send_bytes(pickle.dumps(answer, pickle.HIGHEST_PROTOCOL))


def live_in(environment: dict[str, str], folder: str) -> None:
    """What a hand is asked first. environment: that of who asks, as it is now; folder: where temporary files are kept,
    "" for where they usually are."""
    os.environ.clear()
    os.environ.update(environment)
    if folder:
        os.environ["TMPDIR"] = folder
    tempfile.tempdir = None  # it is found again


def spent() -> float:
    """Seconds of processors that this process and the helpers it has running have used."""
    return process_time() + sum(map(_used, _children(os.getpid())))


def _children(pid: int) -> list[int]:
    found: list[int] = []
    for task in Path(f"/proc/{pid}/task").glob("*/children"):
        with suppress(OSError):
            found += map(int, task.read_text().split())
    return found


def _used(pid: int) -> float:
    with suppress(OSError, IndexError):
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / TICKS
    return 0.0
