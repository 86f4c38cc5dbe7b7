"""A real window on the offscreen platform, on a copy of the demo production."""

from __future__ import annotations

import os
import shutil
import time
import traceback
import unittest
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from unittest import mock

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import msgspec
from PySide6.QtCore import (
    QByteArray,
    QEvent,
    QEventLoop,
    QMimeData,
    QPoint,
    QPointF,
    QSettings,
    Qt,
    QTimer,
    QtMsgType,
    QUrl,
    qInstallMessageHandler,
)
from PySide6.QtGui import QDropEvent, QImage, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QDialog, QLabel, QWidget
from shiboken6 import isValid

from glyphos.app.compose import make_window
from glyphos.app.main import make_application
from glyphos.app.model.settings import Preferences
from glyphos.app.shell.inspector import Sections
from glyphos.app.shell.window import Window
from glyphos.app.sound.devices import SilentDevice
from glyphos.production.documents import Line
from glyphos.production.kinds import line_key
from glyphos.speech.parts import Flat, with_words
from glyphos.speech.reading import Reading
from tests.app.grey import grey
from tests.app.places import place, template
from tests.patience import PATIENCE

LOOK = 10  # ms
QUIET = ("propagateSizeHints", "This plugin")


class Clock:
    """A clock that moves when it is told to."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


class Answers:
    """Answers what a person would be asked, from a list; dialogs are really shown."""

    def __init__(self) -> None:
        self.window: Any = None
        self.asked: list[str] = []
        self.given: list[Any] = []

    def _next(self, title: str) -> Any:
        """What is given next; a function is called first, for what happens while somebody thinks."""
        self.asked.append(title)
        given = self.given.pop(0) if self.given else None
        return given() if callable(given) else given

    def belong_to(self, window: Any) -> None:
        self.window = window

    def open_files(self, title: str, kinds: str, *, several: bool = False) -> list[Path]:
        return self._next(title) or []

    def folder(self, title: str, *, start: Path | None = None) -> Path | None:
        return self._next(title)

    def save_file(self, title: str, name: str, kinds: str = "") -> tuple[Path, str] | None:
        return self._next(title)

    def choose(
        self, title: str, question: str, choices: Sequence[str], *, now: int = 0, own: bool = False
    ) -> Any:
        answer = self._next(title)
        return choices[answer] if isinstance(answer, int) else answer

    def text(self, title: str, question: str, *, now: str = "") -> str | None:
        return self._next(title)

    def decide(self, title: str, question: str, choices: Sequence[str]) -> int | None:
        return self._next(title)

    def show(self, dialog: QDialog) -> QDialog:
        from glyphos.app.dialogs.asking import Asking

        asking = Asking()
        asking.belong_to(self.window)
        return asking.show(dialog)


@dataclass
class Kept:
    """A window that tests share, and how it was when it was new."""

    window: Window
    clock: Clock
    answers: Answers
    score: QByteArray
    columns: QByteArray
    kind: tuple[object, ...]  # what it was made for
    device: object
    checked: dict[QAbstractButton, bool] = field(default_factory=dict)

    def watch(self, widget: QWidget) -> None:
        """What is checked in a widget that is new."""
        for button in widget.findChildren(QAbstractButton):
            if button.isCheckable():
                self.checked.setdefault(button, button.isChecked())

    def as_new(self) -> bool:
        """Whether what a person sets once for all is as it was, and nothing is offered any more."""
        context = self.window.context
        if (
            context.transport.device is not self.device
            or context.talk.offers
            or context.staging.trouble
        ):
            return False
        return all(b.isChecked() == c for b, c in self.checked.items() if isValid(b))


def mnemonic(widget: QWidget) -> str:
    """What is pressed for a button or a field with a label; "" for all others."""
    named = isinstance(widget, QAbstractButton) or (
        isinstance(widget, QLabel) and widget.buddy() is not None
    )
    return QKeySequence.mnemonic(widget.text()).toString() if named else ""  # type: ignore[attr-defined]


class WindowCase(unittest.TestCase):
    """A window before each test; a warning of Qt's fails the test.

    One window serves all tests of a process, as it serves a person who opens one production after the other; a test
    that leaves it in another state than another production's would is at fault, or has found a defect. Where a person
    sets something once for all, the next test gets a new one.
    """

    demo = True
    in_drawings = (
        False  # whether Osric speaks in drawings, as in the demo, or is a head as all others
    )
    lively = False  # whether faces of the demo's lines live, or speak alone, so that nothing moves that is not asked
    long = False  # whether the line and the scene of two minutes are there, with which all that is done to all takes long
    second_ear = False  # asking the word recogniser takes a while; tests of it say so
    own_window = False  # whether each test gets a window that nobody had before
    looked_at: tuple[str, ...] | None = ()  # tests whose heads are drawn; None: all
    shown_as = "drawn"  # how faces are shown: or "head"
    page_after = 1_000_000  # ms until pages that nobody asked for are made; tests of it have less
    heard_after = (
        1_000_000  # ms until a line that is shown is heard in advance; tests of it have less
    )
    _kept: Kept | None = None

    def setUp(self) -> None:
        if not self.second_ear:
            self.enterContext(mock.patch("glyphos.speech.listening.heard_words", return_value=None))
        if self._kept is not None and (
            not self._kept.window.isVisible() or self.own_window or self._kept.kind != self.kind()
        ):
            self.drop_window()
        self.folder = place()  # after what one that is closed keeps of its place
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        QSettings.setDefaultFormat(QSettings.Format.IniFormat)
        QSettings.setPath(
            QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(self.folder / "settings")
        )
        self.warnings: list[str] = []
        self.raised: list[str] = []  # in what Qt called, which goes on as if nothing was
        self.enterContext(mock.patch("sys.excepthook", self._raise))
        previous = qInstallMessageHandler(self._message)
        self.addCleanup(lambda: qInstallMessageHandler(previous))
        self.application = make_application()
        if self._kept is None or self.own_window:
            self.clock = Clock()
            self.make_window()
        else:
            self._take(self._kept)
            self.window.activateWindow()  # another may have been open since
        self.addCleanup(self.close)
        if self.looked_at is not None and self._testMethodName not in self.looked_at:
            self.enterContext(mock.patch.object(self.context.staging, "draw", grey))
        if self.demo:
            self.production = self.folder / "hollow-hill.glyphos"
            shutil.copytree(template(self.lively, self.in_drawings, self.long), self.production)
            self.prepare()
            self.window.setUpdatesEnabled(False)  # painted once all is there
            self.open(self.production)
        self.window.setUpdatesEnabled(True)
        self.application.processEvents()

    def prepare(self) -> None:
        """What else is in the production before it is opened."""

    @classmethod
    def kind(cls) -> tuple[object, ...]:
        """Of the window: tests of the same kind share it."""
        return cls.page_after, cls.heard_after, cls.shown_as

    @staticmethod
    def drop_window() -> None:
        """Close the window that is kept, if there is one."""
        kept, WindowCase._kept = WindowCase._kept, None
        if kept is not None:
            application = make_application()
            kept.window.close()
            kept.window.deleteLater()
            application.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            application.processEvents()

    def make_window(self) -> None:
        """A window with nothing open."""
        self.answers = Answers()
        with (
            mock.patch("glyphos.app.shell.idle.IDLE", self.page_after),
            mock.patch("glyphos.app.pages.score.page.DWELL", self.heard_after),
        ):
            window = make_window(
                device=SilentDevice(self.clock), unsaved=self.folder / "unsaved", ask=self.answers,
                preferences=Preferences(face=self.shown_as),
            )  # fmt: skip
        window.show()
        score, columns = window.pages["score"].split, window.areas.columns
        kept = Kept(window, self.clock, self.answers, score.saveState(), columns.saveState(),
                    self.kind(), window.context.transport.device)  # fmt: skip
        kept.watch(window)
        taken = window.pages._taken
        window.pages._taken = lambda page: (taken(page), kept.watch(window))
        self._take(kept)

    def _take(self, kept: Kept) -> None:
        self._now = kept
        self.window, self.clock, self.answers = kept.window, kept.clock, kept.answers
        self.window.productions.unsaved = self.folder / "unsaved"
        c = self.context = self.window.context
        self.document, self.selection, self.current = c.document, c.selection, c.current
        self.transport, self.jobs, self.talk = c.transport, c.jobs, c.talk
        self.page = self.window.pages["score"]
        self.desk, self.hearing, self.finder = (
            self.page.desk,
            self.page.hearing,
            self.page.desk.finder,
        )
        self.paper, self.loupe, self.delivery = self.page.paper, self.page.loupe, self.page.delivery
        self.script = self.page.script_area.script

    def ambiguous(self) -> set[str]:
        """What is pressed for more than one of the widgets that are seen."""
        self.application.processEvents()
        pressed = [mnemonic(w) for w in self.window.findChildren(QWidget) if w.isVisible()]
        self.assertIn("Alt+U", pressed)  # the menu
        return {keys for keys in pressed if keys and pressed.count(keys) > 1}

    def close(self) -> None:
        self.idle()
        failed = self._outcome is not None and not self._outcome.success  # type: ignore[attr-defined]
        if self.own_window or failed or not self.window.isVisible() or not self._leave():
            self.window.close()
            self.window.deleteLater()
            self.application.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            self.application.processEvents()
            if self._kept is not None and self._kept.window is self.window:
                WindowCase._kept = None
        self.assertEqual(self.warnings, [])
        self.assertEqual(self.raised, [])
        kept = self._kept and self._kept.window
        self.assertEqual(
            [w for w in self.application.topLevelWidgets() if w.isVisible() and w is not kept], []
        )
        held = self.application.mouseButtons()  # or whoever waits for a free hand waits for ever
        self.assertEqual(held, Qt.MouseButton.NoButton)

    def _leave(self) -> bool:
        """Make the window ready for the next test of the class; whether it is."""
        if self._kept is None:
            WindowCase._kept = self._now
        if self._kept is not self._now:
            return False
        kept, window = self._now, self.window
        window.setUpdatesEnabled(False)  # until the next test
        for left in self.application.topLevelWidgets():
            if left.isVisible() and left is not window:
                left.close()
        window.context.tracking.close()
        window.context.preferring.put(Preferences(face=self.shown_as))
        if window.whole:
            window.show_whole(False)
        window.show_page("score")
        self.answers.asked.clear()
        self.answers.given.clear()
        if not window.productions.let_go():
            return False
        self.paper.set_zoom(1.0)
        for scene in (p.paper for p in window.pages.made if p.name == "scene"):
            scene.zoom, scene.long = 1.0, None
        window.lines.search.clear()
        window.lines.state.setCurrentIndex(0)
        window.lines.sort.setCurrentIndex(0)
        window.showNormal()
        window.resize(1280, 800)
        self.page.split.restoreState(kept.score)
        window.areas.columns.restoreState(kept.columns)
        self.talk.clear()
        kept.clock.now = 100.0
        for sections in window.areas.inspector.findChildren(Sections):
            for first in sections.findChildren(QAbstractButton)[:1]:
                first.setChecked(True)
        self.application.processEvents()
        return kept.as_new()

    def _message(self, kind: QtMsgType, _: object, text: str) -> None:
        if kind != QtMsgType.QtDebugMsg and not any(q in text for q in QUIET):
            self.warnings.append(text)

    def _raise(self, kind: type[BaseException], error: BaseException, trace: Any) -> None:
        self.raised.append("".join(traceback.format_exception(kind, error, trace)))

    # ---- waiting ------------------------------------------------------------------------------

    def wait(self, condition: Callable[[], Any], seconds: float = PATIENCE) -> None:
        end = time.monotonic() + seconds
        look = QTimer(interval=LOOK)  # for what comes without an event
        look.start()
        while not condition() and time.monotonic() < end:
            self.application.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
        look.stop()
        self.assertTrue(condition(), self.status)

    def idle(self, seconds: float = PATIENCE) -> None:
        """Wait until nothing is being done any more."""
        self.application.processEvents()
        self.wait(
            lambda: not self.jobs.running and self.current.settled and not self.finder.busy, seconds
        )
        self.application.processEvents()

    def settled(self) -> None:
        """Wait until edges have been found again."""
        self.idle()

    def picture(self, widget: QWidget) -> QImage:
        """A widget as it looks once all of it is painted; rows that take too long come a little later."""
        made: list[QImage] = []

        def still() -> bool:
            made.append(widget.grab().toImage())
            return len(made) > 2 and made[-1] == made[-2] == made[-3]

        self.wait(still)
        return made[-1]

    # ---- asking -------------------------------------------------------------------------------

    @property
    def status(self) -> str:
        return self.window.bottom.status.text()

    @property
    def reading(self) -> Reading:
        assert self.current.reading is not None
        return self.current.reading

    @property
    def flat(self) -> Flat:
        return Flat(self.reading)

    @property
    def line(self) -> Line:
        line = self.document.kept_line(self.selection.slug)
        assert line is not None
        return line

    def words(self) -> list[Any]:
        return list(self.reading.words())

    def names(self) -> list[str]:
        return [s.name for s in self.document.history.done]

    def shown(self) -> list[str]:
        return list(self.window.lines.lines.slugs)

    # ---- doing --------------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        self.talk.try_to(lambda: self.window.productions.open(path))
        self.idle()

    def show(self, slug: str) -> None:
        """Show a line and wait for its sound."""
        self.selection.show(slug)
        self.idle()

    def do(self, name: str) -> None:
        self.window.commands.do(name)
        self.application.processEvents()

    def change_line(self, name: str, slug: str = "", **changes: Any) -> None:
        line = self.document.kept_line(slug or self.selection.slug)
        new = msgspec.structs.replace(line, **changes)
        self.document.change(name, {line_key(line.slug): new})

    def doubt(self, *numbers: int) -> None:
        """Make words of the line doubtful."""
        low = msgspec.structs.replace
        reading = with_words(
            self.reading, lambda k, w: low(w, confidence=0.3) if k in numbers else w
        )
        self.change_line("Doubt", reading=reading)

    def double_click(self, widget: QWidget, at: QPoint) -> None:
        """As a hand does it, which lets the button go in the end."""
        QTest.mouseDClick(widget, Qt.MouseButton.LeftButton, pos=at)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=at)

    def drop(self, *paths: Path) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
        event = QDropEvent(QPointF(600, 400), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                           Qt.KeyboardModifier.NoModifier)  # fmt: skip
        self.window.dropEvent(event)
        self.idle()

    def dialog(self) -> QDialog:
        def shown() -> QDialog | None:
            """Dialogs are windows of their own, of which there are fewer than widgets in the window."""
            there = (w for w in self.application.topLevelWidgets() if isinstance(w, QDialog))
            return next((d for d in there if d.isVisible() and d.parent() is not None), None)

        self.wait(shown)
        found = shown()
        assert found is not None
        return found
