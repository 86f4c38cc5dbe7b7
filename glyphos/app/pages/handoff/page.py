"""Handoff: what leaves, as files for other programs. Shows what will be written, then writes it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QSize, QStandardPaths, Qt, QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from ....batch.recipe import STEPS, Files, Recipe
from ....errors import GlyphosError
from ....handoff.deliver import CHARACTER_FORMATS, CURVES, TIMINGS, Plan, Wish, plan
from ....handoff.drawn import FORMATS
from ....production.documents import Line
from ....production.production import Production
from ....rates import USUAL
from ...dialogs.common import combo
from ...drawing import theme as themes
from ...drawing.scrolled import Scrolled, few_rows
from ...drawing.words import counted
from ...drawing.wrapping import Wrapping, labelled
from ...model.context import Context
from ...model.jobs import Told
from ...page import Command, Page
from ...panels.queue.panel import QueuePanel

NONE = ("", "none")
MANY = 200  # lines; what more of them come to is worked out beside, once hands rest
REST = 150  # ms
LISTED = 500  # files that are listed, of more


class _Written(QListWidget):
    def sizeHint(self) -> QSize:
        return few_rows(self, super().sizeHint(), 3)

    def minimumSizeHint(self) -> QSize:
        return few_rows(self, super().minimumSizeHint(), 3)


class HandoffPage(Page):
    """Curves and timing of the shown line, of the selected ones or of all."""

    name = "handoff"

    def __init__(self, context: Context, line_wanted: Callable[[], object]) -> None:
        """line_wanted: shows the page of the line that is chosen."""
        self._c = context
        context.queue.line_wanted.connect(lambda _: line_wanted())
        self._root = (
            Scrolled()
        )  # in a low window there is more than it shows, once the Queue is there
        self._root.setFrameShape(Scrolled.Shape.NoFrame)
        self._shown = False
        self._soon = QTimer(self._root)
        self._soon.setSingleShot(True)
        self._soon.setInterval(REST)
        self._soon.timeout.connect(self._plan_beside)
        self.which = combo("Lines", [("line", "the line that is shown"), ("selected", "the selected lines"),
                                     ("all", "all lines of the production")], "line")  # fmt: skip
        self.curves = combo("Curves", [*CURVES.items(), NONE], "csv")
        self.timing = combo("Timing", [*TIMINGS.items(), NONE], "")
        self.character = combo("On the character", [NONE, *CHARACTER_FORMATS.items()], "")
        self.drawings = combo("In drawings", [NONE, *FORMATS.items()], "")
        for choice in (self.which, self.curves, self.timing, self.character, self.drawings):
            choice.setMinimumContentsLength(6)  # in a narrow window
            choice.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
        self.names = QLineEdit("{line}")
        self.names.setAccessibleName("How files are named")
        self.names.setToolTip("{line}, {speaker} and {character} stand for what they say")
        self.error, self.before, self.after = QDoubleSpinBox(), QDoubleSpinBox(), QDoubleSpinBox()
        for box, name, most, step, unit, value in (
            (self.error, "Most error of keys", 20.0, 0.1, " %", 0.5),
            (self.before, "Rest before", 600.0, 0.5, " s", 0.0), (self.after, "Rest after", 600.0, 0.5, " s", 0.0),
        ):  # fmt: skip
            box.setAccessibleName(name)
            box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            box.setRange(0.0, most)
            box.setSingleStep(step)
            box.setSuffix(unit)
            box.setValue(value)
        self.error.setSpecialValueText("a key a frame")
        self.apart = QCheckBox("Each la&yer by itself too")
        self.apart.setToolTip(
            "Speech, liveliness, mood, recorded and touch-up in files of their own beside the whole"
        )
        self.first_frame = QSpinBox()
        self.first_frame.setAccessibleName("First frame")
        self.first_frame.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.first_frame.setRange(-100_000, 1_000_000)
        self.rate = QComboBox()
        self.rate.setEditable(True)
        self.rate.addItems([f"{r} fps" for r in USUAL])
        self.rate.setAccessibleName("Frames a second")
        self.folder = QLineEdit(str(_documents()))
        self.folder.setAccessibleName("Folder")
        self.choose = QPushButton("Choose…")
        self.choose.setAccessibleName("Choose a folder")
        self.listen = QCheckBox("L&isten first where needed")
        self.listen.setToolTip(
            "Lines that were not listened to are listened to, instead of left out"
        )
        self.report = QCheckBox("&Proof, and a report")
        self.report.setToolTip("A page with what was found, and the mouths of every line")
        self.preview = QCheckBox("A small mo&vie of each")
        self.queue = QueuePanel(self._c)
        self.list = _Written()
        self.list.setAccessibleName("Files that will be written")
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.button = QPushButton("Write these files", objectName="go")
        self.button.setAccessibleName("Write these files")
        self._lay_out()
        self._connect()
        self._take_rate()

    def _lay_out(self) -> None:
        heading = QLabel("Handoff")
        heading.setFont(themes.serif(18, italic=True))
        form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignRight)
        form.setHorizontalSpacing(14)
        where = QHBoxLayout()
        where.addWidget(self.folder, 1)
        where.addWidget(self.choose)
        pairs: tuple[tuple[tuple[str, QWidget], tuple[str, QWidget] | None], ...] = (
            (("&Lines", self.which), ("&Rate", self.rate)), (("&Curves", self.curves), ("&Timing", self.timing)),
            (("On a &head", self.character), ("In dra&wings", self.drawings)), (("Na&mes", self.names), ("", self.apart)),
        )  # fmt: skip
        for (label, field), more in pairs:
            line = QHBoxLayout()
            line.setSpacing(10)
            line.addWidget(field, 5)
            if more is not None:
                beside = QLabel(more[0])
                beside.setBuddy(more[1])
                line.addWidget(beside)
                line.addWidget(more[1], 4)
            first = QLabel(label)
            first.setBuddy(field)
            form.addRow(first, line)
        keys = Wrapping(
            self.error, labelled("first frame", self.first_frame), labelled("rest before", self.before),
            labelled("after", self.after), spacing=10,
        )  # fmt: skip
        form.addRow("Before and after", Wrapping(self.listen, self.report, self.preview))
        keys_label = QLabel("&Keys within")
        keys_label.setBuddy(self.error)
        form.addRow(keys_label, keys)
        folder_label = QLabel("&Folder")
        folder_label.setBuddy(self.folder)
        form.addRow(folder_label, where)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(40, 18, 40, 14)
        column.setSpacing(10)
        column.addWidget(heading)
        column.addLayout(form)
        column.addWidget(QLabel("What will be written", objectName="heading"))
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(self.note, 1)
        row.addWidget(self.button)
        column.addLayout(row)
        column.addWidget(self.queue, 1)
        self._root.setWidget(inside)

    def _connect(self) -> None:
        for box in (self.which, self.curves, self.timing, self.character, self.drawings):
            box.currentIndexChanged.connect(lambda _: self._show())
        for field in (self.error, self.before, self.after, self.first_frame):
            field.valueChanged.connect(lambda _: self._show())
        self.names.textChanged.connect(lambda _: self._show())
        for check in (self.apart, self.listen):
            check.toggled.connect(lambda _: self._show())
        self._c.queue.changed.connect(self._written)
        self.rate.editTextChanged.connect(lambda _: self._show())
        self.folder.textChanged.connect(lambda _: self._show())
        self.choose.clicked.connect(lambda: self._choose())
        self.button.clicked.connect(lambda: self._c.talk.try_to(self.write))
        self._c.document.opened.connect(self._take_rate)
        self._c.document.changed.connect(lambda _: self._show())
        self._c.selection.line_changed.connect(self._show)

    def widget(self) -> QWidget:
        return self._root

    def commands(self) -> Sequence[Command]:
        page, queue = self.name, self._c.queue
        return [
            Command("save-curves", "Save curves or timing", "Production", self.write_or_go, "Ctrl+S"),
            Command("queue-pause", "Pause the Queue, or go on", "Production", queue.pause, "P", page),
            Command("queue-stop", "Stop the Queue", "Production", queue.stop, "", page),
            Command("queue-open", "Open the line of the Queue", "Production", self.queue.open_line, "", page),
        ]  # fmt: skip

    def write_or_go(self) -> None:
        """Show what will be written; if it is shown already, write it."""
        if self._shown:
            self.write()
        else:
            self.go()

    def enter(self) -> None:
        self._shown = True
        self._show()
        self.button.setFocus()

    def leave(self) -> None:
        self._shown = False

    # ---- what will be written -----------------------------------------------------------------

    @property
    def wish(self) -> Wish:
        """What is chosen."""
        fps = self.rate.currentText().replace("fps", "").strip()
        return Wish(
            str(self.curves.currentData()), str(self.timing.currentData()), fps, str(self.character.currentData()),
            self.names.text(), self.error.value() / 100, self.first_frame.value(), self.before.value(),
            self.after.value(), str(self.drawings.currentData()), self.apart.isChecked(),
        )  # fmt: skip

    def _lines(self) -> list[Line]:
        production, selection = self._c.document.production, self._c.selection
        which = self.which.currentData()
        if which == "all":
            return list(production.lines)
        slugs = selection.slugs if which == "selected" else (selection.slug,)
        return [production.line(s) for s in slugs if production.has(s)]

    def _plan(self) -> Plan:
        return plan(self._c.document.production, self._lines(), self.wish)

    def _take_rate(self) -> None:
        self.rate.setCurrentText(f"{self._c.document.header.fps} fps")

    def _choose(self) -> None:
        folder = self._c.ask.folder("Where the files go", start=Path(self.folder.text()))
        if folder is not None:
            self.folder.setText(str(folder))

    def _show(self) -> None:
        if not self._shown:
            return
        lines = self._lines()
        if len(lines) > MANY:
            self._soon.start()
        else:
            self._soon.stop()
            self._list(_planned(self._c.document.production, lines, self.wish))

    def _plan_beside(self) -> None:
        production, lines, wish = self._c.document.production, self._lines(), self.wish

        def work(_: Told) -> Plan | GlyphosError:
            return _planned(production, lines, wish)

        self._c.jobs.submit(
            "Looking what will be written",
            work,
            self._list,
            name="handoff",
            quiet=True,
            instead=True,
            inputs=lambda: (
                self._c.document.production,
                self.which.currentData(),
                self._c.selection.slugs,
                repr(self.wish),
            ),
            again=self._show,
        )

    def _list(self, planned: Plan | GlyphosError) -> None:
        self.list.clear()
        if isinstance(planned, GlyphosError):
            waiting = self.listen.isChecked() and any(x.reading is None for x in self._lines())
            self.note.setText("The lines are listened to first." if waiting else str(planned))
            self.button.setEnabled(waiting)
            return
        folder, few = Path(self.folder.text()).expanduser(), len(planned.items) < MANY
        self.list.addItems([
            f"{item.name}    {item.what}"
            + ("    takes the place of the one there" if few and (folder / item.name).exists() else "")
            for item in planned.items[:LISTED]
        ])  # fmt: skip
        if len(planned.items) > LISTED:
            self.list.addItem(f"and {len(planned.items) - LISTED} more")
        text = f"{counted(len(planned.items), 'file')} at {planned.wish.fps} frames a second"
        if planned.left_out and self.listen.isChecked():
            text += f"; {counted(len(planned.left_out), 'line')} listened to first"
        elif planned.left_out:
            text += f"; {counted(len(planned.left_out), 'line')} left out that were not listened to"
        self.note.setText(text)
        self.button.setEnabled(True)

    def _written(self) -> None:
        if self._c.queue.now is None:
            self._show()

    def recipe(self) -> Recipe:
        """What is chosen, as `glyphos batch` takes it."""
        wish = self.wish
        extra = {"listen": self.listen, "perform": self.report, "proof": self.report}
        steps = tuple(s for s in STEPS if s == "hand" or (s in extra and extra[s].isChecked()))
        hand = Files(wish.curves, wish.timing, wish.character, wish.drawings, wish.pattern, wish.error, wish.first_frame,
                     wish.before, wish.after, wish.apart)  # fmt: skip
        return Recipe(steps=steps, fps=wish.fps, hand=hand, preview=self.preview.isChecked())

    def write(self) -> None:
        """Give the lines to the Queue, which writes their files in the background."""
        folder = Path(self.folder.text()).expanduser()
        lines = self._lines()
        if not self.listen.isChecked():
            planned = {i.line.slug for i in self._plan().items}
            lines = [x for x in lines if x.slug in planned]
        report = self.report.isChecked()
        self._c.queue.start(lines, self.recipe(), folder, report=report)


def _documents() -> Path:
    place = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
    return Path(place) / "Glyphos"


def _planned(production: Production, lines: Sequence[Line], wish: Wish) -> Plan | GlyphosError:
    """What a wish comes to, or why it comes to nothing."""
    try:
        return plan(production, lines, wish)
    except GlyphosError as error:
        return error
