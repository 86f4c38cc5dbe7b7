"""Pictures of the main views from the demo production: `python tools/shot.py FOLDER [NAME …]`."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication, QDialog

from glyphos.app import theme
from glyphos.app.main import make_application
from glyphos.app.player import SilentDevice
from glyphos.app.window import Window
from glyphos.production.demo import copy_demo
from glyphos.speech.parts import Edge, Part


def settle(application: QApplication, seconds: float = 0.3) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        application.processEvents()
        time.sleep(0.01)


class Shots:
    """A window on a copy of the demo, brought into the state of each picture."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        QSettings.setDefaultFormat(QSettings.Format.IniFormat)
        temporary = Path(tempfile.mkdtemp())
        QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(temporary))
        self.application = make_application()
        theme.apply(self.application, theme.PAPER)
        self.window = Window(device=SilentDevice())
        self.window.show()
        self.window.session.open(copy_demo(temporary / "hollow-hill.glyphos"))
        settle(self.application, 1.0)

    def take(self, name: str) -> None:
        settle(self.application)
        self.window.grab().save(str(self.folder / f"{name}.png"))

    def with_dialog(self, name: str) -> None:
        """The window with the dialog that is open on it."""
        self.finish(lambda: any(d.isVisible() for d in self.window.findChildren(QDialog)))
        settle(self.application)
        dialog = next(d for d in self.window.findChildren(QDialog) if d.isVisible())
        picture = self.window.grab()
        inner = dialog.grab()
        from PySide6.QtGui import QPainter

        painter = QPainter(picture)
        x, y = (picture.width() - inner.width()) // 2, (picture.height() - inner.height()) // 2
        painter.fillRect(0, 0, picture.width(), picture.height(), theme.QColor(0, 0, 0, 70))
        painter.drawPixmap(x, y, inner)
        painter.end()
        picture.save(str(self.folder / f"{name}.png"))
        dialog.close()
        settle(self.application, 0.1)

    def finish(self, condition: Callable[[], bool], seconds: float = 60.0) -> None:
        end = time.monotonic() + seconds
        while not condition() and time.monotonic() < end:
            settle(self.application, 0.05)

    # ---- the pictures -----------------------------------------------------------------------

    def score_paper(self) -> None:
        self.window.set_theme("paper")
        self.window.session.select(Part("word", 14))
        self.window.player.seek(6.98)

    def score_night(self) -> None:
        self.score_paper()
        self.window.set_theme("night")

    def loupe(self) -> None:
        w = self.window
        w.set_theme("paper")
        w.session.select(Part("word", 15))
        flat = w.session.flat
        assert flat is not None
        first = flat.first[15]
        w.desk.nudge_edge(Edge(first), 0, -0.012)
        w.desk.nudge_edge(Edge(first + 1), 0, 0.01)
        self.finish(lambda: not w.session.finding)
        w.desk.mark("breath", 5.4)
        w.middle.setSizes([420, 330])
        w.loupe.choose_edge(Edge(first + 1))
        w.player.seek(flat.phones[first + 1].start)

    def lines(self) -> None:
        w = self.window
        w.middle.setSizes([590, 165])
        w.act.batch.start()
        self.finish(lambda: not w.act.batch.running, 120)
        w.session.show_line("09-ospite-italiano")
        w.session.select(Part("word", 4))
        w.lines.search.setText("")

    def recording_check(self) -> None:
        self.window.session.show_line("06-osric-poor")
        self.window.commands.do("check")

    def palette(self) -> None:
        self.window.session.show_line("01-mabel-beam")
        self.window.commands.do("shortcuts")

    def pronunciation(self) -> None:
        self.window.session.show_line("01-mabel-beam")
        self.window.session.select(Part("word", 7))
        self.window.commands.do("pronunciation")


PLAIN = ("score_paper", "score_night", "loupe", "lines")
DIALOGS = ("recording_check", "palette", "pronunciation")


def main() -> None:
    target = Path(sys.argv[1])
    target.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[2:] or [*PLAIN, *DIALOGS]
    shots = Shots(target)
    for name in wanted:
        getattr(shots, name)()
        if name in DIALOGS:
            shots.with_dialog(name.replace("_", "-"))
        else:
            shots.take(name.replace("_", "-"))
    shots.window.close()


if __name__ == "__main__":
    main()
