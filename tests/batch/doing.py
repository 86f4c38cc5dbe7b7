"""What tests let a job do in place of the real work: tasks that crash, hang, or eat memory, by the line's name."""

from __future__ import annotations

import os
import signal
import sys
import time
from collections.abc import Sequence
from pathlib import Path

import msgspec
import numpy as np

from glyphos.batch.task import Result, Task, work
from glyphos.errors import RecordingError
from glyphos.speech.reading import AudioInfo, Reading, encode


def quick(data: bytes, shared: Sequence[str] = ()) -> bytes:
    """A result at once, without listening. `slow…` takes a while, `die…` kills its process, `once…` does so the
    first time, `hang…` never ends, `hungry…` needs 360 MB, `bad…` cannot be done."""
    task = msgspec.msgpack.decode(data, type=Task)
    slug = task.line.slug
    if slug.startswith("bad"):
        raise RecordingError("It holds nothing.")
    if slug.startswith("die"):
        os.kill(os.getpid(), signal.SIGKILL)
    if slug.startswith("once"):
        first = Path(task.words_model) / slug
        if not first.exists():
            first.touch()
            os.kill(os.getpid(), signal.SIGKILL)
    if slug.startswith("hang"):
        time.sleep(600)
    if slug.startswith("hungry"):
        eaten = np.ones(45_000_000)
        time.sleep(600)
        assert eaten.any()
    if slug.startswith("slow"):
        time.sleep(0.25)
    reading = Reading("en", AudioInfo(task.sound_name, 1.0, 16_000))
    return msgspec.msgpack.encode(
        Result(
            encode(reading),
            files={f"{slug}.csv": slug.encode() + b"\n"},
            mouths="<svg/>",
            spoken=1.0,
        )
    )


def told(data: bytes, shared: Sequence[str] = ()) -> bytes:
    """The real work, and in a file which parts of large libraries it had to load for it."""
    before = set(sys.modules)
    result = msgspec.msgpack.decode(work(data, shared), type=Result)
    late = [m for m in sorted(set(sys.modules) - before) if m.split(".")[0] in ("av", "scipy")]
    return msgspec.msgpack.encode(
        msgspec.structs.replace(result, files=result.files | {"late.txt": "\n".join(late).encode()})
    )


def real(data: bytes, shared: Sequence[str] = ()) -> bytes:
    """The real work, unless a line's name says that its process dies."""
    task = msgspec.msgpack.decode(data, type=Task)
    if task.line.slug.startswith("once"):
        return quick(data, shared)
    return work(data, shared)
