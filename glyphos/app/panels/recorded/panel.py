"""Curves of a face that were recorded elsewhere, laid on the line that is shown."""

from __future__ import annotations

from pathlib import Path

import msgspec
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....errors import EditError
from ....production.documents import Line, Recorded
from ....production.kinds import line_key
from ....production.layers import brought_in
from ...dialogs.common import number
from ...drawing.words import sentence
from ...model.context import Context
from ...model.jobs import Told
from .tracker import TrackerBox

KINDS = "Curves and heads (*.csv *.bvh)"
REGIONS = {
    "the whole face": ("mouth", "cheeks", "lids", "brows", "gaze", "head"), "the head alone": ("head",),
    "head and gaze": ("head", "gaze"), "the upper face": ("lids", "brows", "gaze"),
    "all but the mouth": ("cheeks", "lids", "brows", "gaze", "head"), "the mouth alone": ("mouth",),
}  # fmt: skip


class RecordedPanel(QWidget):
    """What is laid on a line, each with its place, strength and regions."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.list = QListWidget()
        self.list.setAccessibleName("Recorded curves of the line")
        self.list.setMaximumHeight(58)
        self.add_button, self.remove = QPushButton("&Lay on…"), QPushButton("Take o&ff")
        self.add_button.setToolTip(
            "A table of curves (CSV) or the head of a BVH clip; it is copied into the production"
        )
        self.regions = QComboBox()
        self.regions.addItems(list(REGIONS))
        self.regions.setAccessibleName("Where it acts")
        self.strength = number("Strength", 0, 150, 5, " %", 0)
        self.smoothing = number("Smoothing", 0, 3, 0.1, "", 1)
        self.zero = QPushButton("R&est is here")
        self.zero.setCheckable(True)
        self.zero.setToolTip(
            "The face of the recording at the playhead is its rest, from which it moves"
        )
        self.offset = number("Later by", -3600, 3600, 0.1, " s", 2)
        self.tracker = TrackerBox(context)
        self.said = QLabel()
        self.said.setWordWrap(True)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        pairs: tuple[tuple[str, QWidget, int, int, int], ...] = (
            ("&Where", self.regions, 0, 0, 3), ("&Strength", self.strength, 1, 0, 1),
            ("Later &by", self.offset, 1, 2, 1), ("S&moothing", self.smoothing, 2, 0, 1),
        )  # fmt: skip
        for text, field, row, at, wide in pairs:
            label = QLabel(text)
            label.setBuddy(field)
            grid.addWidget(label, row, at)
            grid.addWidget(field, row, at + 1, 1, wide)
        grid.addWidget(self.zero, 2, 2, 1, 2)
        grid.addWidget(self.add_button, 3, 0, 1, 2)
        grid.addWidget(self.remove, 3, 2, 1, 2)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 10)
        column.addWidget(self.list)
        column.addLayout(grid)
        column.addWidget(self.said)
        column.addWidget(self.tracker)
        column.addStretch(1)
        self._connect()
        self._show()

    def _connect(self) -> None:
        c, try_to = self._c, self._c.talk.try_to
        self.add_button.clicked.connect(lambda: try_to(self.add))
        self.remove.clicked.connect(lambda: try_to(self.take_off))
        self.tracker.again.clicked.connect(lambda: try_to(self.record_again))
        self.list.currentRowChanged.connect(lambda _: self._show_chosen())
        self.list.itemChanged.connect(
            lambda item: self._change(
                self.list.row(item), on=item.checkState() == Qt.CheckState.Checked
            )
        )
        self.regions.activated.connect(
            lambda _: self._change(self.row, regions=REGIONS[self.regions.currentText()])
        )
        self.smoothing.valueChanged.connect(lambda v: self._change(self.row, smoothing=v))
        self.zero.clicked.connect(lambda on: try_to(lambda: self.rest_here(on)))
        self.strength.valueChanged.connect(lambda v: self._change(self.row, strength=v / 100))
        self.offset.valueChanged.connect(lambda v: self._change(self.row, offset=v))
        c.current.line_changed.connect(self._show)
        c.document.changed.connect(lambda _: self._show())
        c.living.changed.connect(self._show_said)

    @property
    def row(self) -> int:
        return self.list.currentRow()

    def _line(self) -> Line:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None or line.reading is None:
            raise EditError("Listen to the line first; then something can be laid on it.")
        return line

    def _take(self, name: str, recorded: tuple[Recorded, ...], *, merge: bool = False) -> None:
        made = msgspec.structs.replace(self._line(), recorded=recorded)
        self._c.document.change(name, {line_key(made.slug): made}, merge=merge)

    def add(self) -> None:
        """Choose files; each is looked at first, then copied in."""
        slug, folder = self._line().slug, self._c.document.folder
        fps = float(self._c.current.fps)
        for path in self._c.ask.open_files("Recorded curves", KINDS, several=True):

            def work(_: Told, path: Path = path) -> tuple[Recorded, list[str]]:
                from ....characters.recorded import open_layer

                said = open_layer(path, fps)[1]
                return brought_in(folder, path), said

            def apply(found: tuple[Recorded, list[str]], path: Path = path) -> None:
                line = self._c.document.kept_line(slug)
                if line is None:
                    return
                made = msgspec.structs.replace(line, recorded=(*line.recorded, found[0]))
                self._c.document.change(f"Lay on {path.name}", {line_key(slug): made})
                self._c.talk.say("; ".join(found[1]) or f"{path.name} is laid on")

            def unused(found: tuple[Recorded, list[str]]) -> None:
                (folder / found[0].file).unlink(missing_ok=True)

            self._c.jobs.submit(
                f"Reading {path.name}", work, apply, name=f"lay on {path}", unused=unused
            )

    def take_off(self) -> None:
        recorded = self._line().recorded
        if not 0 <= self.row < len(recorded):
            raise EditError("Choose something that is laid on first.")
        self._take("Take recorded curves off", (*recorded[: self.row], *recorded[self.row + 1 :]))

    def record_again(self) -> None:
        """A take in place of the one that is chosen."""
        recorded = self._line().recorded
        if not 0 <= self.row < len(recorded):
            raise EditError("Choose the take to be recorded again first.")
        self._c.tracking.record(recorded[self.row].file)

    def rest_here(self, on: bool) -> None:
        """The recorded face at the playhead is its rest; or it lies as it came."""
        recorded = self._line().recorded
        if not 0 <= self.row < len(recorded):
            raise EditError("Choose something that is laid on first.")
        heard = self._c.current.delivery.heard(self._c.transport.position())
        zero = round(heard - recorded[self.row].offset, 4) if on else None
        self._change(self.row, zero=zero)

    def _change(self, row: int, **changes: object) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        if line is None or not 0 <= row < len(line.recorded):
            return
        made = msgspec.structs.replace(line.recorded[row], **changes)
        if made != line.recorded[row]:
            self._take(
                "Adjust recorded curves",
                (*line.recorded[:row], made, *line.recorded[row + 1 :]),
                merge=True,
            )

    # ---- showing ------------------------------------------------------------------------------

    def _show(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        self.setEnabled(line is not None and line.reading is not None)
        recorded = line.recorded if line is not None else ()
        row = self.row
        with QSignalBlocker(self.list):
            self.list.clear()
            for r in recorded:
                item = QListWidgetItem(Path(r.file).name)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked if r.on else Qt.CheckState.Unchecked)
                self.list.addItem(item)
            self.list.setCurrentRow(min(max(row, 0), len(recorded) - 1))
        self._show_chosen()
        self._show_said()

    def _show_chosen(self) -> None:
        line = self._c.document.kept_line(self._c.selection.slug)
        chosen = (
            line.recorded[self.row]
            if line is not None and 0 <= self.row < len(line.recorded)
            else None
        )
        for widget in (
            self.regions,
            self.strength,
            self.offset,
            self.smoothing,
            self.zero,
            self.remove,
        ):
            widget.setEnabled(chosen is not None)
        if chosen is None:
            return
        name = next((n for n, r in REGIONS.items() if set(r) == set(chosen.regions)), "")
        with QSignalBlocker(self.zero):
            self.zero.setChecked(chosen.zero is not None)
        for field, value in (
            (self.strength, 100 * chosen.strength), (self.offset, chosen.offset), (self.smoothing, chosen.smoothing),
        ):  # fmt: skip
            with QSignalBlocker(field):
                field.setValue(value)
        with QSignalBlocker(self.regions):
            self.regions.setPlaceholderText(" · ".join(chosen.regions) or "nowhere")
            self.regions.setCurrentIndex(self.regions.findText(name) if name else -1)

    def _show_said(self) -> None:
        self.said.setText(" ".join(sentence(s) for s in self._c.living.said))
