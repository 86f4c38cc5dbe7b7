"""A simulated tracker: plays a made-up performance over UDP, as a device would."""

from __future__ import annotations

import math
import random
import socket
import time
from collections.abc import Callable, Iterator

from ..errors import GlyphosError
from .packets import json_packet, osc_packet
from .port import PORT, why_not

BLINKS = (0.8, 2.9, 4.1, 6.6, 7.3)  # seconds, over and over every nine


def performance(seconds: float) -> dict[str, float]:
    """A made-up face at a time: looks about, blinks, raises its brows, talks and smiles a little. It rests a
    little crooked, as faces before a camera do."""
    t = seconds
    blink = max((math.exp(-(((t % 9.0) - b) ** 2) / 0.004) for b in BLINKS), default=0.0)
    raised = max(0.0, math.sin(0.9 * t)) ** 6
    talk = max(0.0, math.sin(0.55 * t)) * (0.5 + 0.5 * math.sin(17 * t))
    smile = 0.5 + 0.5 * math.sin(0.37 * t - 1.2)
    return {
        "head_yaw": 9 * math.sin(0.8 * t) + 2 * math.sin(2.3 * t) + 3.0, "head_pitch": 5 * math.sin(1.1 * t + 0.4) - 2.0,
        "head_roll": 3 * math.sin(0.6 * t), "gaze_yaw": 8 * math.sin(1.3 * t), "gaze_pitch": 3 * math.sin(0.7 * t),
        "blink_left": blink, "blink_right": blink, "brow_inner_raise": 0.08 + 0.7 * raised,
        "brow_outer_raise_left": 0.05 + 0.6 * raised, "brow_outer_raise_right": 0.05 + 0.6 * raised,
        "jaw_open": 0.55 * talk, "lips_part": 0.5 * talk,
        "lip_corner_up_left": 0.4 * smile**2, "lip_corner_up_right": 0.4 * smile**2, "cheek_raise_left": 0.3 * smile**2,
        "cheek_raise_right": 0.3 * smile**2,
    }  # fmt: skip


def play(
    host: str = "127.0.0.1", port: int = PORT, *, rate: float = 60.0, seconds: float | None = None, osc: bool = False,
    lose: float = 0.0, seed: int = 0, clock: Callable[[], float] = time.monotonic,
    sleep: Callable[[float], None] = time.sleep,
) -> Iterator[int]:  # fmt: skip
    """Send the performance, a packet a moment; gives the number of each. lose: share of packets that are lost on
    the way. GlyphosError where nothing can be sent."""
    chance, pack = random.Random(seed), osc_packet if osc else json_packet
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as out:
        start, number = clock(), 0
        while seconds is None or number < seconds * rate:
            t = number / rate
            wait = start + t - clock()
            if wait > 0:
                sleep(wait)
            if chance.random() >= lose:
                try:
                    out.sendto(pack(performance(t), number, t), (host, port))
                except ConnectionRefusedError:
                    pass  # nobody listens yet
                except (OSError, OverflowError) as error:
                    why = why_not(error)
                    raise GlyphosError(
                        f"Nothing can be sent to {host}, port {port}: {why}."
                    ) from None
            yield number
            number += 1
