"""An hour of live, in real time: python -m tools.live.hour SOUND... [--minutes 60]

Tells each minute how late packets came after their sound (median), how much memory is used, and how many packets
were missing; and at the end the drift between the first minutes and the last.
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import socket
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from glyphos.booth.microphone import RATE, StandInMicrophone
from glyphos.live.face import LiveFace
from glyphos.live.sending import Datagrams


class Again(StandInMicrophone):
    """Recordings again and again, with a second between them."""

    def __init__(self, paths: list[Path], seconds: float) -> None:
        super().__init__(paths[0])
        quiet = np.zeros(RATE, np.float32)
        once = np.concatenate([x for p in paths for x in (StandInMicrophone(p)._samples, quiet)])
        self._samples = np.resize(once, round(seconds * RATE))


def resident() -> float:
    """Megabytes."""
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * resource.getpagesize() / 1e6


def main(told: Callable[[str], None] = print) -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("sounds", nargs="+", type=Path)
    parser.add_argument("--minutes", type=float, default=60)
    options = parser.parse_args()
    receiver = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    receiver.bind(("127.0.0.1", 0))
    receiver.settimeout(5)
    spoken = Again(options.sounds, 60 * options.minutes)
    face = LiveFace(lambda: spoken, [Datagrams(receiver.getsockname(), osc=False)])
    face.start()
    began, cpu = time.monotonic(), time.process_time()
    last, missing, minute = 0, 0, 0
    late: list[float] = []
    middles: list[float] = []
    while minute < options.minutes:
        moment = json.loads(receiver.recv(65_536))
        now = time.monotonic() - began
        missing += moment["number"] - last - 1
        last = moment["number"]
        late.append(now - moment["seconds"])
        if now >= 60 * (minute + 1):
            minute += 1
            middles.append(1000 * float(np.median(late)))
            told(
                f"{minute:3d} min: {middles[-1]:6.1f} ms after its sound began, 95 % {1000 * np.percentile(late, 95):6.1f}; {resident():.0f} MB; {missing} of {last} packets missing; {os.times().user / now:.2f} of a core"
            )
            late.clear()
    cpu = (time.process_time() - cpu) / (time.monotonic() - began)
    middle, most = face.health.late
    face.close()
    drift = float(np.median(middles[-5:]) - np.median(middles[:5]))
    told(
        f"drift {drift:+.1f} ms; sound to packet {middle:.0f} ms, 95 % {most:.0f}; {cpu:.2f} of a core; {missing} packets missing"
    )


if __name__ == "__main__":
    main()
