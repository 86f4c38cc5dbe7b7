"""The stage in a process of its own: what a driver does, or dies of, is kept from the window, which
never waits. Requests come on standard input, pictures go to standard output (see `client`)."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Mapping
from pathlib import Path
from typing import IO, Any

import msgspec
import numpy as np

from ..characters.head import Head
from ..characters.models.opening import open_head
from ..characters.posing import Turns, played
from ..characters.sources import HeadState, head_state
from ..errors import GlyphosError, sentence
from .messages import Reply, Request, receive, send
from .pace import Pace
from .renderer import Shot, Stage
from .views import Camera, framing_from

KEPT = 6  # heads at once


class Heads:
    """Heads that are in use, by their file as it is now."""

    def __init__(self, stage: Stage) -> None:
        self._stage = stage
        self._kept: dict[tuple[str, str, HeadState], Head] = {}

    def get(self, model: str, poses: str) -> Head:
        key = (model, poses, head_state(model, poses))
        if key not in self._kept:
            head = open_head(model, poses=Path(poses) if poses else None)
            while len(self._kept) >= KEPT:
                self._stage.forget(self._kept.pop(next(iter(self._kept))))
            self._kept[key] = head
        self._kept[key] = self._kept.pop(key)  # the latest last
        return self._kept[key]


def draw(stage: Stage, heads: Heads, request: Request, *, light: bool = False) -> Any:
    """The pixels of a request. light: with fewer triangles."""
    shots = []
    for ask in request.asks:
        head = heads.get(ask.model, ask.poses)
        weights, turns = played(head, ask.values)
        if ask.bones:
            turns = with_bones(turns, ask.bones)
        if head.rig is None or ask.weights:
            weights = ask.weights
        camera = Camera(*ask.camera)
        framing = framing_from(ask.framing)
        shots.append(Shot(head, weights, turns, camera, ask.mirror, ask.wire, ask.through, framing))
    return stage.draw(
        shots, request.size, background=request.background, fine=request.fine, light=light
    )


def draw_soon(stage: Stage, heads: Heads, pace: Pace, request: Request) -> Any:
    """The pixels of a request, drawn as well as can be in its time."""
    began = time.perf_counter()
    pixels = draw(stage, heads, request, light=pace.light(request.size, request.within))
    pace.took(request.size, request.within, time.perf_counter() - began)
    return pixels


def with_bones(turns: Turns, bones: Mapping[int, tuple[float, ...]]) -> Turns:
    """Turned nodes with those that a recorded body turns."""
    made = dict(turns)
    for node, numbers in bones.items():
        turn = np.eye(4)
        turn[:3, :3] = np.reshape(numbers, (3, 3))
        made[node] = made.get(node, np.eye(4)) @ turn
    return made


def main(source: IO[bytes], sink: IO[bytes]) -> None:
    """Answer requests until the input ends."""
    try:
        stage = Stage()
    except GlyphosError as error:
        send(sink, Reply(problem=str(error), final=True))
        return
    heads, pace = Heads(stage), Pace()
    send(sink, Reply())
    while (data := receive(source)) is not None:
        try:
            pixels = draw_soon(stage, heads, pace, msgspec.msgpack.decode(data, type=Request))
        except Exception as error:  # whatever it is, one sentence
            send(sink, Reply(problem=sentence(error)))
            continue
        height, width = pixels.shape[:2]
        send(sink, Reply((width, height)), np.ascontiguousarray(pixels).tobytes())


if __name__ == "__main__":
    os.nice(10)  # the window goes first: of a processor that both want it has nine tenths
    main(sys.stdin.buffer, sys.stdout.buffer)
