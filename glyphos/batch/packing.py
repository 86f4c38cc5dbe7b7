"""What of a production a task takes along: the recording, recorded curves, and the files of a character."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import msgspec

from ..characters.builtin import BUILTIN, SETS
from ..characters.sources import files_with
from ..errors import ModelError, RecordingError
from ..files import reason
from ..production.documents import Character, Line
from ..production.production import Production
from .task import Pack

LARGEST = 200_000_000  # bytes of a recording that is sent
MOST = 600  # files of a folder of drawings


def sound_of(production: Production, line: Line) -> bytes:
    """A line's recording as it lies there; RecordingError where it cannot be taken."""
    path = production.audio_path(line)
    try:
        size = path.stat().st_size
        if size > LARGEST:
            raise RecordingError(
                f"{path.name} has {size / 1e6:,.0f} MB, which is too much for one line; cut it into lines first."
            )
        return path.read_bytes()
    except FileNotFoundError:
        raise RecordingError(f"The recording {path.name} is missing; bring it back.") from None
    except OSError as error:
        raise RecordingError(f"{path.name} cannot be read: {reason(error)}.") from None


def layers_of(production: Production, line: Line) -> dict[str, bytes]:
    """Files of curves that lie on a line, by their place."""
    made = {}
    for recorded in line.recorded:
        path = production.folder / recorded.file
        if path.is_file():
            made[recorded.file] = path.read_bytes()
    return made


def pack_of(production: Production, character: Character) -> tuple[Character, bytes]:
    """A character as its pack has it, and the pack; no bytes for one of ours. ModelError where it is not there."""
    if character.model in (*BUILTIN, *SETS):
        return character, b""
    path = (production.folder / character.model).resolve()
    try:
        found = {Path(os.path.normpath(p)) for p in _files(path, character)}
        root = os.path.commonpath([path.parent, *(p.parent for p in found)])
        files = {p.relative_to(root).as_posix(): p.read_bytes() for p in found}
    except OSError as error:
        raise ModelError(f"{path.name}, which {character.name} wears, cannot be read: {reason(error)}.") from None  # fmt: skip
    packed = msgspec.structs.replace(character, model=path.relative_to(root).as_posix())
    return packed, msgspec.msgpack.encode(Pack(dict(sorted(files.items()))))


def _files(path: Path, character: Character) -> Iterator[Path]:
    if path.is_dir():
        inside = sorted(p for p in path.rglob("*") if p.is_file() and p.name[0] != ".")
        yield from inside[:MOST]
        return
    yield from files_with(path, character.poses)
