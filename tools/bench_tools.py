"""What the benches share: timing, a bare window, places."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parents[1]
LOG = ROOT / "demo" / "night-log.txt"
DEMO = ROOT / "glyphos" / "data" / "demo" / "hollow-hill.glyphos"


def best(work, times: int = 7) -> float:  # type: ignore[no-untyped-def]
    spent = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent)


def bare_window():  # type: ignore[no-untyped-def]
    """A window with nothing open, and a function that waits until it is idle."""
    from PySide6.QtCore import QSettings

    from glyphos.app.compose import make_window
    from glyphos.app.main import make_application
    from glyphos.app.model.settings import Preferences
    from glyphos.app.sound.devices import SilentDevice

    folder = tempfile.mkdtemp()
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, folder)
    application = make_application()
    made = make_window(
        device=SilentDevice(), unsaved=Path(folder) / "unsaved", preferences=Preferences()
    )
    made.show()

    def idle() -> None:
        application.processEvents()
        finder = made.pages["score"].desk.finder
        while made.context.jobs.running or finder.busy or not made.context.current.settled:
            application.processEvents()
            time.sleep(0.002)
        application.processEvents()

    return application, made, idle


def steps(application, work, count: int = 150, gap: float = 0.0) -> str:  # type: ignore[no-untyped-def]
    """What a step costs the interface thread, with all that follows from it there: by the clock, and what of it that
    thread had a processor for (the rest it waited while others had it: on a machine that is shared, other machines).

    gap: seconds of rest between two; a processor that dozes off in them is slower afterwards.
    """
    spent, worked = [], []
    for number in range(count):
        began, had = time.perf_counter(), time.thread_time()
        work(number)
        application.processEvents()
        spent.append((time.perf_counter() - began) * 1000)
        worked.append((time.thread_time() - had) * 1000)
        time.sleep(gap)
    return (
        f"median {np.median(spent):.1f} ms, 95 % within {np.percentile(spent, 95):.1f} ms, most {max(spent):.1f}; "
        f"at work median {np.median(worked):.1f}, 95 % {np.percentile(worked, 95):.1f}"
    )
