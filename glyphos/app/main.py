"""Start the application: fonts, theme, window."""

from __future__ import annotations

import os
import signal
import sys
from importlib.resources import as_file, files
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QSize, QStandardPaths, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication, QWidget

from .compose import make_window
from .drawing import theme
from .model import settings
from .model.talk import Talk
from .sound.devices import best_device

TITLE_BAR = 40  # pixels of the desktop's around a window
SWITCH = 0.0005  # seconds that work in the background may keep the window waiting for its turn


def make_application(arguments: list[str] | None = None) -> QApplication:
    """The application with its fonts and style; the existing one if there is one."""
    if not any(os.environ.get(k) for k in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    # Areas are filled here: handing them to threads of Qt's takes longer than filling what a window has, most of all
    # while other work has the processor
    os.environ.setdefault("QT_NO_GUI_THREADPOOL", "1")
    existing = QApplication.instance()
    application = (
        existing if isinstance(existing, QApplication) else QApplication(arguments or ["glyphos"])
    )
    sys.setswitchinterval(SWITCH)
    application.setApplicationName("glyphos")
    application.setOrganizationName("glyphos")
    application.setDesktopFileName("glyphos")
    if application.style().objectName() != "fusion":  # or all that was ever shown is dressed anew
        application.setStyle("Fusion")
    theme.load_fonts()
    font = theme.sans(10)
    font.setPointSizeF(application.font().pointSizeF() if existing is None else 10)
    application.setFont(font)
    with as_file(files("glyphos.data") / "glyphos.svg") as path:
        application.setWindowIcon(QIcon(str(path)))
    return application


def run(path: Path | None, line: str = "") -> int:
    """Open the window, on a production or recording if one is named, until it is closed. line: to be shown."""
    application = make_application(sys.argv[:1])
    # Qt would hear of them only later
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        if signal.getsignal(number) is signal.default_int_handler:
            signal.signal(number, signal.SIG_DFL)
    preferences = settings.load()
    window = make_window(device=best_device(preferences.device), unsaved=unsaved_folder())
    fit_to_screen(window)
    window.show()
    productions, talk = window.productions, window.context.talk
    tell_mishaps(talk)

    def begin() -> None:
        talk.try_to(
            lambda: productions.open(path, line) if path is not None else productions.start()
        )

    QTimer.singleShot(0, begin)
    return application.exec()


def tell_mishaps(talk: Talk) -> None:
    """Tell what goes wrong in something that Qt calls, which goes on as if nothing was."""

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        sys.__excepthook__(kind, error, trace)  # for whoever mends it
        if isinstance(error, Exception):
            QTimer.singleShot(0, lambda: talk.fail(error))  # not while something is painted

    sys.excepthook = tell


def fit_to_screen(window: QWidget) -> None:
    """Not larger than the screen leaves room for, under a title bar."""
    room = window.screen().availableGeometry()
    size = window.size().boundedTo(QSize(room.width(), room.height() - TITLE_BAR))
    window.resize(size)
    window.move(max(room.left(), window.x()), max(room.top(), window.y()))


def unsaved_folder() -> Path:
    """Where lines are kept that belong to no production yet, so that they are never lost."""
    base = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.AppLocalDataLocation)
    return Path(base) / "unsaved"
