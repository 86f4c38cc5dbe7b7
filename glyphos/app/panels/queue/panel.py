"""The Queue as it is shown: each run with its progress, speed and time left, and the lines to look at."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QProgressBar,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ....batch.job import Outcome
from ....errors import EditError
from ...drawing.scrolled import bring_into_view, few_rows
from ...drawing.words import PROOF_SIGNS, counted, seconds_text
from ...model.context import Context
from ...model.queue import Entry

OFTEN = 500  # milliseconds between two looks at the clock
MOST = 200  # lines of a run that are listed
SLUG = Qt.ItemDataRole.UserRole


class _Lines(QTreeWidget):
    def sizeHint(self) -> QSize:
        return few_rows(self, super().sizeHint(), 5)  # with its header

    def minimumSizeHint(self) -> QSize:
        return few_rows(self, super().minimumSizeHint(), 5)


class QueuePanel(QWidget):
    """Runs, the latest first, and what can be done about the one that is at work."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.heading = QLabel("Queue", objectName="heading")
        self.said = QLabel(objectName="faint")
        self.said.setAccessibleName("Progress of the Queue")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Share of the Queue that is done")
        self.pause_button, self.stop_button = QPushButton("P&ause"), QPushButton("&Stop")
        self.open_button = QPushButton("Op&en the line")
        self.open_button.setToolTip("Show the chosen line on the Score page (Return)")
        self.list = _Lines()
        self.list.setHeaderLabels(["Line", "What became of it", "Seconds"])
        self.list.setRootIsDecorated(False)
        self.list.setUniformRowHeights(True)
        self.list.setAccessibleName("Lines of the Queue")
        self.list.header().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.list.header().setStretchLastSection(False)
        self.list.setColumnWidth(0, 190)
        row = QHBoxLayout()
        row.addWidget(self.heading)
        row.addWidget(self.bar, 1)
        for button in (self.pause_button, self.stop_button, self.open_button):
            button.setObjectName("small")
            row.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(4)
        column.addLayout(row)
        column.addWidget(self.said)
        column.addWidget(self.list, 1)
        self._clock = QTimer(self)
        self._clock.setInterval(OFTEN)
        self._clock.timeout.connect(self._tell)
        try_to = context.talk.try_to
        self.pause_button.clicked.connect(lambda: try_to(context.queue.pause))
        self.stop_button.clicked.connect(lambda: try_to(context.queue.stop))
        self.open_button.clicked.connect(lambda: try_to(self.open_line))
        self.list.itemActivated.connect(lambda *_: try_to(self.open_line))
        context.queue.changed.connect(self._show)
        self._listed = 0
        self._entry: Entry | None = None
        self._show()

    def _show(self) -> None:
        entries = self._c.queue.entries
        entry = entries[-1] if entries else None
        if entry is not None and self.isHidden():
            bring_into_view(self)  # in a low window
        self.setVisible(entry is not None)
        if entry is None:
            return
        if entry is not self._entry:
            self._entry, self._listed = entry, 0
            self.list.clear()
        for outcome in entry.outcomes[self._listed :]:
            self._add(outcome)
        self._listed = len(entry.outcomes)
        if entry.running:
            self._clock.start()
        else:
            self._clock.stop()
        self._tell()

    def _add(self, outcome: Outcome) -> None:
        """Lines that need a look stand first."""
        if self.list.topLevelItemCount() >= MOST and not _grave(outcome):
            return
        item = QTreeWidgetItem(
            [outcome.line.slug, _said(outcome), f"{outcome.cpu:.1f}" if outcome.cpu else "–"]
        )
        item.setData(0, SLUG, outcome.line.slug)
        item.setToolTip(1, outcome.problem or "\n".join(f.text for f in outcome.findings))
        at = self.list.topLevelItemCount()
        if _grave(outcome):
            at = next((k for k in range(at) if not self.list.topLevelItem(k).data(1, SLUG)), at)
            item.setData(1, SLUG, True)
        self.list.insertTopLevelItem(at, item)
        while self.list.topLevelItemCount() > MOST:
            self.list.takeTopLevelItem(self.list.topLevelItemCount() - 1)

    def _tell(self) -> None:
        entry = self._entry
        if entry is None:
            return
        done = len(entry.outcomes)
        self.bar.setRange(0, entry.total)
        self.bar.setValue(done)
        made = [o for o in entry.outcomes if o.state != "there"]
        text = f"{done} of {counted(entry.total, 'line')}: {entry.what}"
        if entry.failed:
            text += f" · {entry.failed} failed"
        if entry.running:
            if made:
                text += f" · {len(made) / max(0.1, entry.seconds):.1f} lines a second"
            if entry.left is not None:
                text += f" · {seconds_text(entry.left, 0)} left"
            if entry.control.paused.is_set():
                text += " · paused"
        else:
            text += (
                f" · {'ended' if done < entry.total else 'done'} in {seconds_text(entry.seconds)}"
            )
            if entry.problem:
                text += f" · {entry.problem}"
        self.said.setText(text)
        self.pause_button.setVisible(entry.running)
        self.stop_button.setVisible(entry.running)
        self.pause_button.setText("&Go on" if entry.control.paused.is_set() else "P&ause")

    def open_line(self) -> None:
        """Show the chosen line on the page of lines."""
        item = self.list.currentItem()
        if item is None:
            raise EditError("Choose a line of the Queue first.")
        slug = str(item.data(0, SLUG))
        if self._c.document.kept_line(slug) is None:
            raise EditError("This line is gone.")
        self._c.selection.show(slug)
        self._c.queue.line_wanted.emit(slug)


def _grave(outcome: Outcome) -> bool:
    return outcome.state == "failed" or any(
        f.severity != "note" and not f.accepted for f in outcome.findings
    )


def _said(outcome: Outcome) -> str:
    if outcome.state == "failed":
        return f"✗ failed: {outcome.problem}"
    found = [f for f in outcome.findings if not f.accepted]
    counts = [
        f"{sign}{n}"
        for s, sign in PROOF_SIGNS.items()
        if (n := sum(f.severity == s for f in found))
    ]
    files = counted(len(outcome.files), "file") if outcome.files else ""
    words = {"done": "done", "there": "there already"}.get(outcome.state, outcome.state)
    return " · ".join(x for x in (words, " ".join(counts), files) if x)
