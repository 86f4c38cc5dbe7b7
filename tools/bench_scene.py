"""Figures of the Scene page: a step of a dragged clip among two hundred, scrolling, three heads playing."""

from __future__ import annotations

import math
import time

import numpy as np
from bench_tools import bare_window
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest

from glyphos.production.demo import copy_demo
from glyphos.production.kinds import character_key, scene_key
from glyphos.scene.documents import Clip, Lane, Scene, Shot
from glyphos.scene.made import placed

LINES = ("01-mabel-beam", "03-pip-wind", "04-osric-boots", "05-mabel-hush")
LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
SIZE = (640, 480)


def scene() -> None:
    application, window, idle = bare_window()
    context = window.context
    window.productions.open(copy_demo())
    idle()
    window.show_page("scene")

    def ready() -> None:
        idle()
        while not context.scenery.settled:
            idle()

    ready()
    _crowd(application, window, ready)
    _three_heads(application, window, ready)
    window.close()


def _crowd(application, window, ready) -> None:  # type: ignore[no-untyped-def]
    """Twenty lanes, two hundred clips."""
    context, page = window.context, window.pages["scene"]
    lanes = []
    for k in range(20):
        at, clips = 0.3 * k, []
        for j in range(10):
            line = context.document.line(LINES[(k + j) % 4])
            clips.append(Clip(at, line.slug))
            at += line.reading.audio.duration + 0.5
        lanes.append(Lane(f"Speaker {k}", tuple(clips)))
    context.document.change("crowd", {scene_key("crowd"): Scene("crowd", "Crowd", tuple(lanes))})
    context.scenery.show("crowd")
    ready()
    paper = page.paper
    page.desk.choose((5, 2))
    rect = paper.rect_of((5, 2))
    start = QPoint(round(rect.center().x()), round(rect.center().y()))
    page.scroll.ensureVisible(start.x(), start.y())
    application.processEvents()
    QTest.mousePress(paper, LEFT, NONE, start)
    spent = []
    for k in range(160):
        point = QPointF(start + QPoint(8 + round(60 * math.sin(k / 6)), 0))
        began = time.perf_counter()
        event = QMouseEvent(
            QEvent.Type.MouseMove, point, paper.mapToGlobal(point), LEFT, LEFT, NONE
        )
        application.sendEvent(paper, event)
        application.processEvents()
        spent.append(1000 * (time.perf_counter() - began))
    QTest.mouseRelease(paper, LEFT, NONE, start)
    print(f"scene: a step of a dragged clip among 200 on 20 lanes {np.median(spent):.1f} ms, 95 % within "
          f"{np.percentile(spent, 95):.1f}")  # fmt: skip
    ready()
    bar, spent = page.scroll.verticalScrollBar(), []
    for k in range(120):
        began = time.perf_counter()
        bar.setValue(25 * k)
        application.processEvents()
        spent.append(1000 * (time.perf_counter() - began))
    print(
        f"scene: a step of scrolling there {np.median(spent):.1f} ms, 95 % within {np.percentile(spent, 95):.1f}"
    )


def _three_heads(application, window, ready) -> None:  # type: ignore[no-untyped-def]
    """All three as heads, seen together, for ten seconds."""
    context, page = window.context, window.pages["scene"]
    lanes = tuple(
        Lane(context.document.line(s).speaker, (Clip(at, s),))
        for s, at in zip(LINES[:3], (0.0, 12.3, 15.3), strict=True)
    )
    names = [x.name for x in lanes]
    made = Scene("three", "Three", lanes, placed(names), (Shot(0, "front", tuple(names)),))
    context.document.change("three", {scene_key("three"): made, character_key("osric-drawn"): None})
    context.scenery.show("three")
    ready()
    stage, taken = page.stage, {0: 0, 1: 0, 2: 0}
    stage.setFixedSize(*SIZE)
    came = stage.come

    def count(k: int) -> None:
        taken[k] += 1

    came.connect(count)
    context.transport.seek(0.0)
    end = time.monotonic() + 3
    while time.monotonic() < end:
        application.processEvents()
        time.sleep(0.002)
    taken.update({0: 0, 1: 0, 2: 0})
    context.transport.play(0.0)
    end = time.monotonic() + 10
    while time.monotonic() < end:
        application.processEvents()
        time.sleep(0.001)
    context.transport.stop()
    rates = ", ".join(f"{n / 10:.1f}" for n in taken.values())
    print(
        f"scene: three heads at {SIZE[0]}x{SIZE[1]}, pictures a second of who speaks and who listens: {rates}"
    )
