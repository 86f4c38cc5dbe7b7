"""Figures of the live face for `make bench`: sound to packet, sound to the painted face, share of a core."""

from __future__ import annotations

import json
import socket
import tempfile
import time
from pathlib import Path

import numpy as np
from bench_tools import bare_window

from tests.labels import DATA

SPOKEN = DATA / "slt_hts-004.flac"


def live() -> None:
    """Recordings in real time: sound to packet, share of a core, nothing left out; then in the window."""
    from glyphos.booth.microphone import StandInMicrophone
    from glyphos.live.face import LiveFace
    from glyphos.live.sending import Datagrams

    receiver = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    receiver.bind(("127.0.0.1", 0))
    receiver.settimeout(2)
    spoken = StandInMicrophone(SPOKEN)
    face = LiveFace(lambda: spoken, [Datagrams(receiver.getsockname(), osc=False)])
    face.start()
    time.sleep(1)
    began, cpu = time.perf_counter(), time.process_time()
    numbers = []
    while time.perf_counter() - began < 8:
        numbers.append(json.loads(receiver.recv(65_536))["number"])
    share = (time.process_time() - cpu) / (time.perf_counter() - began)
    middle, most = face.health.late
    face.close()
    gaps = int(np.count_nonzero(np.diff(numbers) != 1))
    print(f"live: sound to packet {middle:.0f} ms, 95 % within {most:.0f}; {share:.2f} of a core; {gaps} gaps in {len(numbers)} packets")  # fmt: skip
    painted()


def painted() -> None:
    """In the window, as a drawing and as a head: from the sound to the end of the painting that shows it."""
    from glyphos.app.drawing.headview import HeadView
    from glyphos.app.panels.face.face import FaceView
    from glyphos.booth.microphone import StandInMicrophone
    from glyphos.live.face import Controls
    from glyphos.production.demo import copy_demo

    late: list[float] = []
    shown = [0.0]  # when the sound was said that is to be painted; 0 once it is

    def watched(paint):  # type: ignore[no-untyped-def]
        def painting(view, event):  # type: ignore[no-untyped-def]
            paint(view, event)
            if shown[0]:
                late.append(1000 * (time.monotonic() - shown[0]))
                shown[0] = 0.0

        return painting

    # Before there are any: what was painted once is painted so for ever
    for view in (HeadView, FaceView):
        view.paintEvent = watched(view.paintEvent)
    _, window, idle = bare_window()
    window.productions.open(copy_demo(Path(tempfile.mkdtemp()) / "demo.glyphos"))
    idle()
    tracking, panel = window.context.tracking, window.face_panel

    def asking(draw):  # type: ignore[no-untyped-def]
        def asked(view, request, done):  # type: ignore[no-untyped-def]
            stamp = tracking.live.stamp if tracking.live is not None else 0.0

            def given(image, problem):  # type: ignore[no-untyped-def]
                shown[0] = stamp if image is not None else 0.0
                done(image, problem)

            draw(view, request, given)

        return asked

    draw, pose = window.context.staging.draw, panel.face.show_pose
    for kind in ("front", "drawn"):
        panel.show_as(kind)
        idle()
        if kind == "front":
            window.context.staging.draw = asking(draw)
        else:
            window.context.staging.draw = draw
            panel.face.show_pose = lambda *a, **k: (shown.__setitem__(0, tracking.live.stamp if tracking.live else 0.0), pose(*a, **k))  # fmt: skip
        spoken = StandInMicrophone(SPOKEN)
        tracking.speak(lambda s=spoken: s, Controls())
        until = time.monotonic() + 6
        while time.monotonic() < until:
            idle_once()
        tracking.close()
        print(
            f"  painted, {kind}: {np.median(late):.0f} ms, 95 % within {np.percentile(late, 95):.0f}; {len(late) / 6:.0f} a second"
        )
        late.clear()


def idle_once() -> None:
    from PySide6.QtCore import QEventLoop
    from PySide6.QtWidgets import QApplication

    QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 5)
    time.sleep(0.0005)
