"""The half of the Booth where a line is recorded: script in large type, level, takes that are all kept."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ....booth.microphone import (
    STAND_IN,
    DeviceMicrophone,
    Microphone,
    StandInMicrophone,
    device_names,
)
from ....booth.recorder import LOWEST, Meter, Recorder
from ....booth.takes import Take, measured, takes_of, trimmed
from ....errors import EditError
from ....proof.recording_check import check
from ....speech.script import read_aloud
from ...drawing import theme as themes
from ...drawing.theme import Theme
from ...drawing.words import seconds_text
from ...drawing.wrapping import Wrapping, margins
from ...model.context import Context
from ...model.files import SOUNDS
from ...model.jobs import Told
from .live import LiveBox

MARGINS = (24, 18, 30, 14)
OFTEN = 40  # milliseconds between two looks at the level
PATH = Qt.ItemDataRole.UserRole


class LevelBar(QWidget):
    """Level and held peak of what comes in, over a scale in dB."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.meter: Meter | None = None
        self.setFixedHeight(22)
        self.setAccessibleName("Level")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        room = self.fontMetrics().horizontalAdvance("clipped ")
        whole = QRectF(self.rect()).adjusted(0, 3, -room, -3)
        painter.fillRect(whole, self.theme.color("rule"))
        meter = self.meter
        if meter is not None:
            share = (meter.level - LOWEST) / -LOWEST
            color = "playhead" if meter.clipped else "doubt" if meter.peak > -6 else "chosen"
            filled = QRectF(whole.left(), whole.top(), whole.width() * share, whole.height())
            painter.fillRect(filled, self.theme.color(color))
            at = whole.left() + whole.width() * (meter.peak - LOWEST) / -LOWEST
            painter.fillRect(
                QRectF(at - 2, whole.top() - 2, 3, whole.height() + 4), self.theme.color("ink")
            )
            painter.setPen(self.theme.color("ink"))
            text = "clipped" if meter.clipped else f"{meter.peak:.0f} dB"
            painter.drawText(
                QRectF(self.rect()),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )
        painter.end()


class _Script(QScrollArea):
    """It takes what is left, however long the line is; so do takes, however many."""

    def sizeHint(self) -> QSize:
        return QSize(200, 110)


class _Takes(QListWidget):
    def sizeHint(self) -> QSize:
        return QSize(200, 64)


class Recording(QWidget):
    """Records takes of the line that is shown."""

    def __init__(self, context: Context, theme: Theme) -> None:
        super().__init__()
        self._c = context
        self.recorder: Recorder | None = None
        self._slug = ""  # of the line that is recorded
        heading, now = QLabel("Record"), QLabel("Live")
        for label in (heading, now):
            label.setFont(themes.serif(18, italic=True))
        self.who = QLabel(objectName="faint")
        self.script = QLabel()
        self.script.setWordWrap(True)
        self.script.setFont(themes.serif(24))
        self.script.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.script.setAccessibleName("What is to be spoken")
        page = _Script()  # a long line is longer than any window
        page.setWidgetResizable(True)
        page.setFrameShape(QScrollArea.Shape.NoFrame)
        page.setWidget(self.script)
        page.setAccessibleName("Script to be spoken")
        self.level = LevelBar(theme)
        self.microphone = QComboBox()
        self.microphone.setAccessibleName("Microphone")
        self.microphone.setToolTip("What is recorded; “a file instead” is the stand-in, which plays one as if it were spoken")  # fmt: skip
        self.count_in = QDoubleSpinBox()
        self.count_in.setAccessibleName("Count-in")
        self.count_in.setDecimals(1)
        self.count_in.setRange(0, 10)
        self.count_in.setValue(2)
        self.count_in.setSuffix(" s count-in")
        self.count_in.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.record_button = QPushButton("● &Record", objectName="go")
        self.record_button.setToolTip("Begin a take, or end it (R)")
        self.said = QLabel(objectName="faint")
        self.said.setWordWrap(True)
        self.takes = _Takes()
        self.takes.setAccessibleName("Takes")
        self.hear_button, self.use_button = (
            QPushButton("Hear the &take"),
            QPushButton("Use th&is take"),
        )
        self.use_button.setToolTip(
            "It becomes the line's recording, without the silence around it; pins, moods and touch-ups come along"
        )
        self.live = LiveBox(context, lambda: self.make_microphone())
        row = Wrapping(self.microphone, self.count_in, self.record_button, wide=self.microphone)
        below = Wrapping(self.hear_button, self.use_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        column.setSpacing(8)
        for widget, stretch in ((heading, 0), (self.who, 0), (page, 2), (self.level, 0)):
            column.addWidget(widget, stretch)
        column.addLayout(row)
        column.addWidget(self.said)
        column.addWidget(self.takes, 1)
        column.addLayout(below)
        column.addWidget(now)
        column.addWidget(self.live)
        self._clock = QTimer(self)
        self._clock.setInterval(OFTEN)
        self._clock.timeout.connect(self._tell)
        self._connect()
        self.list_microphones()

    def _connect(self) -> None:
        c, try_to = self._c, self._c.talk.try_to
        self.record_button.clicked.connect(lambda: try_to(self.record))
        self.hear_button.clicked.connect(lambda: try_to(self.hear))
        self.use_button.clicked.connect(lambda: try_to(self.use))
        self.takes.itemActivated.connect(lambda _: try_to(self.hear))
        self.microphone.activated.connect(lambda _: try_to(self._other))
        c.selection.line_changed.connect(self._follow)
        c.document.opened.connect(self._follow)
        c.document.changed.connect(lambda _: self._show_line() if self.isVisible() else None)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        margins(self.layout(), event.size().width(), MARGINS)

    # ---- showing ------------------------------------------------------------------------------

    def list_microphones(self) -> None:
        """Devices that are there, and the stand-in."""
        self.microphone.clear()
        for name in device_names():
            self.microphone.addItem(name, name)
        self.microphone.addItem("a file instead", STAND_IN)

    def _follow(self) -> None:
        """Another line; takes are read from disk only where somebody sees them."""
        self._end_of_another()
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """The line that is shown, and its takes."""
        self._show_line()
        self._list()

    def _end_of_another(self) -> None:
        if (
            self.recorder is not None
            and self.recorder.recording
            and self._c.selection.slug != self._slug
        ):
            self.end()  # a take belongs to the line it was begun for

    def _show_line(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        self.who.setText(
            ""
            if line is None
            else (line.speaker or line.file) + (" · placeholder" if line.placeholder else "")
        )
        self.script.setText(
            read_aloud(line.script)
            if line is not None and line.script.strip()
            else ""
            if line is None
            else "This line has no script yet."
        )
        for widget in (self.record_button, self.takes, self.hear_button, self.use_button):
            widget.setEnabled(line is not None)

    def _list(self, chosen: Path | None = None) -> None:
        self.takes.clear()
        slug = self._c.selection.slug
        takes = takes_of(self._c.document.folder, slug) if slug else []
        for take in takes:
            peak = "" if take.peak is None else f"    peak {take.peak:.0f} dB"
            item = QListWidgetItem(f"Take {take.number}    {seconds_text(take.seconds)}{peak}")
            item.setData(PATH, take.path)
            self.takes.addItem(item)
            if take.path == chosen:
                self.takes.setCurrentItem(item)
        if self.takes.currentRow() < 0:
            self.takes.setCurrentRow(self.takes.count() - 1)
        if any(take.peak is None for take in takes):
            self._measure(slug, takes)

    def _measure(self, slug: str, takes: list[Take]) -> None:
        """Tell the peaks of takes that were recorded earlier, once they are read."""

        def work(told: Told) -> list[Take]:
            made = []
            for number, take in enumerate(takes):
                told(number / len(takes))
                made.append(measured(take))
            return made

        def apply(made: list[Take]) -> None:
            chosen = self.takes.currentItem()
            known = all(
                take.peak is not None for take in made
            )  # or it would be asked for again and again
            if slug == self._c.selection.slug and known:
                self._list(chosen.data(PATH) if chosen is not None else None)

        self._c.jobs.submit(
            "Looking at takes", work, apply, name="measure takes", quiet=True, instead=True
        )

    def _tell(self) -> None:
        recorder = self.recorder
        if recorder is None:
            return
        self.level.meter = recorder.meter
        self.level.update()
        if recorder.problem and recorder.recording:
            problem = recorder.problem
            self.end()
            self._c.talk.fail(problem)
        elif recorder.recording:
            left = recorder.counting
            self.said.setText(
                f"in {left:.0f} …" if left > 0 else f"recording, {seconds_text(recorder.seconds)}"
            )

    # ---- doing --------------------------------------------------------------------------------

    def make_microphone(self) -> Microphone:
        """The one that is chosen; the stand-in asks which file it is to speak."""
        if self.microphone.currentData() != STAND_IN:
            return DeviceMicrophone(str(self.microphone.currentData()))
        found = self._c.ask.open_files("What the stand-in speaks", SOUNDS)
        if not found:
            raise EditError(
                "The stand-in microphone needs a file to speak; choose one, or plug a microphone in."
            )
        return StandInMicrophone(found[0])

    def record(self) -> None:
        """Begin a take of the shown line, or end it."""
        if self.recorder is not None and self.recorder.recording:
            self.end()
            return
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None:
            raise EditError("Choose the line that is to be recorded first.")
        if self._c.document.read_only:
            raise EditError("This production can only be read; save a copy to record in it.")
        self._c.transport.stop()
        self.let_go()
        self.recorder = Recorder(self.make_microphone())
        self._slug = line.slug
        self.recorder.begin(self._c.document.folder, line.slug, count_in=self.count_in.value())
        self.record_button.setText("■ End the t&ake")
        self._clock.start()

    def end(self) -> Take | None:
        """End the take; it is looked at at once."""
        take = self.recorder.close() if self.recorder is not None else None
        self._clock.stop()
        self.record_button.setText("● &Record")
        if take is None:
            self.said.setText("Nothing was recorded.")
            return None
        self.said.setText(f"take {take.number} is kept")
        self._list(take.path)
        self._check(take)
        return take

    def _check(self, take: Take) -> None:
        def work(_: Told) -> list[str]:
            return [
                f"{f.text} {f.advice}" for f in check(take.path).findings if f.severity != "good"
            ]

        def apply(found: list[str]) -> None:
            self.said.setText(
                f"take {take.number} is kept"
                + (f": {' '.join(found[:2])}" if found else "; it is good to work with")
            )

        self._c.jobs.submit(
            "Looking at the take", work, apply, name="check take", quiet=True, instead=True
        )

    def chosen(self) -> Path:
        item = self.takes.currentItem()
        if item is None:
            raise EditError("There is no take yet; press Record.")
        path: Path = item.data(PATH)
        return path

    def hear(self) -> None:
        """Play the chosen take."""
        path = self.chosen()

        def work(_: Told) -> tuple[NDArray[np.float32], int]:
            samples, rate = soundfile.read(os.fsencode(path), dtype="float32")
            return samples, rate

        self._c.jobs.submit("Reading the take", work, lambda made: self._c.transport.say(*made),
                            name="hear take", quiet=True, instead=True)  # fmt: skip

    def use(self) -> None:
        """The chosen take becomes the line's recording: a retake."""
        path, folder, slug = self.chosen(), self._c.document.folder, self._c.selection.slug
        target = folder / "audio" / f"{slug}-{path.stem}.wav"

        def work(_: Told) -> float:
            target.parent.mkdir(exist_ok=True)
            return trimmed(path, target)

        self._c.jobs.submit(
            "Trimming the take",
            work,
            lambda _: self._c.retaking.retake(slug, target),
            name="use take",
        )

    def _other(self) -> None:
        self.let_go()

    def let_go(self) -> None:
        """Let the microphone go; a take that is being recorded is kept."""
        if self.recorder is not None:
            if self.recorder.recording:
                self.end()
            self.recorder.close()
            self.recorder = None
        self._clock.stop()
