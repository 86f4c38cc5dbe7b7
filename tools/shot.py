"""Pictures of the main views from the demo production: `python tools/shot.py FOLDER`."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from glyphos.app import theme
from glyphos.app.main import make_application
from glyphos.app.player import SilentDevice
from glyphos.app.window import Window
from glyphos.production.demo import copy_demo
from glyphos.speech.parts import Part


def settle(application, seconds: float = 0.3) -> None:  # type: ignore[no-untyped-def]
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        application.processEvents()
        time.sleep(0.01)


def main() -> None:
    target = Path(sys.argv[1])
    target.mkdir(parents=True, exist_ok=True)
    application = make_application()
    theme.apply(application, theme.PAPER)
    window = Window(device=SilentDevice())
    window.set_theme("paper")
    window.show()
    settle(application)
    folder = copy_demo(Path(tempfile.mkdtemp()) / "hollow-hill.glyphos")
    window.session.open(folder)
    window.session.select(Part("word", int(os.environ.get("SHOT_WORD", "12"))))
    window.player.seek(float(os.environ.get("SHOT_AT", "6.62")))
    settle(application)
    window.grab().save(str(target / "score-paper.png"))
    window.set_theme("night")
    settle(application)
    window.grab().save(str(target / "score-night.png"))
    window.close()


if __name__ == "__main__":
    main()
