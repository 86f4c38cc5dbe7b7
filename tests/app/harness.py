"""A real window on the offscreen platform, on a copy of the demo production."""

from __future__ import annotations

import os
import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QSettings, QtMsgType, qInstallMessageHandler

from glyphos.app import theme
from glyphos.app.main import make_application
from glyphos.app.player import SilentDevice
from glyphos.app.window import Window
from glyphos.production.demo import copy_demo

QUIET = ("propagateSizeHints", "This plugin supports")


class Clock:
    """A clock that moves when it is told to."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


class WindowCase(unittest.TestCase):
    """Opens a window before each test; a warning of Qt's fails the test."""

    demo = True

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        QSettings.setDefaultFormat(QSettings.Format.IniFormat)
        QSettings.setPath(
            QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(self.folder / "settings")
        )
        self.warnings: list[str] = []
        previous = qInstallMessageHandler(self._message)
        self.addCleanup(lambda: qInstallMessageHandler(previous))
        self.application = make_application()
        theme.apply(self.application, theme.PAPER)
        self.clock = Clock()
        self.window = Window(device=SilentDevice(self.clock), unsaved=self.folder / "unsaved")
        self.window.show()
        self.addCleanup(self.close)
        if self.demo:
            self.production = copy_demo(self.folder / "hollow-hill.glyphos")
            self.window.session.open(self.production)
        self.application.processEvents()

    def close(self) -> None:
        self.window.close()
        self.window.deleteLater()
        self.application.processEvents()
        self.assertEqual(self.warnings, [])

    def _message(self, kind: QtMsgType, _: object, text: str) -> None:
        if kind != QtMsgType.QtDebugMsg and not any(q in text for q in QUIET):
            self.warnings.append(text)

    def wait(self, condition: Callable[[], bool], seconds: float = 30.0) -> None:
        end = time.monotonic() + seconds
        while not condition() and time.monotonic() < end:
            self.application.processEvents()
            time.sleep(0.005)
        self.assertTrue(condition(), self.window.status.text())
