"""Proof of the line that is shown: what is found in it, one after the other, accepted with a reason or mended."""

from __future__ import annotations

from fractions import Fraction

import msgspec
from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....errors import EditError
from ....production.documents import Accepted, Line
from ....production.kinds import line_key
from ....proof.finding import Finding
from ...drawing.words import counted, seconds_text
from ...model.context import Context
from ...model.jobs import Told

SIGNS = {"note": "·", "poor": "!", "bad": "✗"}
REST = 500  # milliseconds without a change until a line is looked through again


class ProofPanel(QWidget):
    """Looks through the line while it is open."""

    wanted = Signal()

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.findings: list[Finding] = []
        self._made_of: object = None
        self.said = QLabel(objectName="faint")
        self.said.setWordWrap(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Findings of Proof")
        self.list.setWordWrap(True)
        self.next_button = QPushButton("&Next")
        self.next_button.setToolTip("Go to the next finding (Ctrl+J)")
        self.accept_button = QPushButton("&Accept…")
        self.accept_button.setToolTip("Let it stay, and say why; again to take that back")
        row = QHBoxLayout()
        row.addWidget(self.next_button)
        row.addWidget(self.accept_button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 10)
        column.addWidget(self.said)
        column.addWidget(self.list, 1)
        column.addLayout(row)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST)
        self._rest.timeout.connect(self.look)
        try_to = context.talk.try_to
        self.next_button.clicked.connect(lambda: try_to(self.go_on))
        self.accept_button.clicked.connect(lambda: try_to(self.accept))
        self.list.itemActivated.connect(lambda _: self._jump())
        self.list.itemClicked.connect(lambda _: self._jump())
        context.current.line_changed.connect(self._another)
        for signal in (
            context.current.reading_changed,
            context.current.sound_changed,
            context.living.changed,
        ):
            signal.connect(self._stale)
        context.document.changed.connect(lambda _: self._stale())

    # ---- looking ------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.look()

    def _another(self) -> None:
        self.findings, self._made_of = [], None
        self._show("")
        self._stale()

    def _stale(self) -> None:
        if self.isVisible() and self._c.document.previewed is None:
            self._rest.start()

    def _line(self) -> Line | None:
        return self._c.document.kept_line(self._c.selection.slug)

    def _wish(self) -> tuple[object, ...]:
        return self._line(), self._c.document.header.fps, str(self._c.document.folder)

    def look(self) -> None:
        """Look through the line, unless it is as it was."""
        from ....proof.proofing import proofed

        line, wish = self._line(), self._wish()
        if line is None:
            self._show("")
            return
        if self._made_of is not None and self._made_of == wish:
            return
        production, fps = self._c.document.production, Fraction(self._c.current.fps)
        self._show("Looking through the line…")

        def work(_: Told) -> list[Finding]:
            return proofed(line, production, fps)

        def apply(found: list[Finding]) -> None:
            self.findings, self._made_of = found, wish
            self._show("")

        self._c.jobs.submit(
            "Looking through the line", work, apply, name="proof", quiet=True, instead=True, inputs=self._wish,
            again=self.look,
        )  # fmt: skip

    def _show(self, doing: str) -> None:
        open_ones = [f for f in self.findings if not f.accepted]
        if doing:
            self.said.setText(doing)
        elif self._made_of is None:
            self.said.setText("")
        elif not self.findings:
            self.said.setText("Nothing is found in this line.")
        else:
            more = len(self.findings) - len(open_ones)
            self.said.setText(
                f"{counted(len(open_ones), 'finding')}" + (f", {more} accepted" if more else "")
            )
        row = self.list.currentRow()
        self.list.clear()
        for finding in self.findings:
            sign = "✓" if finding.accepted else SIGNS[finding.severity]
            why = f" (accepted: {finding.accepted})" if finding.accepted else ""
            item = QListWidgetItem(f"{sign}  {seconds_text(finding.start, 2)}  {finding.text}{why}")
            item.setToolTip(f"{finding.severity}, {finding.check}: {finding.value:g}")
            self.list.addItem(item)
        self.list.setCurrentRow(min(row, self.list.count() - 1))
        self.next_button.setEnabled(bool(self.findings))
        self.accept_button.setEnabled(bool(self.findings))

    # ---- doing --------------------------------------------------------------------------------

    def go_on(self) -> None:
        """To the next finding that nobody accepted."""
        self.wanted.emit()
        rows = [k for k, f in enumerate(self.findings) if not f.accepted]
        if not rows:
            self._c.talk.say("Nothing is left to look at in this line.")
            return
        now = self.list.currentRow()
        self.list.setCurrentRow(next((k for k in rows if k > now), rows[0]))
        self._jump()

    def _jump(self) -> None:
        """Show where a finding is."""
        row = self.list.currentRow()
        if not 0 <= row < len(self.findings):
            return
        finding, flat = self.findings[row], self._c.current.flat
        self._c.transport.seek(finding.start)
        part = (
            flat.part_at("word", (finding.start + min(finding.end, finding.start + 0.1)) / 2)
            if flat
            else None
        )
        if part is not None:
            self._c.selection.select(part)

    def accept(self) -> None:
        """Let the chosen finding stay, with a reason; or no longer."""
        line, row = self._line(), self.list.currentRow()
        if line is None or not 0 <= row < len(self.findings):
            raise EditError("Choose a finding first.")
        finding = self.findings[row]
        if finding.accepted:
            left = tuple(a for a in line.accepted if a.check != finding.check or not a.start <= finding.start + 0.1 <= a.end + 0.2)  # fmt: skip
            changed = msgspec.structs.replace(line, accepted=left)
            self._c.document.change("Look at a finding again", {line_key(line.slug): changed})
            return
        reason = self._c.ask.text("Accept", f"{finding.text}\nWhy it may stay:")
        if reason is None:
            return
        kept = Accepted(finding.check, finding.start, finding.end, reason.strip())
        changed = msgspec.structs.replace(line, accepted=(*line.accepted, kept))
        self._c.document.change("Accept a finding", {line_key(line.slug): changed})
