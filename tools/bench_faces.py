"""Figures of the whole face: composing it, and what a step of dragging costs with everything on."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from glyphos.motion.delivery import Delivery
from glyphos.motion.layers import Layer, composed
from glyphos.motion.life.event import Liveliness
from glyphos.motion.life.living import live
from glyphos.motion.mood import MoodSpan
from glyphos.motion.perform import perform
from glyphos.motion.touch.keys import Touch, key_at
from glyphos.production.demo import copy_demo
from glyphos.production.kinds import line_key
from glyphos.speech.reading import Reading
from glyphos.speech.recording import open_recording
from glyphos.voice.voice import analyse

LOG = "07-mabel-night-log"


def touches(reading: Reading, count: int) -> tuple[Touch, ...]:
    """So many pulls over a line."""
    step = reading.audio.duration / count
    channels = ("lip_corner_up_left", "jaw_open", "brow_inner_raise", "head_yaw")
    return tuple(
        Touch(
            channels[k % 4], "add",
            tuple(key_at(reading, k * step + t, v) for t, v in ((0, 0), (0.3 * step, 0.2), (step, 0))),
        )
        for k in range(count)
    )  # fmt: skip


def faces(reading: Reading, best: Callable[..., float], bare: Callable[[], Any]) -> None:
    """reading: of two minutes."""
    with_log = copy_demo()
    sound = open_recording(next((with_log / "audio").glob(f"{LOG}.*"))).samples.astype(np.float64)
    voice = analyse(sound, reading)
    speech = perform(reading, fps=60)
    moods = (MoodSpan("joy", 0, 50), MoodSpan("sadness", 40, 80), MoodSpan("anger", 70, 130))
    times = np.arange(0, 120, 1 / 60)
    layer = Layer(
        times, {n: 0.2 * np.sin(times) ** 2 for n in ("brow_inner_raise", "head_yaw", "jaw_open")}
    )
    own, delivery = touches(reading, 60), Delivery()

    def fresh() -> None:
        life = live(voice, Liveliness(), reading.text, (), reading)
        life.head  # noqa: B018  (found once for a life, whatever rate it is seen at)
        began = time.perf_counter()
        composed(speech, reading, delivery, life=life, moods=moods, layers=[layer], touches=own)
        spent.append(time.perf_counter() - began)

    spent: list[float] = []
    for _ in range(7):
        fresh()
    life = live(voice, Liveliness(), reading.text, (), reading)
    again = best(
        lambda: composed(
            speech, reading, delivery, life=life, moods=moods, layers=[layer], touches=own
        )
    )
    whole = composed(speech, reading, delivery, life=life, moods=moods, layers=[layer], touches=own)
    other = (*own[:-1], msgspec.structs.replace(own[-1], about=0.1))
    touched = best(lambda: whole.retouched(other, reading))
    print(
        f"compose {len(sound) / 16000:.0f} s at 60 fps, all layers and 60 touch-ups: {1000 * min(spent):.0f} ms; the same life "
        f"again {1000 * again:.0f} ms; one touch-up more {1000 * touched:.1f} ms"
    )  # fmt: skip
    _dragged(with_log, reading, bare)


def _dragged(production: Path, reading: Reading, bare: Callable[[], Any]) -> None:
    """A curve and a mood's strength, dragged in the window over two minutes with everything on."""
    application, window, idle = bare()
    c = window.context
    window.productions.open(production)
    idle()
    c.selection.show(LOG)
    idle()
    line = c.document.kept_line(LOG)
    made = msgspec.structs.replace(
        line, reading=reading, life=Liveliness(), moods=(MoodSpan("joy", 0, 60), MoodSpan("fear", 50, 130)),
        touches=touches(reading, 60),
    )  # fmt: skip
    c.document.change("All on", {line_key(LOG): made})
    idle()
    window.show_page("curves")
    page = window.pages["curves"]
    word = list(reading.words())[40]
    c.transport.seek((word.start + word.end) / 2)
    idle()
    at = (word.start + word.end) / 2

    def run(work: Callable[[int], None]) -> str:
        spent, shown = [], []
        seen = window.face_panel.head.shown.connect(lambda: shown.append(time.perf_counter()))
        began = time.perf_counter()
        for k in range(90):  # as a hand moves: thirty times a second
            while time.perf_counter() < began + k / 30:
                application.processEvents()
                time.sleep(0.001)
            step = time.perf_counter()
            work(k)
            application.processEvents()
            spent.append(1000 * (time.perf_counter() - step))
        seconds = time.perf_counter() - began
        window.face_panel.head.shown.disconnect(seen)
        return (
            f"of 30 a second {90 / seconds:.0f} done, a step median {np.median(spent):.1f} ms, 95 % within "
            f"{np.percentile(spent, 95):.1f}; {len(shown) / seconds:.0f} pictures of the face a second"
        )

    brush, left = page.paper.painter(), Qt.MouseButton.LeftButton
    start = QPointF(brush.x(at), brush.y(0.3)).toPoint()
    QTest.mousePress(page.paper, left, pos=start)

    def drag(k: int) -> None:
        QTest.mouseMove(page.paper, start + QPoint(0, abs((3 * k) % 160 - 80) - 85))

    print("dragging a curve of two minutes with the mouse, everything on:", run(drag))
    page.escape()
    QTest.mouseRelease(page.paper, left, pos=start)
    page.desk.give_up()
    idle()

    def stronger(k: int) -> None:
        now = c.document.kept_line(LOG)
        span = msgspec.structs.replace(now.moods[0], strength=0.5 + 0.4 * np.sin(k / 9))
        c.document.preview(
            line_key(LOG), msgspec.structs.replace(now, moods=(span, *now.moods[1:]))
        )

    print("dragging the strength of a mood:", run(stronger))
    c.document.drop_preview()
    idle()
    window.close()
