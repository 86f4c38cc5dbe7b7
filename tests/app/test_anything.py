"""Somebody who does anything at all, at any time: nothing breaks, nothing is lost, and what is shown is what is kept."""

from __future__ import annotations

import random
import time
from typing import Any
from unittest import mock

import numpy as np
import soundfile
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QComboBox,
    QDialog,
    QMenu,
    QScrollBar,
    QToolButton,
    QWidget,
)

from glyphos.production.documents import Line
from glyphos.production.performed import motion_of
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.parts import Part
from glyphos.speech.reading import AudioInfo, Phone, Phrase, Reading, Word
from tests.app.harness import WindowCase
from tests.examples import FUZZ
from tests.labels import DATA

STEPS = FUZZ or 12
OFTEN = 6  # steps, after which it is looked at
KEYS = "ZXCVNGHM.,"
INSIDE = "inside Glyphos"  # what an error is called that nobody thought of


class Anything(WindowCase):
    lively = in_drawings = own_window = True

    def setUp(self) -> None:
        super().setUp()
        self.rng = random.Random(time.time_ns() if FUZZ else 5)
        self.failed: list[str] = []
        self.talk.failed.connect(self.failed.append)
        pick = self.rng.choice
        given: dict[str, Any] = {
            "open_files": lambda *_, **__: pick(([], [DATA / "mary.wav"], [DATA / "README.md"])),
            "folder": lambda *_, **__: None,
            "save_file": lambda *_, **__: None,
            "choose": lambda _, __, choices, **___: pick((None, *choices)),
            "decide": lambda _, __, choices: pick((None, *range(len(choices)))),
            "text": lambda *_, **__: pick((None, "", "Zoë", "5", "/h ə l oʊ/")),
        }
        for name, answer in given.items():
            self.enterContext(mock.patch.object(self.answers, name, answer))
        self.timer = QTimer(interval=40)
        self.timer.timeout.connect(self.answer)
        self.timer.start()
        self.addCleanup(self.timer.stop)

    def prepare(self) -> None:
        """Lines as the demo has none: next to nothing in them, silence for long, or more said than can be heard."""
        noise, lines = np.random.default_rng(0).normal(0, 0.05, 70 * 16_000), []
        for slug, seconds, spans in (
            ("one", 1.0, [(0.3, 0.5)]), ("tiny", 0.12, [(0.0, 0.12)]), ("late", 40.0, [(39.5, 40.0)]), ("silent", 2.0, []),
            ("far", 70.0, [(0.1, 0.3), (69.0, 69.4)]), ("cut", 1.0, [(0.5, 3.0)]),
        ):  # fmt: skip
            audio = AudioInfo(f"{slug}.wav", seconds, 16_000)
            soundfile.write(
                self.production / "audio" / audio.file, noise[: int(seconds * 16_000)], 16_000
            )
            phrases = [
                Phrase("me", a, b, (Word("me", a, b, 1.0, (Phone("m", a, (a + b) / 2), Phone("i", (a + b) / 2, b, 1))),))
                for a, b in spans
            ]  # fmt: skip
            lines.append(Line(slug, f"audio/{audio.file}", "Pip", " ".join(["me"] * len(spans)), duration=seconds,
                              reading=Reading("en", audio, tuple(phrases))))  # fmt: skip
        store = Store.open(self.production)
        store.keep(store.production.added(lines))
        store.close()

    def test_nothing_breaks_and_nothing_is_lost(self) -> None:
        first = dict(self.document.production.values)
        done: list[str] = []
        with mock.patch("sys.excepthook") as raised:
            for number in range(STEPS):
                done.append(self.something())
                self.clock.now += self.rng.choice((0.0, 0.01, 0.3, 2.0))
                self.pause(self.rng.choice((0.0, 0.0, 0.0, 0.01, 0.1)))
                if number % OFTEN == OFTEN - 1:
                    self.calm()
                    self.as_it_is_kept(f"after {done}")
            self.timer.stop()
            self.calm()
        said = f"after {done}"
        self.assertEqual(raised.call_args_list, [], said)
        self.assertEqual([x for x in self.failed if INSIDE in x], [], said)
        self.as_it_is_kept(said)
        last = dict(self.document.production.values)
        self.assertEqual(self.document.flush(), "", said)
        self.assertEqual(dict(Production.open(self.production).values), last, said)
        steps = len(self.document.history.done)
        for _ in range(steps):
            self.document.undo()
        self.assertEqual(dict(self.document.production.values), first, said)
        for _ in range(steps):
            self.document.redo()
        self.assertEqual(dict(self.document.production.values), last, said)

    # ---- what can be done ---------------------------------------------------------------------

    def something(self) -> str:
        hands = (self.command, self.command, self.control, self.mouse, self.key, self.go, self.back)
        return self.rng.choice(hands)()

    def command(self) -> str:
        name = self.rng.choice([x for x in self.window.commands.all if x not in ("quit", "close")])
        self.window.commands.do(name)
        return name

    def back(self) -> str:
        name = self.rng.choice(("undo", "undo", "redo"))
        self.window.commands.do(name)
        return name

    def go(self) -> str:
        """To a page, a line, a part of it, a moment."""
        flat, rng = self.current.flat, self.rng
        where = rng.choice(("page", "line", "part", "moment"))
        if where == "page":
            self.window.show_page(rng.choice(list(self.window.pages)))
        elif where == "line" and self.document.production.slugs:
            self.selection.show(rng.choice(self.document.production.slugs))
        elif where == "moment":
            self.transport.seek(rng.uniform(0, self.transport.duration))
        elif flat is not None and flat.words:
            self.selection.select(Part("word", rng.randrange(len(flat.words))))
        return where

    def seen(self, kind: type) -> list[Any]:
        return [x for x in self.window.findChildren(kind) if x.isVisible() and x.isEnabled()]

    def control(self) -> str:
        kinds = (QAbstractSlider, QAbstractButton, QComboBox)
        w = self.rng.choice([x for kind in kinds for x in self.seen(kind)])
        if isinstance(w, QAbstractSlider) and not isinstance(w, QScrollBar):
            w.setValue(self.rng.randint(w.minimum(), w.maximum()))
        elif isinstance(w, QComboBox) and w.count():
            w.setCurrentIndex(self.rng.randrange(w.count()))
            w.activated.emit(w.currentIndex())
        elif isinstance(w, QAbstractButton) and not (isinstance(w, QToolButton) and w.menu()):
            w.click()
        return f"{type(w).__name__} {w.accessibleName()}"

    def mouse(self) -> str:
        """A click, or a drag, anywhere."""
        w = self.rng.choice([x for x in self.seen(QWidget) if min(x.width(), x.height()) > 30])
        a, b = (
            QPoint(self.rng.randrange(w.width()), self.rng.randrange(w.height())) for _ in range(2)
        )
        if isinstance(w, QToolButton):
            return "nothing"
        QTest.mousePress(w, Qt.MouseButton.LeftButton, pos=a)
        if self.rng.random() < 0.5:
            for point in ((a + b) / 2, b):
                QTest.mouseMove(w, point)
                self.application.processEvents()
        else:
            b = a
        QTest.mouseRelease(w, Qt.MouseButton.LeftButton, pos=b)
        return f"mouse on {type(w).__name__} {w.accessibleName()}"

    def key(self) -> str:
        w = self.application.focusWidget() or self.window
        key = self.rng.choice(KEYS)
        QTest.keyClicks(w, key)
        return f"{key} on {type(w).__name__}"

    def answer(self) -> None:
        """Menus and dialogs that came up are answered, or closed."""
        menu, dialog = self.application.activePopupWidget(), self.application.activeModalWidget()
        if isinstance(menu, QMenu):
            can = [a for a in menu.actions() if a.isEnabled() and a.text() and not a.menu()]
            menu.close()
            if can and self.rng.random() < 0.5:
                self.rng.choice(can).trigger()
        elif isinstance(dialog, QDialog):
            self.rng.choice((dialog.accept, dialog.reject))()

    # ---- and then -----------------------------------------------------------------------------

    def pause(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        self.application.processEvents()
        while time.monotonic() < end:
            self.application.processEvents()

    def calm(self) -> None:
        """Everything comes to its end."""
        for left in self.application.topLevelWidgets():
            if left.isVisible() and left is not self.window:
                left.close()
        self.context.tracking.close()
        self.transport.stop()
        self.jobs.cancel_shown()
        self.wait(lambda: self.current.settled and self.context.living.settled)
        self.idle()

    def as_it_is_kept(self, said: str) -> None:
        line, current = self.document.kept_line(self.selection.slug), self.current
        self.assertIs(current.line, line, said)
        if line is None:
            return
        self.assertEqual(self.script.toPlainText(), line.script, said)
        if line.reading is not None and current.opened is not None:
            audio = self.document.production.audio_path(line)
            whole = motion_of(line, audio, current.fps, self.document.folder)
            shown = self.context.living.motion
            self.assertEqual(shown.names, whole.names, said)
            np.testing.assert_allclose(shown.values, whole.values, atol=0.001, err_msg=said)
