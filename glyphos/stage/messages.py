"""What is said between whoever wants pictures and the stage's own process: messages with their length
before them."""

from __future__ import annotations

import struct
from typing import IO

import msgspec

LENGTH = struct.Struct("<I")


class Ask(msgspec.Struct):
    """One head as it is to be seen. model: a file, or one of ours by name. values: of our channels,
    for a head that says what they do. weights: of its own channels, for any other. framing: where its face is (`views.framing_from`).
    bones: turns of nodes in their own space, nine numbers row by row."""

    model: str
    camera: tuple[float, float, float, float, float]
    poses: str = ""
    values: dict[str, float] = {}
    weights: dict[str, float] = {}
    framing: tuple[float, ...] = ()
    mirror: bool = False
    wire: bool = False
    through: bool = False
    bones: dict[int, tuple[float, ...]] = {}


class Request(msgspec.Struct):
    """Heads side by side on a picture of a size. within: seconds that it may take, or it is drawn lightly (`pace`);
    0 if it is to be whole."""

    asks: list[Ask]
    size: tuple[int, int]
    background: str = "paper"
    fine: bool = False
    within: float = 0.0


class Reply(msgspec.Struct):
    """The size of the picture that follows, or what is wrong (final: it stays so)."""

    size: tuple[int, int] = (0, 0)
    problem: str = ""
    final: bool = False


def send(sink: IO[bytes], message: msgspec.Struct, more: bytes = b"") -> None:
    """A message with its length before it, and bytes behind it."""
    data = msgspec.msgpack.encode(message)
    sink.write(LENGTH.pack(len(data)) + data + more)
    sink.flush()


def receive(source: IO[bytes]) -> bytes | None:
    """A message; None at the end."""
    first = source.read(LENGTH.size)
    if len(first) < LENGTH.size:
        return None
    data = source.read(LENGTH.unpack(first)[0])
    return data if len(data) == LENGTH.unpack(first)[0] else None
