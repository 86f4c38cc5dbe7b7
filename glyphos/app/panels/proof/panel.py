"""Proof of the line that is shown: what is found in it, one after the other, mended or accepted with a reason."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QGridLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....errors import EditError
from ....proof.finding import Finding
from ...drawing.words import PROOF_SIGNS, counted, seconds_text
from ...model.context import Context

REST = 500  # milliseconds without a change until a line is looked through again


class ProofPanel(QWidget):
    """Looks through the line while it is open."""

    wanted = Signal()
    marks_changed = Signal(object)  # findings that are open in the line that is shown

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.findings: list[Finding] = []
        self._arrived = False  # at a line, for its first finding once that is known
        self._last: tuple[str, Finding] | None = (
            None  # that the playhead was brought to, and its line
        )
        self.said = QLabel(objectName="faint")
        self.said.setWordWrap(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Findings of Proof")
        self.list.setWordWrap(True)
        self.next_button = QPushButton("Ne&xt")
        self.next_button.setToolTip("Go to the next finding, here or in the next line (Ctrl+J)")
        self.mend_button = QPushButton("&Mend")
        self.mend_button.setToolTip("Make the smallest change that makes it go away; undo takes it back (Ctrl+Shift+J)")  # fmt: skip
        self.accept_button = QPushButton("&Accept…")
        self.accept_button.setToolTip("Let it stay, and say why; again to take that back")
        self.all_button = QPushButton("All &lines")
        self.all_button.setToolTip("Look through all lines of the production")
        buttons = QGridLayout()
        for k, button in enumerate((self.next_button, self.mend_button, self.accept_button, self.all_button)):  # fmt: skip
            buttons.addWidget(button, k // 2, k % 2)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 10)
        column.addWidget(self.said)
        column.addWidget(self.list, 1)
        column.addLayout(buttons)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST)
        self._rest.timeout.connect(self.look)
        try_to = context.talk.try_to
        for button, work in (
            (self.next_button, self.go_on), (self.mend_button, self.mend), (self.accept_button, self.accept),
            (self.all_button, self.look_all),
        ):  # fmt: skip
            button.clicked.connect(lambda _=False, w=work: try_to(w))
        self.list.itemActivated.connect(lambda _: self._jump())
        self.list.itemClicked.connect(lambda _: self._jump())
        self.list.currentRowChanged.connect(lambda _: self._name_buttons())
        context.current.line_changed.connect(self._another)
        context.proofing.changed.connect(lambda _: self._told())
        for signal in (context.current.reading_changed, context.current.sound_changed, context.living.changed):  # fmt: skip
            signal.connect(self._stale)
        context.document.changed.connect(lambda _: self._stale())
        context.document.opened.connect(self._forget)
        self._show()

    # ---- looking ------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.look()

    def _forget(self) -> None:
        """Another production: what was found in the one before is of no line of it."""
        self._arrived, self._last, self.findings = False, None, []
        self._fill(0)
        self._another()

    def _another(self) -> None:
        self._show()
        self._stale()

    def _told(self) -> None:
        self._show()
        if self._c.proofing.of(self._c.selection.slug) is None:
            self._stale()

    def _stale(self) -> None:
        if self.isVisible() and self._c.document.previewed is None:
            self._rest.start()

    def look(self) -> None:
        """Look through the line, unless it is as it was."""
        self._c.proofing.look(self._c.selection.slug)
        self._show()

    def look_all(self) -> None:
        """Look through all lines of the production."""
        self.wanted.emit()
        self._c.proofing.look_all(
            lambda count: self._c.talk.say(
                f"{counted(count, 'finding')}; Ctrl+J goes from one to the next" if count else "Nothing is found in any line"
            )
        )  # fmt: skip

    def _show(self) -> None:
        slug = self._c.selection.slug
        found = self._c.proofing.of(slug)
        known = found is not None
        row = self.list.currentRow()
        # What was found before a change stays to be read until more is known, but of no other line
        others = any(f.line != slug for f in self.findings)
        if found is not None or others or self._c.document.kept_line(slug) is None or not self.isVisible():  # fmt: skip
            self.findings = found or []
            self._fill(row)
        self._name_buttons()
        open_ones = [f for f in self.findings if not f.accepted]
        more = len(self.findings) - len(open_ones)
        if not known:
            self.said.setText("Looking through the line…" if self.isVisible() and slug else "")
        elif not self.findings:
            self.said.setText("Nothing is found in this line.")
        else:
            self.said.setText(counted(len(open_ones), "finding") + (f", {more} accepted" if more else ""))  # fmt: skip
        self.marks_changed.emit(open_ones)
        if self._arrived and known:
            self._arrived = False
            self._go()

    def _fill(self, row: int) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for finding in self.findings:
            sign = "✓" if finding.accepted else PROOF_SIGNS[finding.severity]
            why = f" (accepted: {finding.accepted})" if finding.accepted else ""
            item = QListWidgetItem(f"{sign}  {seconds_text(finding.start, 2)}  {finding.text}{why}")
            item.setToolTip(f"{finding.severity}, {finding.check}: {finding.value:g}")
            self.list.addItem(item)
        self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
        self.list.blockSignals(False)
        self._name_buttons()

    def _name_buttons(self) -> None:
        row = self.list.currentRow()
        chosen = self.findings[row] if 0 <= row < len(self.findings) else None
        known = chosen is not None and self._c.proofing.of(chosen.line) is not None
        self.mend_button.setEnabled(known and self._c.proofing.mendable(chosen))
        self.accept_button.setEnabled(known)
        self.accept_button.setText("Look a&gain" if chosen is not None and chosen.accepted else "&Accept…")  # fmt: skip

    # ---- doing --------------------------------------------------------------------------------

    def go_on(self) -> None:
        """To the next finding that nobody accepted, in this line or the next that has one."""
        self.wanted.emit()
        slug = self._c.selection.slug
        if self._c.document.kept_line(slug) is not None and self._c.proofing.of(slug) is None:
            self._arrived = True  # once it is known what there is
            self.look()
        else:
            self._go()

    def _go(self) -> None:
        if not self._to_row(self.list.currentRow() if self._jumped else -1):
            slug = self._c.proofing.next_line(self._c.selection.slug)
            if slug:
                self._arrived = True
                self._c.selection.show(slug)
            elif not self._to_row(-1):
                self._c.talk.say("Nothing is left to look at in this line.")

    @property
    def _jumped(self) -> bool:
        """Whether the chosen finding is the one that the playhead was brought to."""
        row = self.list.currentRow()
        return 0 <= row < len(self.findings) and self._last == (self._c.selection.slug, self.findings[row])  # fmt: skip

    def _to_row(self, after: int) -> bool:
        rows = [k for k, f in enumerate(self.findings) if not f.accepted and k > after]
        if rows:
            self.list.setCurrentRow(rows[0])
            self._jump()
        return bool(rows)

    def chosen(self) -> Finding:
        """The one that is chosen; EditError if there is none."""
        row = self.list.currentRow()
        if not 0 <= row < len(self.findings):
            raise EditError("Choose a finding first.")
        return self.findings[row]

    def _settled(self) -> Finding:
        """The chosen one, of the line as it is; EditError while that is being looked through."""
        finding = self.chosen()
        if self._c.proofing.of(finding.line) is None:
            raise EditError("The line is being looked through again; choose once that is done.")
        return finding

    def _jump(self) -> None:
        """Show where a finding is."""
        finding, flat = self.chosen(), self._c.current.flat
        self._last = self._c.selection.slug, finding
        self._c.transport.seek(finding.start)
        middle = (finding.start + min(finding.end, finding.start + 0.1)) / 2
        part = flat.part_at("word", middle) if flat else None
        if part is not None:
            self._c.selection.select(part)

    def mend(self) -> None:
        """Make the smallest change that makes the chosen finding go away."""
        self._c.proofing.mend(self._settled(), lambda name: self._c.talk.say(f"Mended: {name.lower()}"))  # fmt: skip

    def accept(self) -> None:
        """Let the chosen finding stay, with a reason; or no longer."""
        finding = self._settled()
        if finding.accepted:
            self._c.proofing.look_again(finding)
            return
        reason = self._c.ask.text("Accept", f"{finding.text}\nWhy it may stay:")
        if reason is not None:
            self._c.proofing.accept(finding, reason)
